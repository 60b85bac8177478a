#include "cogstride/plan/rotor_lag.hpp"

#include <gtest/gtest.h>

#include "cogstride/plan/fastest.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::rotor_lag_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

/// The traverse without friction, detent and start speed: what textbooks solve.
Mechanism ideal_traverse() {
  Mechanism traverse = demo_rig().mechanisms[0];
  traverse.load.coulomb_friction = {};
  traverse.load.viscous_friction = {};
  traverse.limits.start_speed = 0_mm_per_s;
  traverse.limits.jerk.reset();
  auto motor = traverse.stepper();
  motor.detent_torque = {};
  traverse.motor = motor;
  return traverse;
}

/// A run-up to a speed at which the torque is still whole, with the share of pull-out that it asks for.
Ramp run_up(const Mechanism& traverse, double share, double speed = 16'000, double rise_time = 0.0) {
  RampLimits limits = own_limits(traverse);
  limits.speed = speed;
  const double torque = available_torque(traverse, 0.0);
  limits.acceleration = share * torque / traverse.load.inertia.base() / shaft_speed(traverse, 1.0) *
                        steps_per_base(traverse).to_double();
  if (rise_time > 0.0) limits.jerk = limits.acceleration / rise_time;
  return plan_speed({}, limits.speed, limits);
}

TEST(RotorLag, ObeysTheEqualAreaRule) {
  const Mechanism traverse = ideal_traverse();
  EXPECT_TRUE(follow(traverse, run_up(traverse, 0.715)).holds);
  EXPECT_FALSE(follow(traverse, run_up(traverse, 0.735)).holds);
}

TEST(RotorLag, OfASoftRampIsTheStaticOneTwice) {
  // A small step of torque takes it to twice its place of rest: sin(lag) = share.
  const Mechanism traverse = ideal_traverse();
  const RotorLag lag = follow(traverse, run_up(traverse, 0.05, 2000));
  EXPECT_NEAR(lag.worst, 2 * std::asin(0.05) * 180 / pi, 0.2);
}

TEST(RotorLag, IsSparedTheSwingByALimitOnJerk) {
  // A torque that rises over two whole natural periods leaves no oscillation behind.
  const Mechanism traverse = ideal_traverse();
  const double jump = follow(traverse, run_up(traverse, 0.2, 12'000)).worst;
  const double soft = follow(traverse, run_up(traverse, 0.2, 12'000, 2 / natural_frequency(traverse))).worst;
  EXPECT_NEAR(soft, std::asin(0.2) * 180 / pi, 3.0);
  EXPECT_GT(jump, 1.6 * soft);
}

TEST(RotorLag, CountsWeightAgainstTheMotion) {
  Mechanism traverse = ideal_traverse();
  const Ramp up = run_up(traverse, 0.3);
  const double level = torque_margin(traverse, up);
  traverse.load.steady_torque = Torque(0.1 * available_torque(traverse, 0.0), units::Nm);
  EXPECT_LT(torque_margin(traverse, up), level - 0.08);
}

TEST(TorqueMargin, IsTheShareThatTheEqualAreaRuleLeaves) {
  const Mechanism traverse = ideal_traverse();
  const double margin = torque_margin(traverse, run_up(traverse, 0.4));
  EXPECT_NEAR(margin, 1.0 - 0.4 / 0.725 - margin_for_what_differs, 0.03);
  EXPECT_NEAR(torque_margin(traverse, run_up(traverse, 1.0)), 1.0 - 1.0 / 0.725 - margin_for_what_differs,
              0.03);
  EXPECT_LT(torque_margin(traverse, run_up(traverse, 20.0)), -4.0);
}

TEST(FastestMove, KeepsItsMarginAndIsFasterThanAnyOtherSpeed) {
  const Rig rig = demo_rig();
  for (const std::size_t which : {0u, 1u}) {
    const Mechanism& mechanism = rig.mechanisms[which];
    const std::int64_t way = which == 0 ? 20'000 : 322;
    for (const double margin : {0.1, 0.4}) {
      const FastestMove fastest = fastest_move(mechanism, rig.controller, way, margin);
      RampLimits limits = own_limits(mechanism);
      limits.speed = steps_per_time(mechanism, fastest.speed);
      limits.acceleration = steps_per_time(mechanism, fastest.acceleration);
      EXPECT_NEAR(plan_ramp({}, way, limits).duration(), fastest.seconds, 1e-12);
      EXPECT_GT(torque_margin(mechanism, plan_ramp({}, way, limits)), margin - 1e-9);
      for (const double faster : {0.7, 1.3}) {
        RampLimits other = limits;
        other.speed *= faster;
        other.acceleration = limits.acceleration / faster;
        const Ramp ramp = plan_ramp({}, way, other);
        if (torque_margin(mechanism, ramp) >= margin) {
          EXPECT_GT(ramp.duration(), 0.97 * fastest.seconds);
        }
      }
    }
  }
}

TEST(FastestMove, RefusesWhatCannotBe) {
  Rig rig = demo_rig();
  EXPECT_THROW((void)fastest_move(rig.mechanisms[0], rig.controller, 0, 0.3), RangeError);
  EXPECT_THROW((void)fastest_move(rig.mechanisms[0], rig.controller, 100, 0.95), RangeError);
  EXPECT_THROW((void)fastest_move(rig.mechanisms[2], rig.controller, 100, 0.3), RangeError);
  rig.mechanisms[0].load.coulomb_friction = Torque(0.4, units::Nm);
  EXPECT_THROW((void)fastest_move(rig.mechanisms[0], rig.controller, 100, 0.3), RangeError);
}

}  // namespace
}  // namespace cogstride::rotor_lag_test
