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
  feeder.supply.resistance = {};
  const RotaryMotorModel model = model_of(feeder);
  const double stall = 0.0625 * 24.0 / 2.85;
  const double free_speed = 24.0 / 0.0625;
  for (const double share : {0.0, 0.2, 0.5, 0.9, 1.0})
    EXPECT_NEAR(torque_left(model, share * free_speed), stall * (1.0 - share), 1e-12);
  // Torque falls evenly to the free speed:  w = w0 (1 - exp(-t T0 / (J w0))).
  const double constant = model.inertia * free_speed / stall;
  for (const double share : {0.2, 0.5, 0.9})
    EXPECT_NEAR(run_up_time(model, share * free_speed), -constant * std::log(1.0 - share), 2e-4 * constant);
  EXPECT_TRUE(std::isinf(run_up_time(model, 1.01 * free_speed)));
  EXPECT_EQ(duty_for(model, free_speed), 1.0);
  EXPECT_NEAR(duty_for(model, 0.5 * free_speed), 0.5, 1e-12);
}

/// Mean, mean square and peak of the current of a switched motor at a steady speed, by small steps, after it
/// has settled.
SwitchedCurrent integrated(const RotaryMotorModel& model, double duty, double emf) {
  constexpr int parts = 4000;  // of a period
  const double step = model.period / parts;
  const int periods = static_cast<int>(12.0 * model.inductance / model.resistance / model.period) + 60;
  double current = 0.0;
  double volts = model.supply;  // at the board, its capacitor large
  SwitchedCurrent found;
  for (int period = 0; period < periods; ++period) {
    found = {};
    for (int i = 0; i < parts; ++i) {
      const bool is_driven = (i + 0.5) / parts < duty - (duty < 1.0 ? model.dead / model.period : 0.0);
      const double before = current;
      const double across = is_driven ? volts - model.drop : -(model.off_supply * volts + model.off_drop);
      const auto slope = [&](double at) { return (across - emf - model.resistance * at) / model.inductance; };
      current += step * slope(current + 0.5 * step * slope(current));
      if (model.by_diodes && !is_driven) current = std::max(0.0, current);
      if (model.by_diodes && is_driven && current < 0.0) current = 0.0;
      const double mean = 0.5 * (before + current);
      found.mean += mean / parts;
      found.square += mean * mean / parts;
      found.highest = std::max(found.highest, current);
      found.from_supply += (is_driven ? mean : -model.off_supply * mean) / parts;
    }
    const double sagged = model.supply - model.supply_resistance * std::max(0.0, found.from_supply);
    volts += 0.2 * (sagged - volts);
  }
  return found;
}

TEST(MotorEstimates, OfASwitchedCurrentAreThoseOfItsPeriods) {
  RotaryMotorModel model = model_of(demo("feeder"));
  for (const double inductance : {1.9e-3, 0.1e-3}) {
    for (const bool diodes : {false, true}) {
      for (const double back : {0.0, 1.0}) {
        if (!diodes && back > 0.0) continue;
        model.inductance = inductance;
        model.by_diodes = diodes;
        model.off_supply = back;
        model.off_drop = diodes ? 2.0 * 0.7 : 0.3;
        model.drop = 0.3;
        model.supply_resistance = 0.2;
        for (const double duty : {0.15, 0.5, 0.8}) {
          for (const double emf : {0.0, 6.0}) {
            const SwitchedCurrent told = switched_current(model, duty, emf / model.emf);
            if (told.mean < 0.0) continue;  // a supply takes nothing back: that is pumping
            const SwitchedCurrent slow = integrated(model, duty, emf);
            const double near = 2e-3 * slow.highest + 1e-6;
            EXPECT_NEAR(told.mean, slow.mean, near) << inductance << " " << diodes << back << duty << emf;
            EXPECT_NEAR(std::sqrt(told.square), std::sqrt(slow.square), near);
            EXPECT_NEAR(told.highest, slow.highest, near);
            EXPECT_NEAR(told.from_supply, slow.from_supply, near);
          }
        }
      }
    }
  }
}

TEST(MotorEstimates, TheDutyForACurrentDrivesIt) {
  for (const char* const name : {"feeder", "spindle"}) {
    RotaryMotorModel model = model_of(demo(name));
    for (const bool diodes : {false, true}) {
      model.by_diodes = diodes;
      model.off_supply = diodes ? 1.0 : 0.0;
      model.dead = diodes ? 0.0 : 1e-6;
      for (const double amperes : {0.05, 0.4, 2.0}) {
        for (const double emf : {0.0, 5.0}) {
          const double duty = duty_for_torque(model, model.torque_per_ampere * amperes, emf / model.emf);
          EXPECT_LT(duty, 1.0);
          EXPECT_NEAR(switched_current(model, duty, emf / model.emf).mean, amperes, 1e-3 * amperes)
              << name << diodes << emf;
        }
      }
    }
  }
}

