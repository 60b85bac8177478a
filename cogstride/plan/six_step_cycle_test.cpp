#include "cogstride/plan/six_step_cycle.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::six_step_cycle_test {
namespace {

Mechanism spindle() {
  return mechanism_named(testing_support::demo_rig(), "spindle");
}

// What the supply gives is work of the shaft and heat of all phases, whatever the commutations do.
TEST(SixStepCycle, KeepsEnergy) {
  for (const bool is_sine : {true, false}) {
    for (const bool complementary : {true, false}) {
      SixStepParts parts = *with_commutations(spindle()).six_steps;
      parts.is_sine = is_sine;
      parts.complementary = complementary;
      parts.drop = 0.0;
      for (const double speed : {60.0, 188.0}) {
        const SwitchedCurrent cycle = six_step_cycle(parts, 0.7, speed);
        const double volts = parts.supply - parts.supply_resistance * std::max(0.0, cycle.from_supply);
        const double work = cycle.torque * speed;
        const double heat = 2.0 * (parts.resistance + parts.stage_resistance) * cycle.square;
        // A diode takes 0.7 V in the rest of periods, and of what a phase hands over.
        const double diodes = complementary ? 0.0 : 0.7 * cycle.freewheels;
        EXPECT_NEAR(volts * cycle.from_supply, work + heat + diodes, 0.03 * (work + heat))
            << is_sine << complementary << speed;
      }
    }
  }
}

// Where a sector lasts for many time constants, the two phases in series are all there is.
TEST(SixStepCycle, AtLowSpeedsIsThatOfTwoPhasesInSeries) {
  Mechanism motor = spindle();
  std::get<GateWiring>(motor.wiring).complementary = true;
  std::get<BrushlessMotor>(motor.motor).back_emf = BrushlessMotor::BackEmf::trapezoid;
  std::get<BrushlessMotor>(motor.motor).inductance = Inductance(0.05, units::mH);
  RotaryMotorModel plain = model_of(motor);
  const RotaryMotorModel followed = with_commutations(motor);
  const double speed = 40.0;
  for (const double duty : {0.2, 0.5}) {
    const SwitchedCurrent one = switched_current(plain, duty, speed);
    const SwitchedCurrent other = six_step_cycle(*followed.six_steps, duty, speed);
    EXPECT_NEAR(other.torque, one.torque, 0.02 * one.torque) << duty;
    EXPECT_NEAR(other.square, one.square, 0.03 * one.square) << duty;
  }
}

// A phase takes its time to hand its current over: the more of a sector, the less torque is left.
TEST(SixStepCycle, LosesTorqueToItsCommutations) {
  Mechanism motor = spindle();
  double before = 1.0;
  for (const double times : {1.0, 3.0, 9.0}) {
    std::get<BrushlessMotor>(motor.motor).inductance = Inductance(0.31 * times, units::mH);
    const double share = switched_current(with_commutations(motor), 1.0, 188.0).torque /
                         switched_current(model_of(motor), 1.0, 188.0).torque;
    EXPECT_LT(share, before);
    before = share;
  }
  EXPECT_LT(before, 0.8);
}

TEST(SixStepCycle, TheDutyForASpeedTurnsItWithIt) {
  const RotaryMotorModel model = with_commutations(spindle());
  const double duty = duty_for(model, 188.0);
  EXPECT_NEAR(speed_by_duty(model, duty), 188.0, 1.0);
}

}  // namespace
}  // namespace cogstride::six_step_cycle_test
