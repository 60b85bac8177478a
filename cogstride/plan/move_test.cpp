#include "cogstride/plan/move.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/played_plan.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/figures/plan_figures.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::move_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

std::string refusal(const Rig& rig, OutputPosition from, const MoveOrder& order) {
  try {
    (void)plan_move(rig.mechanisms[0], rig.controller, from, order);
  } catch (const RangeError& error) {
    return error.what();
  }
  return "planned";
}

TEST(PlanMove, GoesFromStepToStepAndKeepsTheExactTarget) {
  const Rig rig = demo_rig();
  const MovePlan plan = plan_move(rig.mechanisms[0], rig.controller, 10_mm, {.by = 0.07_mm});
  EXPECT_EQ(plan.to, OutputPosition(10.07_mm));
  EXPECT_EQ(plan.from_step, 2667);
  EXPECT_EQ(plan.to_step, 2685);  // 10.07 * 800/3 = 2685.33
  EXPECT_EQ(plan.ramp.end().whole, plan.to_step);
}

TEST(PlanMove, TakesTheMechanismsLimitsWhereNothingIsSaid) {
  const Rig rig = demo_rig();
  const RampLimits limits = ramp_limits(rig.mechanisms[0], rig.controller);
  EXPECT_DOUBLE_EQ(limits.speed, 16'000);
  EXPECT_DOUBLE_EQ(limits.acceleration, 400'000);
  EXPECT_NEAR(limits.start_speed, 3200.0 / 3, 1e-9);
  EXPECT_DOUBLE_EQ(ramp_limits(rig.mechanisms[0], rig.controller, 30_mm_per_s).speed, 8'000);
}

TEST(PlanMove, RefusesWithTheFigureThatCanBeHad) {
  Rig rig = demo_rig();
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 118.001_mm}),
            "traverse: 118.001 mm is outside its travel of 0 mm to 118 mm");
  EXPECT_EQ(refusal(rig, 117_mm, {.by = -117.5_mm}),
            "traverse: -0.5 mm is outside its travel of 0 mm to 118 mm");
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 5_mm, .speed = 60.5_mm_per_s}),
            "traverse: speed 60.5 mm/s is over its limit of 60 mm/s");
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 5_mm, .acceleration = 2_mm_per_s2}), "planned");
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 5_mm, .by = 5_mm}),
            "traverse: a move goes either to a position or by a way");
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 5_deg}),
            "traverse: the output moves along a line, so it wants mm, not degrees");
  rig.controller.top_step_rate = 9_kHz;
  EXPECT_EQ(refusal(rig, 0_mm, {.to = 5_mm, .speed = 40_mm_per_s}),
            "traverse: 40 mm/s takes 10666.7 steps/s, and this controller makes 9000: 33.75 mm/s can be had");
}

TEST(PlanFigures, AreThoseOfTheClosedForm) {
  const Rig rig = demo_rig();
  const Mechanism& traverse = rig.mechanisms[0];
  const MovePlan plan = plan_move(traverse, rig.controller, 0_mm, {.to = 75_mm});
  const PlanFigures figures = figures_of(rig, traverse, plan);
  EXPECT_EQ(figures.steps, 20'000);
  const double ramp_time = 2 * std::sqrt(56.0 / 40'000);  // 56 mm/s by jerk alone: 1497 mm/s2 at the most
  EXPECT_NEAR(figures.ramp_time, ramp_time, 1e-12);
  EXPECT_NEAR(figures.ramp_way, 32 * ramp_time, 1e-9);
  EXPECT_NEAR(figures.cruise_time, (75 - 64 * ramp_time) / 60, 1e-9);
  EXPECT_NEAR(figures.duration, 2 * figures.ramp_time + figures.cruise_time, 1e-12);
  EXPECT_NEAR(figures.shortest_interval, 62.5e-6, 0.03e-6);
  const double t = figures.first_pulse;
  EXPECT_NEAR(3200.0 / 3 * t + 32e6 / 3 * t * t * t / 6, 1.0, 1e-9) << "step";
  EXPECT_LT(figures.worst_error_ticks, 1.0);
  EXPECT_LT(figures.pulse_runs, 100u);
}

TEST(PlayedPlan, OfNoWayHasNoPulses) {
  const Rig rig = demo_rig();
  const PlayedPlan played =
      play_plan(plan_move(rig.mechanisms[0], rig.controller, 5_mm, {.to = 5_mm}), 48_MHz);
  EXPECT_EQ(played.pulses, 0u);
  EXPECT_EQ(played.shortest_interval, 0.0);
}

}  // namespace
}  // namespace cogstride::move_test
