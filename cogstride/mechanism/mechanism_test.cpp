#include "cogstride/mechanism/mechanism.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride::mechanism_test {
namespace {

using namespace literals;

Mechanism traverse() {
  Mechanism mechanism{.name = "traverse"};
  mechanism.stepper().full_steps = 200;
  mechanism.step_dir().microsteps = 8;
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

TEST(Stepper, HoldsWithBothWindingsAtRightAngles) {
  const Stepper motor{.rated_current = 1.6_A, .holding_torque = 0.45_Nm};
  EXPECT_NEAR(motor.torque_constant().in(units::Nm_per_A), 0.199, 0.0005);
}

TEST(Stepper, WithItsHalvesInSeriesOrInParallelLosesAndHoldsTheSame) {
  Stepper motor{.leads = 8,
                .halves = Stepper::Halves::one,
                .rated_current = 1_A,
                .resistance = 3_ohm,
                .inductance = 4_mH,
                .holding_torque = 0.3_Nm};
  const auto loss = [&] {
    const StepperWinding winding = motor.winding();
    return winding.rated_current.base() * winding.rated_current.base() * winding.resistance.base();
  };
  const auto hold = [&] { return (motor.torque_constant() * motor.winding().rated_current).in(units::Nm); };
  const double one_loss = loss();
  const double one_hold = hold();
  for (const Stepper::Halves halves : {Stepper::Halves::series, Stepper::Halves::parallel}) {
    motor.halves = halves;
    EXPECT_NEAR(loss(), one_loss, 1e-12);
    EXPECT_NEAR(hold(), std::sqrt(2.0) * one_hold, 1e-12) << "of both halves at the loss of one";
  }
  // Four times the inductance in series: the textbook's reason to join halves in parallel for speed.
  motor.halves = Stepper::Halves::series;
  EXPECT_NEAR(motor.winding().inductance.in(units::mH), 16.0, 1e-12);
}

TEST(Station, IsAnExactPartOfTheTurnOrTheTravel) {
  Mechanism ring{.name = "creel"};
  ring.train = {{GearPair{10, 34}}};
  ring.limits.stations = 7;
  EXPECT_EQ(station_at(ring, 3), OutputPosition(OutputKind::rotary, Ratio(3, 7)));
  EXPECT_THROW((void)station_at(ring, 7), RangeError);
  Mechanism shuttle = traverse();
  EXPECT_THROW((void)station_at(shuttle, 0), RangeError);
  shuttle.limits.stations = 5;
  shuttle.limits.travel_from = 10_mm;
  shuttle.limits.travel_to = 90_mm;
  EXPECT_EQ(station_at(shuttle, 4), OutputPosition(90_mm)) << "the last is the end of the travel";
  EXPECT_EQ(station_at(shuttle, 1), OutputPosition(30_mm));
}

TEST(Encoder, CountsThroughTheTrainWhenItSitsOnTheMotor) {
  Mechanism feeder{.name = "feeder"};
  feeder.train = {{GearPair{4, 19}}};
  Encoder encoder{.lines_per_turn = 12};
  EXPECT_EQ(counts_per_base(feeder, encoder), Ratio(228)) << "12 lines, 4 counts each, 19:4";
  encoder.after_stages = 1;
  encoder.counts_backwards = true;
  EXPECT_EQ(counts_per_base(feeder, encoder), Ratio(-48));
}

}  // namespace
}  // namespace cogstride::mechanism_test
