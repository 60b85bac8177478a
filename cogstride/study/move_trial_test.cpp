#include "cogstride/study/move_trial.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/study/fastest_tried.hpp"
#include "cogstride/study/sweep.hpp"
#include "support/demo_rig.hpp"
#include "support/trials.hpp"

namespace cogstride::move_trial_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

/// The traverse without friction, detent and start speed, its acceleration so much of pull-out.
Rig ideal_rig(double share) {
  Rig rig = demo_rig();
  Mechanism& traverse = rig.mechanisms[0];
  traverse.load.coulomb_friction = traverse.load.stiction = {};
  traverse.load.viscous_friction = {};
  traverse.stepper().detent_torque = {};
  traverse.limits.start_speed = 0_mm_per_s;
  traverse.limits.jerk.reset();
  const double usable =
      share * available_torque(traverse, 0.0) / traverse.load.inertia.base() / shaft_speed(traverse, 1.0);
  traverse.limits.acceleration.base = Ratio(std::llround(usable * 1e6), 1'000'000);
  return rig;
}

MovePlan move_by(const Rig& rig, const Mechanism& mechanism, OutputPosition by) {
  MoveOrder order;
  order.by = by;
  order.past_limits = true;
  return plan_move(mechanism, rig.controller, {by.kind, 0}, order);
}

MoveTrial tried(const Rig& rig, OutputPosition by) {
  const Mechanism& mechanism = rig.mechanisms[0];
  const MovePlan plan = move_by(rig, mechanism, by);
  return try_move(rig, mechanism, plan, torque_margin(mechanism, plan.ramp));
}

/// A rotary stepper in half steps near its supply's voltage, where its field and currents feed an
/// oscillation.
Rig unstable_rig() {
  Rig rig = demo_rig();
  Mechanism& mechanism = rig.mechanisms[0];
  mechanism.train.stages.clear();
  mechanism.supply.voltage = Voltage(16.7, units::V);
  mechanism.supply.resistance = {};
  rig.supplies[0] = mechanism.supply;
  Stepper& motor = mechanism.stepper();
  motor.rated_current = Current(1.654, units::A);
  motor.resistance = Resistance(2.42, units::ohm);
  motor.inductance = Inductance(5.83, units::mH);
  motor.holding_torque = Torque(0.3477, units::Nm);
  motor.detent_torque = Torque(0.015, units::Nm);
  motor.rotor_inertia = Inertia(6.1e-6, units::kg_m2);
  StepDirBoard& board = mechanism.step_dir();
  board.microstep_switches.reset();
  board.current_switches.reset();
  board.microsteps = 2;
  board.current = Current(1.44, units::A);
  board.stage.drop = Voltage(0.22, units::V);
  board.chopper_off_time = Time(22.7, units::us);
  Load& load = mechanism.load;
  load.inertia = Inertia(1.64e-5, units::kg_m2);
  load.coulomb_friction = load.stiction = Torque(0.011, units::Nm);
  load.viscous_friction = ViscousFriction(7.9e-5, units::Nm_s_per_rad);
  Limits limits;
  limits.speed = OutputSpeed(ExactAngularSpeed(Ratio(104, 10), units::turn_per_s));
  limits.acceleration = OutputAcceleration(ExactAngularAcceleration(466 * 360, units::deg_per_s2));
  limits.start_speed.kind = OutputKind::rotary;
  mechanism.limits = limits;
  mechanism.homing.reset();
  mechanism.hard_ends.reset();
  mechanism.sensors.clear();
  return rig;
}

TEST(MoveTrial, IsWhatTheEqualAreaRuleLeaves) {
  for (const double share : {0.5, 0.25}) {
    const Rig rig = ideal_rig(share);
    const MoveTrial trial = tried(rig, 60_mm);
    EXPECT_TRUE(trial.holds);
    // From rest in its field 0.725 of pull-out can be used; a rotor that still oscillates when braking begins
    // has less.
    const double most = 1.0 - share / 0.725 * (1.0 + trial_reserve);
    EXPECT_LT(trial.margin, most + 0.03);
    EXPECT_GT(trial.margin, most - 0.25);
    EXPECT_EQ(trial.phases, 3);
    EXPECT_NEAR(trial.fastest / trial.slowest, 1.05 / 0.95, 1e-9);
    if (testing_support::is_sanitized) return;  // the rest goes the same way through the code
  }
  EXPECT_FALSE(tried(ideal_rig(0.8), 60_mm).holds);
}

