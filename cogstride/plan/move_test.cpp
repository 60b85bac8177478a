#include "cogstride/plan/move.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/played_plan.hpp"
#include "cogstride/plan/run_fitter.hpp"
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

// A program that times its steps in quarters of a millisecond: no interval between two of them is anything
// else, and its top speed is the fastest that they make which is not above the one asked for.
TEST(MovePlan, OfACoarseControllerIsOfWholeIntervals) {
  Rig rig = testing_support::demo_rig();
  rig.controller.interval_resolution = ExactTime(Ratio(256), units::us);
  const Mechanism& creel = mechanism_named(rig, "creel");
  ASSERT_EQ(step_grain(creel, rig.controller), 12'288);
  MoveOrder order;
  order.by = OutputPosition(ExactAngle(90, units::deg));
  const MovePlan plan = plan_move(creel, rig.controller, {OutputKind::rotary, 0}, order);
  EXPECT_NEAR(plan.ramp.peak_speed(), 1.0 / (14 * 256e-6), 1e-6) << "3.489 ms are 13.63 of them";
  RunFitter fitter(plan.ramp, plan.from_step, {0, 0}, 48e6, step_grain(creel, rig.controller));
  chip::PulsePlayer<chip::PulseRun> player({0, 0});
  chip::PulseRun run{};
  std::int64_t pulses = 0;
  while (fitter.next(run)) {
    player.load(run);
    while (player.left() > 0) {
      player.advance();
      if (!player.makes_pulses()) continue;
      ++pulses;
      EXPECT_EQ(player.tick() % 12'288, 0) << pulses;
    }
  }
  EXPECT_EQ(pulses, plan.to_step - plan.from_step);
  EXPECT_LE(play_plan(plan, rig.controller.timer_clock, 12'288).worst_error_ticks, 12'289.0);
  Rig slow = rig;
  slow.controller.interval_resolution = ExactTime(Ratio(7), units::ms);
  EXPECT_THROW(
      (void)plan_move(mechanism_named(slow, "creel"), slow.controller, {OutputKind::rotary, 0}, order),
      RangeError);
}

// A count of the timer that makes the steps is as coarse as its prescaler.
TEST(MovePlan, CountsThePrescalerOfItsTimer) {
  Rig rig = testing_support::demo_rig();
  for (TimerUnit& timer : rig.controller.timers)
    if (timer.name == "steps") timer.prescaler = 64;
  EXPECT_EQ(step_grain(rig.mechanisms[0], rig.controller), 64);
}

// The way of a stop, against integrating the ramp itself.
TEST(WayToRest, IsThatOfTheRamp) {
  for (const double jerk : {0.0, 2e5, 5e6}) {
    for (const double start : {0.0, 300.0}) {
      const RampLimits limits{4000.0, 20'000.0, start, jerk};
      const Ramp up = plan_speed({}, limits.speed, limits);
      EXPECT_NEAR(way_to_rest(limits, limits.speed), up.phases().back().from.to_double(), 1e-6)
          << jerk << " " << start;
      double most = 0.0;
      for (const RampPhase& phase : up.phases())
        most = std::max({most, phase.acceleration, phase.fast_acceleration()});
      EXPECT_NEAR(reached_acceleration(limits), most, 1e-6 * most);
    }
  }
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
