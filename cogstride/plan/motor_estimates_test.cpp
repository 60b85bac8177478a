#include "cogstride/plan/motor_estimates.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "support/demo_rig.hpp"

namespace cogstride::motor_estimates_test {
namespace {

Mechanism demo(const char* name) {
  return mechanism_named(testing_support::demo_rig(), name);
}

// What a textbook says of a permanent-magnet motor at rest, running free, and between.
TEST(MotorEstimates, OfABrushedMotorLieOnTheStraightLineOfTorqueAndSpeed) {
  Mechanism feeder = demo("feeder");
  feeder.limits.current.reset();
  feeder.load = {.inertia = feeder.load.inertia};
  const RotaryMotorModel model = model_of(feeder);
  const double stall = 0.0625 * 24.0 / 2.85;
  const double free_speed = 24.0 / 0.0625;
  for (const double share : {0.0, 0.2, 0.5, 0.9, 1.0})
    EXPECT_NEAR(torque_left(model, share * free_speed), stall * (1.0 - share), 1e-12);
  EXPECT_EQ(duty_for(model, free_speed), 1.0);
  EXPECT_NEAR(duty_for(model, 0.5 * free_speed), 0.5, 1e-12);
}

TEST(MotorEstimates, DutyForASpeedLeavesNoTorqueAtThatShareOfTheSupply) {
  for (const char* const name : {"feeder", "spindle"}) {
    RotaryMotorModel model = model_of(demo(name));
    model.current_limit = INFINITY;
    for (const double speed : {20.0, 90.0, 180.0}) {
      RotaryMotorModel lowered = model;
      lowered.supply = model.supply * duty_for(model, speed);
      EXPECT_NEAR(torque_left(lowered, speed), 0.0, 1e-9) << name << " at " << speed;
    }
  }
}

// Torque and loss of three phases, summed over a turn, phase by phase.
TEST(MotorEstimates, OfASineMotorAreThoseOfItsThreePhases) {
  const Mechanism spindle = demo("spindle");
  const RotaryMotorModel model = model_of(spindle);
  const double peak = 3.0;  // A
  const double phase_constant = 0.06 / std::sqrt(3.0);
  double torque = 0.0;
  double loss = 0.0;
  constexpr int parts = 3600;
  for (int i = 0; i < parts; ++i) {
    const double angle = 2.0 * pi * i / parts;
    for (int phase = 0; phase < 3; ++phase) {
      const double wave = std::sin(angle - 2.0 * pi * phase / 3.0);
      torque += phase_constant * wave * peak * wave / parts;
      loss += peak * wave * peak * wave * (0.42 / 2.0) / parts;
    }
  }
  EXPECT_NEAR(model.torque_per_ampere * peak, torque, 1e-9);
  EXPECT_NEAR(model.winding_loss * peak * peak, loss, 1e-9);
}

TEST(MotorEstimates, OfATrapezoidTwoPhasesCarryTheCurrent) {
  Mechanism spindle = demo("spindle");
  std::get<BrushlessMotor>(spindle.motor).back_emf = BrushlessMotor::BackEmf::trapezoid;
  const RotaryMotorModel model = model_of(spindle);
  EXPECT_NEAR(model.torque_per_ampere, 0.06, 1e-12);
  EXPECT_NEAR(model.winding_loss, 0.42, 1e-12);
  EXPECT_EQ(model.reactance_per_rad, 0.0);
}

// Against integrating the motion step by step.
TEST(MotorEstimates, SpinDownIsThatOfTheMotionItself) {
  const RotaryMotorModel model = model_of(demo("feeder"));
  for (const SlowsBy slows_by : {SlowsBy::coasting, SlowsBy::braking}) {
    for (const double from : {50.0, 298.0}) {
      const double brake =
          slows_by == SlowsBy::braking ? model.torque_per_ampere * model.emf / model.resistance : 0.0;
      double speed = from;
      double time = 0.0;
      constexpr double step = 1e-5;
      while (speed > 0.0) {
        speed -= step * (model.coulomb + (model.viscous + brake) * speed) / model.inertia;
        time += step;
      }
      EXPECT_NEAR(spin_down_time(model, from, slows_by), time, 1e-3 * time + 2e-5);
    }
  }
}

TEST(MotorEstimates, WithoutFrictionItCoastsForEver) {
  RotaryMotorModel model = model_of(demo("feeder"));
  model.coulomb = 0.0;
  model.viscous = 0.0;
  EXPECT_TRUE(std::isinf(spin_down_time(model, 100.0, SlowsBy::coasting)));
  EXPECT_LT(spin_down_time(model, 100.0, SlowsBy::braking), 1.0);
  model.coulomb = 0.01;
  EXPECT_NEAR(spin_down_time(model, 100.0, SlowsBy::coasting), model.inertia * 100.0 / 0.01, 1e-12);
}

TEST(MotorEstimates, CoastsAsItsEquationOfMotionSays) {
  RotaryMotorModel model = model_of(demo("feeder"));
  for (const double viscous : {0.0, 2e-5, 1e-3}) {
    model.viscous = viscous;
    double w = 300.0;
    const double step = 1e-6;
    for (int i = 0; i < 400'000; ++i) {
      if (i % 50'000 == 0) {
        EXPECT_NEAR(coasted(model, 300.0, i * step), w, 0.02) << viscous << " " << i;
      }
      w = std::max(0.0, w - step * (model.coulomb + viscous * w) / model.inertia);
    }
    const double stands = spin_down_time(model, 300.0, SlowsBy::coasting);
    EXPECT_GT(coasted(model, 300.0, 0.999 * stands), 0.0);
    EXPECT_NEAR(coasted(model, 300.0, stands), 0.0, 1e-9);
    EXPECT_EQ(coasted(model, 300.0, 2.0 * stands), 0.0);
  }
}

TEST(MotorEstimates, SettlesAtTheSpeedThatItsDutyIsFor) {
  const RotaryMotorModel model = model_of(demo("feeder"));
  for (const double w : {10.0, 100.0, 298.451})
    EXPECT_NEAR(speed_by_duty(model, duty_for(model, w)), w, 1e-9 * w);
  EXPECT_EQ(speed_by_duty(model, 0.05), 0.0);
}

TEST(MotorEstimates, StartDutyBreaksStictionAndTensionLoose) {
  const RotaryMotorModel model = model_of(demo("feeder"));
  // 0.030 + 0.042 N m, 0.0625 N m/A, 2.85 ohm, 24 V
  EXPECT_NEAR(start_duty(model), 0.072 / 0.0625 * 2.85 / 24.0, 1e-12);
  EXPECT_NEAR(load_torque(model, 298.451), 0.016 + 2e-5 * 298.451 + 0.042, 1e-12);
}

TEST(MotorEstimates, AreNotForMotorsThatStep) {
  EXPECT_THROW((void)model_of(demo("traverse")), RangeError);
  EXPECT_THROW((void)model_of(demo("snips")), RangeError);
}

}  // namespace
}  // namespace cogstride::motor_estimates_test