TEST(MoveTrial, OfLessTorqueIsOneOfMoreLoad) {
  const Mechanism traverse = demo_rig().mechanisms[0];
  const Mechanism weak = with_torque_share(traverse, 0.5);
  EXPECT_DOUBLE_EQ(moved_inertia(weak).base(), 2.0 * moved_inertia(traverse).base());
  EXPECT_DOUBLE_EQ(friction_torque(weak, 30.0), 2.0 * friction_torque(traverse, 30.0));
  EXPECT_DOUBLE_EQ(weak.stepper().detent_torque.base(), 2.0 * traverse.stepper().detent_torque.base());
  EXPECT_EQ(weak.stepper().torque_constant().base(), traverse.stepper().torque_constant().base());
}

TEST(MoveTrial, TellsAnInstabilityThatTheEstimateDoesNotSee) {
  const Rig rig = unstable_rig();
  const Mechanism& mechanism = rig.mechanisms[0];
  const MovePlan plan = move_by(rig, mechanism, OutputPosition(ExactAngle(7, units::turn)));
  EXPECT_GT(torque_margin(mechanism, plan.ramp), 0.2) << "begun in its field it holds";
  const MoveTrial trial = tried(rig, OutputPosition(ExactAngle(7, units::turn)));
  EXPECT_FALSE(trial.holds);
  EXPECT_LT(trial.margin, 0.0);
}

TEST(MoveTrial, LeavesOutOfALongCruiseWhatShowsNothingNew) {
  const Rig rig = demo_rig();
  const MoveTrial trial = tried(rig, testing_support::is_sanitized ? 100_mm : 3000_mm);
  if (testing_support::is_sanitized) return;  // the same way through the code, in a tenth of the time
  EXPECT_TRUE(trial.shortened);
  EXPECT_DOUBLE_EQ(trial.cruise_tried, 1.5);
  EXPECT_NEAR(trial.margin, tried(rig, 85_mm).margin, 0.06);
}

TEST(FastestTried, HasItsMarginOnTheBench) {
  const Rig rig = demo_rig();
  const Mechanism& traverse = rig.mechanisms[0];
  MoveOrder order;
  order.to = 20_mm;
  const TriedFastest fastest = fastest_tried(rig, traverse, 0_mm, order, 0.3);
  EXPECT_GE(fastest.trial.margin, 0.3);
  EXPECT_LT(fastest.move.seconds, plan_move(traverse, rig.controller, 0_mm, order).ramp.duration());
  // The same figures, tried again: a plan says of them what was said when they were proposed.
  Rig chosen = rig;
  chosen.mechanisms[0].limits.speed = fastest.move.speed;
  chosen.mechanisms[0].limits.acceleration = fastest.move.acceleration;
  EXPECT_DOUBLE_EQ(tried(chosen, 20_mm).margin, fastest.trial.margin);
}

TEST(FastestTried, ProposesNoRampThatIsAJump) {
  // One step: any acceleration does it.
  Rig rig = demo_rig();
  rig.mechanisms[0].limits.jerk.reset();
  const Mechanism& traverse = rig.mechanisms[0];
  MoveOrder order;
  order.to = OutputPosition(ExactLength(Ratio(1, 100), units::mm));
  const FastestMove fastest = fastest_tried(rig, traverse, 0_mm, order, 0.3).move;
  const double quarter = 0.25 / natural_frequency(traverse);
  EXPECT_GE(fastest.speed.base.to_double() / fastest.acceleration.base.to_double(), 0.99 * quarter);
}

TEST(SweepOfSpeeds, TrustsNoIsolatedSuccess) {
  const Rig rig = unstable_rig();
  const SweepResult sweep = sweep_limit(rig, rig.mechanisms[0], SweepOf::speed);
  std::size_t below = 0;
  for (const SweepTrial& trial : sweep.trials) {
    if (trial.value > sweep.found) continue;
    ++below;
    EXPECT_TRUE(trial.holds) << trial.value << " lost, and " << sweep.found << " was headlined";
  }
  EXPECT_GE(below, 8u);
}

}  // namespace
}  // namespace cogstride::move_trial_test
