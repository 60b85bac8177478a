#include "cogstride/plan/stepper_torque.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/demo_rig.hpp"

namespace cogstride {
namespace {

Mechanism traverse() {
  return testing_support::demo_rig().mechanisms[0];
}

TEST(StepperTorque, EqualAreaRuleGivesItsUsableShare) {
  double low = 0.1;
  double high = 1.0;
  for (int i = 0; i < 60; ++i) {
    const double share = 0.5 * (low + high);
    const double x = std::asin(share);
    (1.0 + std::cos(x) - share * (pi - x) > 0.0 ? low : high) = share;
  }
  EXPECT_NEAR(low, usable_share_of_pull_out, 0.0005);
}

TEST(StepperTorque, IsTheSetCurrentsUntilTheSupplyRunsOut) {
  const Mechanism mechanism = traverse();
  const double k = mechanism.motor.torque_constant().base();
  EXPECT_NEAR(available_torque(mechanism, 0.0), k * 1.6, 1e-12);
  EXPECT_NEAR(available_torque(mechanism, shaft_speed(mechanism, 0.060)), k * 1.6, 1e-12)
      << "60 mm/s is no strain";
  double last = 1.0;
  for (double speed = 0.0; speed < 2000.0; speed += 10.0) {
    const double torque = available_torque(mechanism, speed);
    ASSERT_LE(torque, last);
    ASSERT_GE(torque, 0.0);
    last = torque;
  }
  EXPECT_LT(available_torque(mechanism, 10'000.0), 0.01);
}

TEST(StepperTorque, OfTheTraverseAgreesWithWhereItsPlantLosesSteps) {
  // The simulated loss begins at 2493 mm/s2 (bench_test.cpp finds it by bisection).
  EXPECT_NEAR(usable_acceleration(traverse(), 0.060) * 1000, 2493, 0.05 * 2493);
  EXPECT_NEAR(natural_frequency(traverse()), std::sqrt(50 * 0.3182 / 7.6e-5) / (2 * pi), 0.05);
  EXPECT_NEAR(shaft_speed(traverse(), 0.006), 2 * pi, 1e-12) << "6 mm a motor turn";
}

TEST(StepperTorque, LeavesNothingWhenFrictionIsTooMuch) {
  Mechanism mechanism = traverse();
  mechanism.load.coulomb_friction = Torque(0.4, units::Nm);
  EXPECT_EQ(usable_acceleration(mechanism, 0.060), 0.0);
  EXPECT_EQ(pull_in_speed(mechanism), 0.0);
}

}  // namespace
}  // namespace cogstride
