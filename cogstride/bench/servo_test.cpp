// A closed-loop servo that takes steps, on the simulated bench: it follows, says when it stands, and gives up
// when it cannot.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::servo_test {
namespace {

using namespace literals;

/// The traverse with a servo in place of its stepper: 4000 steps a turn, fault and in-position lines.
Rig with_servo() {
  Rig rig = testing_support::demo_rig();
  Mechanism& traverse = rig.mechanisms[0];
  traverse.motor = StepServo{.steps_per_turn = 4000,
                             .rated_torque = 0.3_Nm,
                             .peak_torque = 0.9_Nm,
                             .rotor_inertia = 3e-5_kg_m2,
                             .top_speed = 3000_rpm,
                             .current = 2_A};
  traverse.common.fault = SensedLine{46, ActiveLevel::low};
  traverse.common.in_position = SensedLine{47, ActiveLevel::high};
  return rig;
}

const std::map<std::string, OutputPosition> near_home{{"traverse", 3_mm}};

TEST(Servo, FollowsItsStepsAndEndsWhereTheyLead) {
  SimulatedBench bench(with_servo(), {.start_positions = near_home});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  for (const auto& place : {110_mm, 0.5_mm, 60_mm}) {
    traverse.move({.to = place}).wait();
    EXPECT_EQ(bench.inputs().acts(LineId{47}), true) << "a motion is done when the servo says so";
    bench.serve(0.05_s);
    // 0.16 mm a degree of its own in-position window; friction keeps the loop a little short.
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 1e3 * place.base().to_double(), 0.02);
  }
  EXPECT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0);
}

TEST(Servo, SettlesWithinAFewPeriodsOfItsLoop) {
  SimulatedBench bench(with_servo(), {.start_positions = near_home});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  auto move = traverse.move({.to = 60_mm});
  move.wait();
  const double planned =
      plan_move(bench.rig().mechanisms[0], bench.rig().controller, 0_mm, {.to = 60_mm}).ramp.duration();
  EXPECT_GT(move.duration()->in(units::s), planned);
  EXPECT_LT(move.duration()->in(units::s), planned + 0.06);
}

