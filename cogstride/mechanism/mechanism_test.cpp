#include "cogstride/mechanism/mechanism.hpp"

#include <gtest/gtest.h>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride {
namespace {

using namespace literals;

Mechanism traverse() {
  Mechanism mechanism{.name = "traverse"};
  mechanism.motor.full_steps = 200;
  mechanism.board.microsteps = 8;
  mechanism.train = {{Belt{18, 24}, Screw{8_mm}}};
  return mechanism;
}

TEST(Train, OfTheTraverseGives800ThirdsStepsAMillimetre) {
  EXPECT_EQ(steps_per_base(traverse()), Ratio(800'000, 3));
  EXPECT_EQ(output_kind(traverse().train), OutputKind::linear);
}

TEST(Train, OfTheCreelIsItsTeethAndNotAsSold) {
  const Train creel{{GearPair{10, 34}, GearPair{9, 29}, GearPair{11, 35}, GearPair{12, 37}}};
  EXPECT_EQ(motor_turns_per_base(creel), Ratio(127687, 1188));
  EXPECT_NE(motor_turns_per_base(creel), Ratio(215, 2));
  EXPECT_EQ(output_kind(creel), OutputKind::rotary);
}

TEST(Train, RefusesWhatCannotTurn) {
  EXPECT_THROW((void)motor_turns_per_base({{Screw{8_mm}, Belt{1, 2}}}), RangeError);
  EXPECT_THROW((void)motor_turns_per_base({{Belt{0, 2}}}), RangeError);
  EXPECT_THROW((void)motor_turns_per_base({{Screw{0_mm}}}), RangeError);
}

TEST(Mechanism, StepsAreTheRoundedImageOfAPosition) {
  EXPECT_EQ(step_at(traverse(), 3_mm), 800);
  EXPECT_EQ(step_at(traverse(), 1_mm), 267);
  EXPECT_EQ(step_at(traverse(), -0.992_mm), -265);
  EXPECT_EQ(step_at(traverse(), -0.958_mm), -255);
  EXPECT_DOUBLE_EQ(steps_per_time(traverse(), OutputSpeed(60_mm_per_s)), 16'000);
}

TEST(Mechanism, TellsMillimetresFromDegrees) {
  EXPECT_THROW((void)step_at(traverse(), 90_deg), RangeError);
  Mechanism ring = traverse();
  ring.train = {{GearPair{10, 34}}};
  EXPECT_EQ(step_at(ring, 1_turn), 5440);
  EXPECT_THROW((void)step_at(ring, 1_mm), RangeError);
}

TEST(OutputAmount, IsShownExactlyWhereADecimalIs) {
  EXPECT_EQ(to_text(OutputPosition(-0.992_mm)), "-0.992 mm");
  EXPECT_EQ(to_text(OutputSpeed(600_rpm)), "3600 deg/s");
  EXPECT_EQ(to_text(OutputPosition(OutputKind::linear, Ratio(1, 3000))), "0.333333 mm");
  EXPECT_EQ(parse_output<1>("40 mm/s"), OutputSpeed(40_mm_per_s));
  EXPECT_EQ(parse_output<0>("0.25 turn"), OutputPosition(90_deg));
  EXPECT_THROW((void)parse_output<0>("40 mm/s"), TextError);
}

TEST(Ticks, ProtectiveTimesRoundUp) {
  EXPECT_EQ(ticks_at_least(2.2_us, 48_MHz), 106);
  EXPECT_EQ(ticks_at_least(5_us, 48_MHz), 240);
  EXPECT_EQ(ticks_at_least(0_us, 48_MHz), 0);
}

TEST(BipolarStepper, HoldsWithBothWindingsAtRightAngles) {
  const BipolarStepper motor{.rated_current = 1.6_A, .holding_torque = 0.45_Nm};
  EXPECT_NEAR(motor.torque_constant().in(units::Nm_per_A), 0.199, 0.0005);
}

}  // namespace
}  // namespace cogstride
