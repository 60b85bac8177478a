#include "cogstride/plan/stepper_torque.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/demo_rig.hpp"

namespace cogstride::stepper_torque_test {
namespace {

Mechanism traverse() {
  return testing_support::demo_rig().mechanisms[0];
}

// Against the oscillation itself, integrated: a unit rotor under a unit sine of torque and a constant load.
bool survives(double load, double jump_energy) {
  double angle = 0.0;
  double speed = -std::sqrt(2.0 * jump_energy);
  for (int i = 0; i < 200'000; ++i) {
    speed += (-std::sin(angle) - load) * 1e-4;
    angle += speed * 1e-4;
    if (speed > 0.0) return true;
    if (angle < -pi) return false;
  }
  return true;
}

TEST(StepperTorque, EqualAreaRuleAgreesWithTheSwing) {
  EXPECT_NEAR(usable_share_of_pull_out(0.0), 0.725, 0.0005);
  EXPECT_EQ(usable_share_of_pull_out(2.0), 0.0);
  for (const double energy : {0.0, 0.1, 0.5, 1.0, 1.5}) {
    const double share = usable_share_of_pull_out(energy);
    EXPECT_TRUE(survives(share - 0.003, energy)) << energy;
    EXPECT_FALSE(survives(share + 0.003, energy)) << energy;
  }
}

TEST(StepperTorque, IsTheSetCurrentsUntilTheSupplyRunsOut) {
  const Mechanism mechanism = traverse();
  const double k = mechanism.stepper().torque_constant().base();
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
  // The plant's first loss, found by bisection: at 2526 mm/s2 from rest, at 2362 with a jump to 4 mm/s first.
  Mechanism mechanism = traverse();
  EXPECT_NEAR(usable_acceleration(mechanism, 0.060) * 1000, 2362, 0.05 * 2362);
  mechanism.limits.start_speed = {OutputKind::linear, 0};
  EXPECT_NEAR(usable_acceleration(mechanism, 0.060) * 1000, 2526, 0.05 * 2526);
  EXPECT_NEAR(natural_frequency(traverse()), std::sqrt(50 * 0.3182 / 7.6e-5) / (2 * pi), 0.05);
  EXPECT_NEAR(shaft_speed(traverse(), 0.006), 2 * pi, 1e-12) << "6 mm a motor turn";
}

TEST(StepperTorque, LeavesNothingWhenFrictionIsTooMuch) {
  Mechanism mechanism = traverse();
  mechanism.load.coulomb_friction = Torque(0.4, units::Nm);
  EXPECT_EQ(usable_acceleration(mechanism, 0.060), 0.0);
  EXPECT_EQ(pull_in_speed(mechanism), 0.0);
}

TEST(Load, CountsACarriedMassThroughTheScrew) {
  Mechanism lift = traverse();
  lift.load.carried_mass = Mass::from_base(4.0);
  const double way = 0.008 * 18 / 24 / (2 * pi);  // m for a radian of the shaft
  EXPECT_NEAR(moved_inertia(lift).base(), 7.6e-5 + 4 * way * way, 1e-12);
  EXPECT_EQ(steady_load(lift).base(), 0.0) << "level";
  lift.load.rise = Angle(90, units::deg);
  EXPECT_NEAR(steady_load(lift).base(), 4 * 9.80665 * way, 1e-9);
  lift.load.screw_efficiency = ExactFraction::from_base(Ratio(2, 5));
  EXPECT_NEAR(steady_load(lift).base(), 4 * 9.80665 * way / 0.4, 1e-9);
  EXPECT_NEAR(friction_torque(lift, 0.0), 0.020 + 4 * 9.80665 * way / 0.4, 1e-9);
  EXPECT_LT(usable_acceleration(lift, 0.06), 0.8 * usable_acceleration(traverse(), 0.06));
}

}  // namespace
}  // namespace cogstride::stepper_torque_test