TEST(Servo, GivesUpWhenItsShaftIsHeldAndSaysSoOnItsFaultLine) {
  SimulatedBench bench(with_servo(), {.start_positions = near_home,
                                      .events = {{5_s, "traverse.jam", true}, {6_s, "traverse.jam", false}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const std::string fault = traverse.move({.to = 118_mm, .speed = 20_mm_per_s}).result();
  EXPECT_NE(fault.find("the board of traverse reports a fault (line 46)"), std::string::npos) << fault;
  EXPECT_FALSE(traverse.position());
  EXPECT_NE(bench.verdict().movers[0].figure("lost_microsteps"), 0);
  EXPECT_NE(traverse.home().result().find("reports a fault"), std::string::npos) << "while it stands";
  bench.serve(2_s);
  traverse.release();  // ENABLE off and on again clears it
  bench.serve(0.1_s);
  traverse.home().wait();
  traverse.move({.to = 20_mm}).wait();
  EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 20.0, 0.1);
}

TEST(Servo, MustSayThatItStandsInPosition) {
  Rig rig = with_servo();
  Rig actual = rig;
  actual.mechanisms[0].common.in_position->active = ActiveLevel::low;  // wired the other way round
  SimulatedBench bench(rig, {.start_positions = near_home, .actual = actual});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const std::string fault = traverse.move({.to = 20_mm}).result();
  EXPECT_NE(fault.find("its board did not say that it is in position (line 47) within 1 s"),
            std::string::npos)
      << fault;
  EXPECT_FALSE(traverse.position());
}

TEST(Servo, PlansSayWhatOfItsPeakTorqueIsLeft) {
  const Rig rig = with_servo();
  Mechanism traverse = rig.mechanisms[0];
  traverse.limits.jerk.reset();
  traverse.limits.start_speed = 0_mm_per_s;
  const MovePlan plan = plan_move(traverse, rig.controller, 0_mm, {.to = 60_mm});
  // At the end of the first ramp: J a, Coulomb and viscous friction.
  const double radians = 2.0 * pi / 6e-3;  // a metre: 8 mm lead and 18:24
  const double torque = 7.6e-5 * 1.5 * radians + 0.020 + 1e-4 * 0.06 * radians;
  const ServoMargin margin = servo_margin(traverse, plan.ramp);
  EXPECT_NEAR(margin.share, 1.0 - torque / 0.9, 1e-3);
  EXPECT_NEAR(margin.worst_at, 0.04, 1e-3);
}

TEST(Servo, StopsAsHardAsItsPeakTorqueCan) {
  SimulatedBench bench(with_servo(), {.start_positions = near_home});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  traverse.move({.to = 118_mm});
  bench.serve(0.8_s);
  const double at = traverse.position()->base.to_double();
  traverse.stop(Braking::steepest);
  bench.serve(0.2_s);
  EXPECT_LT(traverse.position()->base.to_double() - at, 0.5e-3);
  EXPECT_NEAR(bench.plant("traverse").position(), traverse.position()->base.to_double(), 2e-5);
  EXPECT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0);
}

TEST(Servo, IsPushedOffByALoadAsItsLoopSaysAndComesBack) {
  Rig rig = with_servo();
  Mechanism& traverse = rig.mechanisms[0];
  traverse.load.coulomb_friction = traverse.load.stiction = Torque();
  traverse.load.viscous_friction = {};
  traverse.homing.reset();
  const double torque = 0.1;
  OutsideEvent pushed{1_s, "traverse.load", std::nullopt};
  pushed.torque = Torque(torque, units::Nm);
  SimulatedBench bench(rig, {.start_positions = {{"traverse", 0_mm}}, .events = {pushed}});
  bench.stepper("traverse").hold();
  double most = 0.0;
  for (int i = 0; i < 2400; ++i) {
    bench.serve(500_us);
    most = std::max(most, std::abs(bench.plant("traverse").position()));
  }
  const double loop = 2.0 * pi * 40.0;
  const double inertia = moved_inertia(traverse).base();
  const double radians_per_metre = 2.0 * pi / 6e-3;
  // e = T t^2 e^(-w t) / (2 J), greatest at t = 2 / w.
  EXPECT_NEAR(most * radians_per_metre, torque * 2.0 * std::exp(-2.0) / (inertia * loop * loop),
              0.02 * most * radians_per_metre);
  EXPECT_LT(std::abs(bench.plant("traverse").position()) * radians_per_metre, 2.0 * pi / 4000.0);
}

TEST(Servo, StandsOnItsStepUnderFrictionThatUsedToHoldItOff) {
  Rig rig = with_servo();
  std::get<StepServo>(rig.mechanisms[0].motor).peak_torque = 1.2_Nm;
  rig.mechanisms[0].load.coulomb_friction = rig.mechanisms[0].load.stiction = 0.15_Nm;
  SimulatedBench bench(rig, {.start_positions = near_home});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  // How far it stands beside its steps, all from one zero.
  std::vector<double> off;
  for (const auto& place : {40_mm, 30_mm, 90_mm, 10_mm}) {
    traverse.move({.to = place}).wait();
    bench.serve(0.2_s);
    off.push_back(bench.plant("traverse").position() - traverse.position()->base.to_double());
  }
  const auto [least, most] = std::minmax_element(off.begin(), off.end());
  EXPECT_LT(*most - *least, 6e-3 / 4000.0) << "of a step";
  EXPECT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0);
}

TEST(Servo, AFaultOfItsOwnEndsTheMotionAndIsClearedWhenItsCauseIsGone) {
  SimulatedBench bench(with_servo(),
                       {.start_positions = near_home,
                        .events = {{5_s, "traverse.fault", true}, {7_s, "traverse.fault", false}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  while (bench.now().base() < 4.9) bench.serve(10_ms);
  const std::string fault = traverse.move({.to = 118_mm, .speed = 20_mm_per_s}).result();
  EXPECT_NE(fault.find("the board of traverse reports a fault (line 46)"), std::string::npos) << fault;
  traverse.release();
  bench.serve(0.1_s);
  EXPECT_NE(traverse.home().result().find("reports a fault"), std::string::npos) << "it is still there";
  while (bench.now().base() < 7.1) bench.serve(10_ms);
  traverse.release();
  bench.serve(0.1_s);
  traverse.home().wait();
}

}  // namespace
}  // namespace cogstride::servo_test