// What the supply gives is work and heat.
TEST(MotorEstimates, OfASwitchedCurrentKeepEnergy) {
  RotaryMotorModel model = model_of(demo("feeder"));
  model.inductance = 0.2e-3;
  for (const bool diodes : {false, true}) {
    model.by_diodes = diodes;
    model.off_supply = diodes ? 1.0 : 0.0;
    model.drop = model.off_drop = 0.6;
    for (const double duty : {0.3, 0.6, 0.9}) {
      const SwitchedCurrent current = switched_current(model, duty, 3.0 / model.emf);
      const double volts = model.supply - model.supply_resistance * std::max(0.0, current.from_supply);
      EXPECT_NEAR(volts * current.from_supply, (3.0 + 0.6) * current.mean + model.resistance * current.square,
                  1e-6)
          << diodes << duty;
    }
  }
}

// The four-channel board lets its motor go between: what breaks it loose is far more than with slow decay.
TEST(MotorEstimates, FastDecayCountsInWhatStartsAMotor) {
  RotaryMotorModel model = model_of(demo("feeder"));
  model.supply_resistance = 0.0;
  const double slow = start_duty(model);
  model.by_diodes = true;
  model.off_supply = 1.0;
  model.off_drop = 0.0;
  const double fast = start_duty(model);
  EXPECT_GT(fast, 2.0 * slow);
  // A current that never comes to an end would take (1 + R I / V) / 2.
  const double amperes = (model.stiction + model.steady) / model.torque_per_ampere;
  EXPECT_LE(fast, 0.5 * (1.0 + model.resistance * amperes / model.supply) + 1e-9);
}

// Two phases in series; the mean of a sine of the line over the sixth of a turn about its top.
TEST(MotorEstimates, OfSixStepsAreThoseOfTwoPhases) {
  Mechanism spindle = demo("spindle");
  double mean = 0.0;
  constexpr int parts = 3600;
  for (int i = 0; i < parts; ++i) mean += 0.06 * std::cos(pi / 3.0 * ((i + 0.5) / parts - 0.5)) / parts;
  EXPECT_NEAR(model_of(spindle).torque_per_ampere, mean, 1e-7);
  EXPECT_NEAR(model_of(spindle).winding_loss, 0.42, 1e-12);
  std::get<BrushlessMotor>(spindle.motor).back_emf = BrushlessMotor::BackEmf::trapezoid;
  EXPECT_NEAR(model_of(spindle).torque_per_ampere, 0.06, 1e-12);
}

TEST(MotorEstimates, CarryTheMassAlong) {
  Mechanism lift = demo("feeder");
  lift.train.stages = {Screw{ExactLength(Ratio(10), units::mm)}};
  lift.load.carried_mass = Mass(5.0, units::kg);
  lift.load.rise = Angle(90.0, units::deg);
  const RotaryMotorModel model = model_of(lift);
  const double way = 0.01 / (2.0 * pi);
  EXPECT_NEAR(model.inertia, lift.load.inertia.base() + 5.0 * way * way, 1e-12);
  EXPECT_NEAR(model.steady, lift.load.steady_torque.base() + 5.0 * 9.80665 * way, 1e-9);
  lift.load.most_inertia = lift.load.inertia * 3.0;
  EXPECT_NEAR(model_of(lift).inertia, 3.0 * lift.load.inertia.base() + 5.0 * way * way, 1e-12);
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
    EXPECT_NEAR(speed_by_duty(model, duty_for(model, w)), w, 1e-5 * w);
  EXPECT_EQ(speed_by_duty(model, 0.05), 0.0);
}

TEST(MotorEstimates, StartDutyBreaksStictionAndTensionLoose) {
  const RotaryMotorModel model = model_of(demo("feeder"));
  // 0.030 + 0.042 N m, 0.0625 N m/A, 2.85 ohm; 24 V less what duty times current lose in 60 milliohm.
  const double amperes = 0.072 / 0.0625;
  const double duty = start_duty(model);
  const double mean = amperes - 0.5 * duty * (1.0 - duty) * 24.0 * 50e-6 / 1.9e-3;
  EXPECT_NEAR(duty * (24.0 - 0.06 * duty * mean), 2.85 * mean, 2e-3) << "by the peak of its ripple";
  EXPECT_NEAR(switched_current(model, duty, 0.0).highest, amperes, 1e-6);
  // So slow that its peaks are far above its mean, the mean has to turn it: less is a crawl.
  RotaryMotorModel slow = model;
  slow.period = 5e-3;
  const SwitchedCurrent turning = switched_current(slow, start_duty(slow), 0.0);
  EXPECT_NEAR(turning.mean, (0.016 + 0.042) / 0.0625, 1e-6);
  EXPECT_GT(turning.highest, amperes);
  EXPECT_NEAR(load_torque(model, 298.451), 0.016 + 2e-5 * 298.451 + 0.042, 1e-12);
}

TEST(MotorEstimates, AreNotForMotorsThatStep) {
  EXPECT_THROW((void)model_of(demo("traverse")), RangeError);
  EXPECT_THROW((void)model_of(demo("snips")), RangeError);
}

}  // namespace
}  // namespace cogstride::motor_estimates_test
