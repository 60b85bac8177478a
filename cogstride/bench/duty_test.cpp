// Brushed motors on the simulated bench, through their lines: closed forms, ways of switching, limits and
// faults.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/study/duty_sweep.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::duty_test {
namespace {

using namespace literals;

/// The feeder alone, its yarn cut; nothing warms, so that closed forms hold.
Rig reel_rig() {
  Rig rig = only_with(testing_support::demo_rig(), {"feeder"});
  Mechanism& feeder = rig.mechanisms[0];
  feeder.load.steady_torque = Torque();
  feeder.load.friction_spread = ExactFraction();
  feeder.limits.lowest_duty = ExactFraction::from_base({1, 20});
  feeder.limits.current.reset();
  feeder.supply.resistance = Resistance(1e-3, units::ohm);
  std::get<BrushedMotor>(feeder.motor).heat = {};
  for (Supply& supply : rig.supplies)
    if (supply.name == feeder.supply.name) supply = feeder.supply;
  return rig;
}
Mechanism& reel(Rig& rig) {
  return rig.mechanisms[0];
}
BridgeWiring& wiring(Rig& rig) {
  return std::get<BridgeWiring>(reel(rig).wiring);
}

/// rad/s of the motor's shaft.
double shaft_speed(SimulatedBench& bench) {
  const BrushedPlant& plant = bench.brushed_plant("feeder");
  return 2.0 * pi * plant.speed() * motor_turns_per_base(bench.rig().mechanisms[0].train).to_double();
}

/// Mean current over a time, A.
double mean_current(SimulatedBench& bench, Time span) {
  const double before = bench.brushed_plant("feeder").charge();
  bench.serve(span);
  return (bench.brushed_plant("feeder").charge() - before) / span.in(units::s);
}

TEST(Duty, SpeedAndCurrentAreThoseOfTheClosedForm) {
  // V d = R I + k w,  k I = T_c + B w: solved by hand for each duty.
  for (const double duty : {0.25, 0.5, 0.75, 1.0}) {
    SimulatedBench bench(reel_rig());
    bench.brushed("feeder").spin({.duty = Fraction::from_base(duty)}).wait();
    bench.serve(3_s);
    const double k = 0.0625, r = 2.85, b = 2e-5, coulomb = 0.016;
    const double speed = (24.0 * duty - r * coulomb / k) / (k + r * b / k);
    EXPECT_NEAR(shaft_speed(bench) / speed, 1.0, 2e-3) << duty;
    EXPECT_NEAR(mean_current(bench, 0.1_s), (coulomb + b * speed) / k, 4e-3) << duty;
  }
}

TEST(Duty, DeadTimeTakesItsShareOfEveryPeriod) {
  // The half that is switched is off for 1 us at either edge, with its terminal a diode below ground: 24 V
  // are missing once in a period, and 0.7 V twice.
  for (const double duty : {0.4, 0.8}) {
    Rig rig = reel_rig();
    std::get<HBridge>(reel(rig).board).dead_time = 1_us;
    SimulatedBench bench(rig);
    bench.brushed("feeder").spin({.duty = Fraction::from_base(duty)}).wait();
    bench.serve(3_s);
    const double k = 0.0625, r = 2.85, b = 2e-5, coulomb = 0.016;
    const double volts = 24.0 * duty - (24.0 + 2 * 0.7) * 1e-6 * 20e3;
    const double speed = (volts - r * coulomb / k) / (k + r * b / k);
    EXPECT_NEAR(shaft_speed(bench) / speed, 1.0, 2e-3) << duty;
  }
}

TEST(Duty, ItsTimeConstantIsThatOfWindingAndInertia) {
  Rig rig = reel_rig();
  reel(rig).load.coulomb_friction = reel(rig).load.stiction = Torque();
  reel(rig).load.viscous_friction = ViscousFriction();
  reel(rig).limits.full_ramp = Time(1e-6, units::s);
  SimulatedBench bench(rig);
  bench.brushed("feeder").spin({.duty = 50_percent});
  // J R / k^2 = 1.25e-4 * 2.85 / 0.0625^2 = 91.2 ms, in which it comes to 63.2 % of 12 V / k.
  bench.serve(Time(91.2e-3, units::s));
  EXPECT_NEAR(shaft_speed(bench) / (12.0 / 0.0625), 1.0 - std::exp(-1.0), 6e-3);
}

TEST(Duty, AStalledMotorTakesWhatItsResistanceLets) {
  Rig rig = reel_rig();
  reel(rig).load.stiction = Torque(10.0, units::Nm);
  SimulatedBench bench(rig);
  bench.brushed("feeder").spin({.duty = 30_percent}).wait();
  bench.serve(0.1_s);
  EXPECT_NEAR(mean_current(bench, 0.1_s), 0.3 * 24.0 / 2.85, 5e-3);
  EXPECT_EQ(shaft_speed(bench), 0.0);
  const Verdict verdict = bench.verdict();
  EXPECT_GT(verdict.of("feeder").figure("driven_and_still"), 0.2);
  EXPECT_FALSE(verdict.is_sound()) << "it was driven, and stood";
}

TEST(Duty, ABrakedMotorStopsInItsOwnTimeConstantAndACoastingOneByFriction) {
  for (const bool brakes : {true, false}) {
    Rig rig = reel_rig();
    SimulatedBench bench(rig);
    auto feeder = bench.brushed("feeder");
    feeder.spin({.duty = 50_percent}).wait();
    bench.serve(2_s);
    const double from = shaft_speed(bench);
    brakes ? feeder.brake() : feeder.coast();
    bench.serve(50_ms);
    const double k = 0.0625, j = 1.25e-4, b = 2e-5, coulomb = 0.016;
    const double damping = brakes ? b + k * k / 2.85 : b;
    // J dw/dt = -T_c - B w
    const double expected = (from + coulomb / damping) * std::exp(-damping * 0.05 / j) - coulomb / damping;
    EXPECT_NEAR(shaft_speed(bench) / expected, 1.0, brakes ? 0.02 : 2e-3);
    EXPECT_EQ(feeder.duty().base(), 0.0);
  }
}

TEST(Duty, TheWaysOfSwitchingDifferAsOnARealBench) {
  // At a light load and a low frequency fast decay lets the current fall to nothing in each period: more
  // speed for the same duty. At a high one it takes back in the rest of a period what the drive has built up,
  // and does not even start: the mean of its small triangles is 0.055 A here, which is less than friction
  // takes.
  struct Seen {
    double speed, ripple;
  };
  const auto run = [](Decay how, ExactFrequency frequency) {
    Rig rig = reel_rig();
    wiring(rig).decay = how;
    wiring(rig).pwm_frequency = frequency;
    reel(rig).load.coulomb_friction = Torque(0.004, units::Nm);
    reel(rig).load.stiction = Torque(0.004, units::Nm);
    SimulatedBench bench(rig);
    bench.brushed("feeder").spin({.duty = 30_percent}).wait();
    bench.serve(3_s);
    double least = 1e9;
    double most = -1e9;
    for (int i = 0; i < 97; ++i) {
      bench.serve(Time(3.1e-6, units::s));
      least = std::min(least, bench.brushed_plant("feeder").current());
      most = std::max(most, bench.brushed_plant("feeder").current());
    }
    return Seen{shaft_speed(bench), most - least};
  };
  const Seen slow = run(Decay::slow, 20_kHz);
  // By hand: (V d - R T_c / k) / (k + R B / k), and V d (1 - d) T / L = 24 * 0.3 * 0.7 * 50 us / 1.9 mH.
  EXPECT_NEAR(slow.speed, (7.2 - 2.85 * 0.064) / (0.0625 + 2.85 * 2e-5 / 0.0625), 1.0);
  EXPECT_NEAR(slow.ripple, 0.133, 0.012);
  EXPECT_EQ(run(Decay::fast, 20_kHz).speed, 0.0);
  EXPECT_GT(run(Decay::fast, 2_kHz).speed, 1.3 * run(Decay::slow, 2_kHz).speed);
}

TEST(Duty, EachKindOfBridgeTurnsTheSameWayWithTheSameDuty) {
  using Form = HBridge::Form;
  for (const Form form : {Form::two_input, Form::sign_magnitude, Form::four_channel}) {
    for (const Decay how : {Decay::slow, Decay::fast}) {
      for (const double duty : {0.6, -0.6}) {
        Rig rig = reel_rig();
        std::get<HBridge>(reel(rig).board).form = form;
        std::get<HBridge>(reel(rig).board).board_name = "four";
        BridgeWiring& lines = wiring(rig);
        lines.decay = how;
        if (form == Form::sign_magnitude) {
          lines.sign = lines.input_a;
          lines.duty = lines.input_b;
          lines.input_a.reset();
          lines.input_b.reset();
        } else if (form == Form::four_channel) {
          lines.duty = DrivenLine{33};
        }
        SimulatedBench bench(rig);
        auto feeder = bench.brushed("feeder");
        feeder.spin({.duty = Fraction::from_base(duty)}).wait();
        bench.serve(2_s);
        const double at = shaft_speed(bench);
        EXPECT_GT(at * duty, 0.0);
        // What is left between: nothing where it brakes, the supply and two diodes against it where it
        // coasts.
        const double volts = how == Decay::slow ? 0.6 * 24.0 : 0.6 * 24.0 - 0.4 * (24.0 + 1.4);
        EXPECT_NEAR(std::abs(at), (volts - 2.85 * 0.016 / 0.0625) / (0.0625 + 2.85 * 2e-5 / 0.0625), 2.0);
        feeder.brake();
        bench.serve(0.5_s);
        EXPECT_EQ(shaft_speed(bench), 0.0);
        bench.close();
        for (const LineSetup& line : bench.simulated_lines().lines()) {
          if (line.use == LineSetup::Use::input) continue;
          EXPECT_EQ(bench.simulated_lines().level(line.id), line.rest_high);
        }
      }
    }
  }
}

TEST(Duty, AnInvertedLineTurnsItTheWayItWouldOnABench) {
  Rig rig = reel_rig();
  Rig actual = rig;
  std::swap(wiring(actual).input_a, wiring(actual).input_b);
  SimulatedBench::Options options;
  options.actual = actual;
  SimulatedBench bench(rig, options);
  bench.brushed("feeder").spin({.duty = 50_percent}).wait();
  bench.serve(1_s);
  EXPECT_LT(shaft_speed(bench), -100.0);
}

TEST(Duty, TheBoardsOwnLimitCutsEachPeriodShort) {
  Rig rig = reel_rig();
  std::get<HBridge>(reel(rig).board).current_limit = Current(1.5, units::A);
  reel(rig).limits.full_ramp = Time(1e-3, units::s);
  SimulatedBench bench(rig);
  bench.brushed("feeder").spin({.duty = 100_percent});
  bench.serve(0.1_s);
  EXPECT_LE(bench.brushed_plant("feeder").highest_current(), 1.5 + 1e-6);
  EXPECT_GT(bench.brushed_plant("feeder").times_limited(), 100);
  // With 1.5 A at the most it still comes to speed.
  bench.serve(2_s);
  EXPECT_GT(shaft_speed(bench), 330.0);
}

TEST(Duty, AShuntHoldsTheDutyBackWhileTheCurrentIsOverItsLimit) {
  Rig rig = reel_rig();
  reel(rig).limits.current = Current(1.0, units::A);
  reel(rig).sensors.emplace_back(Shunt{"shunt", 0, Resistance(0.05, units::ohm), 20});
  reel(rig).load.stiction = Torque(10.0, units::Nm);  // jammed: 24 V would drive 8 A through it
  SimulatedBench bench(rig);
  auto feeder = bench.brushed("feeder");
  feeder.spin({.duty = 90_percent, .in = 1_s}).wait();
  bench.serve(1_s);
  EXPECT_NEAR(mean_current(bench, 0.2_s), 1.0, 0.05);
  EXPECT_NEAR(feeder.measured_current().base(), 1.0, 0.1);
  EXPECT_LT(bench.brushed_plant("feeder").sustained_current(), 1.1);
  // A tenth of a second of the ramp makes an ampere; from then on it is held back.
  const MoverVerdict verdict = bench.verdict().of("feeder");
  EXPECT_NEAR(verdict.figure("held_back_by_shunt"), bench.now().base() - 0.12, 0.1);
  EXPECT_NE(verdict.rows.front().words.find("held it back by the shunt"), std::string::npos);
}

TEST(Duty, AProbeStopsItBeforeItBurns) {
  Rig rig = reel_rig();
  BrushedMotor& motor = std::get<BrushedMotor>(reel(rig).motor);
  motor.heat = {ThermalResistance::from_base(5.0), HeatCapacity::from_base(0.5), Temperature(40.0, units::K)};
  reel(rig).sensors.emplace_back(
      TemperatureProbe{"probe", 1, Voltage(0.5, units::V), Voltage(0.01, units::V), true});
  reel(rig).load.stiction = Torque(10.0, units::Nm);
  SimulatedBench bench(rig);
  std::string told;
  bench.on_fault([&](const std::string& why) { told = why; });
  bench.brushed("feeder").spin({.duty = 50_percent}).wait();
  bench.serve(10_s);
  EXPECT_NE(told.find("feeder: its motor is 4"), std::string::npos) << told;
  EXPECT_NE(told.find("stands 40 K"), std::string::npos) << told;
  EXPECT_LT(bench.brushed_plant("feeder").highest_motor_rise(), 50.0);
  EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0);
}

/// Whatever befalls it while it is driven hard: the mean over 10 ms stays near the limit, and the winding
/// below what it stands.
TEST(Duty, CurrentAndHeatStayWithinTheirLimitsThroughEveryFault) {
  const std::vector<std::pair<const char*, std::vector<OutsideEvent>>> faults = {
      {"nothing", {}},
      {"a jam", {{1_s, "feeder.jam", true}}},
      {"a jam that comes and goes",
       {{1_s, "feeder.jam", true},
        {1.2_s, "feeder.jam", false},
        {1.4_s, "feeder.jam", true},
        {3_s, "feeder.jam", false}}},
      {"its supply fails and comes back", {{1_s, "main", false}, {1.5_s, "main", true}}},
      {"an emergency stop", {{1_s, "halt", true}, {2_s, "halt", false}}}};
  for (const auto& [what, events] : faults) {
    Rig rig = reel_rig();
    reel(rig).limits.current = Current(2.0, units::A);
    std::get<BrushedMotor>(reel(rig).motor).heat = {
        ThermalResistance::from_base(5.0), HeatCapacity::from_base(2.0), Temperature(40.0, units::K)};
    reel(rig).sensors.emplace_back(Shunt{"shunt", 0, Resistance(0.05, units::ohm), 20});
    reel(rig).sensors.emplace_back(
        TemperatureProbe{"probe", 1, Voltage(0.5, units::V), Voltage(0.01, units::V), true});
    SimulatedBench::Options options;
    options.events = events;
    SimulatedBench bench(rig, options);
    auto feeder = bench.brushed("feeder");
    for (int order = 0; order < 6; ++order) {
      try {
        feeder.spin({.duty = order % 2 == 0 ? 100_percent : -100_percent, .in = 200_ms});
      } catch (const RangeError& refused) {
        EXPECT_NE(std::string(refused.what()), "") << what;  // an emergency stop, a lost supply
      }
      bench.serve(4_s);
    }
    const BrushedPlant& plant = bench.brushed_plant("feeder");
    EXPECT_LT(plant.sustained_current(), 2.0 * 1.25) << what;
    EXPECT_LT(plant.highest_motor_rise(), 42.0) << what;
    EXPECT_GT(plant.charge(), 0.5) << what << ": it was driven at all";
  }
}

TEST(Duty, HeatFollowsItsFirstOrderLaw) {
  Rig rig = reel_rig();
  std::get<BrushedMotor>(reel(rig).motor).heat = {ThermalResistance::from_base(5.0),
                                                  HeatCapacity::from_base(2.0), std::nullopt};
  std::get<HBridge>(reel(rig).board).stage.resistance = Resistance();
  reel(rig).load.stiction = Torque(10.0, units::Nm);
  reel(rig).limits.full_ramp = Time(1e-3, units::s);
  reel(rig).limits.highest_duty.reset();
  SimulatedBench bench(rig);
  bench.brushed("feeder").spin({.duty = 10_percent}).wait();
  bench.serve(10_s);
  // 0.923 A in 2.6 ohm: 2.2 W. The copper gains resistance, so that it warms a little less than 2.2 * 5 * (1
  // - 1/e).
  const double cold = 2.4 * 2.4 / 2.6 * 5.0 * (1.0 - std::exp(-1.0));
  EXPECT_LT(bench.brushed_plant("feeder").motor_rise(), cold);
  EXPECT_GT(bench.brushed_plant("feeder").motor_rise(), 0.96 * cold);
}

TEST(Duty, LettingGoPumpsWhatTheWindingHeldIntoTheSupply) {
  Rig rig = reel_rig();
  reel(rig).supply.capacitance = Capacitance(100, units::uF);
  reel(rig).supply.clamp_voltage.reset();
  reel(rig).supply.clamp_resistance.reset();
  SimulatedBench bench(rig);
  auto feeder = bench.brushed("feeder");
  feeder.spin({.duty = 90_percent}).wait();
  bench.serve(2_s);
  const double current = bench.brushed_plant("feeder").current();
  feeder.coast();
  bench.serve(0.1_s);
  // Only the winding's own energy comes back: L I^2 / 2 = C (V^2 - 24^2) / 2.
  const double most = std::sqrt(24.0 * 24.0 + 1.9e-3 * current * current / 100e-6);
  EXPECT_GE(bench.brushed_plant("feeder").highest_supply(), 24.0);
  EXPECT_LE(bench.brushed_plant("feeder").highest_supply(), most + 0.01);
}

TEST(Duty, NeverReversesWithoutItsPauseWhateverItIsTold) {
  Rig rig = reel_rig();
  reel(rig).limits.reversal_pause = Time(0.3, units::s);
  SimulatedBench bench(rig);
  auto feeder = bench.brushed("feeder");
  std::mt19937 random(11);
  double last_driven = -1.0;
  int last_way = 0;
  int reversals = 0;
  for (int i = 0; i < 400; ++i) {
    try {
      switch (random() % 7) {
        case 0:
          feeder.spin({.duty = Fraction::from_base(0.1 + 0.08 * static_cast<double>(random() % 10))});
          break;
        case 1:
          feeder.spin({.duty = Fraction::from_base(-0.1 - 0.08 * static_cast<double>(random() % 10))});
          break;
        case 2:
          feeder.reverse();
          break;
        case 3:
          feeder.stop();
          break;
        case 4:
          feeder.brake();
          break;
        case 5:
          feeder.coast();
          break;
        default:
          feeder.faster(ExactFraction::from_base({1, 10}));
      }
    } catch (const RangeError&) {
    }
    for (int k = 0; k < 40; ++k) {
      bench.serve(1_ms);
      const bool forward = bench.simulated_lines().level(LineId{28});
      const bool backward = bench.simulated_lines().level(LineId{29});
      EXPECT_FALSE(forward && backward);
      EXPECT_LE(std::abs(feeder.duty().base()), 1.0);
      const int way = feeder.duty().base() > 0.0 ? 1 : feeder.duty().base() < 0.0 ? -1 : 0;
      if (way == 0) continue;
      const double now = bench.now().in(units::s);
      if (way * last_way < 0) {
        ++reversals;
        EXPECT_GE(now - last_driven, 0.3 - 2e-3);
      }
      last_driven = now;
      last_way = way;
    }
  }
  EXPECT_GT(reversals, 10);
}

TEST(Duty, AnEmergencyStopTakesTheDriveAtOnceAndNothingStartsWhileItIsPressed) {
  Rig rig = reel_rig();
  SimulatedBench::Options options;
  options.events = {{1_s, "halt", true}};
  SimulatedBench bench(rig, options);
  auto feeder = bench.brushed("feeder");
  auto motion = feeder.spin({.duty = 80_percent, .lasts = 5_s});
  EXPECT_NE(motion.result().find("the emergency stop halt (line 38) is pressed"), std::string::npos);
  EXPECT_EQ(feeder.duty().base(), 0.0);
  for (const LineId line : {LineId{28}, LineId{29}, LineId{30}})
    EXPECT_FALSE(bench.simulated_lines().level(line));
  EXPECT_THROW((void)feeder.spin({.duty = 50_percent}), RangeError);
}

TEST(Duty, WhatIsRefusedChangesNothing) {
  SimulatedBench bench(reel_rig());
  auto feeder = bench.brushed("feeder");
  EXPECT_THROW((void)feeder.reverse(), RangeError);
  EXPECT_THROW((void)feeder.faster(ExactFraction::from_base({1, 10})), RangeError);
  auto on = feeder.spin({.duty = 40_percent, .lasts = 1_s});
  bench.serve(0.5_s);
  EXPECT_THROW((void)feeder.spin({.duty = 1_percent}), RangeError);
  EXPECT_THROW((void)feeder.slower(ExactFraction::from_base({1, 2})), RangeError);
  EXPECT_DOUBLE_EQ(feeder.duty().base(), 0.4);
  on.wait();
  EXPECT_EQ(feeder.duty().base(), 0.0);
  EXPECT_THROW((void)bench.brushed("halt"), RangeError);
  EXPECT_THROW((void)bench.stepper("feeder"), RangeError) << "it knows no places";
}

TEST(Duty, ItsEncoderTellsSpeedAndTurns) {
  SimulatedBench bench(reel_rig());
  auto feeder = bench.brushed("feeder");
  feeder.spin({.duty = 50_percent}).wait();
  bench.serve(2_s);
  const Measured seen = feeder.measured();
  EXPECT_NEAR(seen.speed.base / bench.brushed_plant("feeder").speed(), 1.0, 0.01);
  EXPECT_NEAR(seen.position->base.to_double(), bench.brushed_plant("feeder").position(), 0.02);
}

TEST(Duty, WhateverTimeItTakesItEndsWithoutDrive) {
  for (const int milliseconds : {100, 333, 500, 1000, 1237, 2000}) {
    SimulatedBench bench(reel_rig());
    const auto lasts = ExactTime::from_base({milliseconds, 1000});
    bench.brushed("feeder").spin({.duty = 25_percent, .lasts = lasts}).wait();
    bench.serve(50_ms);
    EXPECT_FALSE(bench.simulated_lines().level(LineId{30})) << milliseconds;
    EXPECT_EQ(bench.brushed_plant("feeder").current(), 0.0) << milliseconds;
  }
}

TEST(Duty, AJamIsDrivenAndStands) {
  Rig rig = reel_rig();
  rig.mechanisms[0].sensors.clear();  // so that nothing notices it
  SimulatedBench::Options options;
  options.events = {{1_s, "feeder.jam", true}};
  SimulatedBench bench(rig, options);
  bench.brushed("feeder").spin({.duty = 50_percent}).wait();
  bench.serve(2_s);
  EXPECT_EQ(shaft_speed(bench), 0.0);
  EXPECT_GT(bench.verdict().of("feeder").figure("driven_and_still"), 0.5);
}

TEST(Duty, AveragedItComesToTheSameAsWithEverySwitchingResolved) {
  struct Seen {
    double speed, place, charge, heat, supply;
    bool switched;
  };
  const auto run = [](bool averages, Decay how) {
    Rig rig = reel_rig();
    wiring(rig).decay = how;
    SimulatedBench::Options options;
    options.average_pwm = averages;
    SimulatedBench bench(rig, options);
    auto feeder = bench.brushed("feeder");
    feeder.spin({.duty = 70_percent, .in = 300_ms}).wait();
    bench.serve(300_ms);
    feeder.spin({.duty = 35_percent, .in = 100_ms}).wait();
    bool switched = false;
    for (int i = 0; i < 50; ++i) {
      bench.serve(Time(7.3e-6, units::s));
      const LineId line = how == Decay::slow ? LineId{28} : LineId{30};
      switched = switched || !bench.simulated_lines().level(line);
    }
    const BrushedPlant& plant = bench.brushed_plant("feeder");
    return Seen{shaft_speed(bench), plant.position(),       plant.charge(),
                plant.heat(),       plant.supply_voltage(), switched};
  };
  const Seen resolved = run(false, Decay::slow);
  const Seen averaged = run(true, Decay::slow);
  EXPECT_TRUE(resolved.switched);
  EXPECT_FALSE(averaged.switched);
  EXPECT_NEAR(averaged.speed / resolved.speed, 1.0, 2e-3);
  EXPECT_NEAR(averaged.place / resolved.place, 1.0, 2e-3);
  EXPECT_NEAR(averaged.charge / resolved.charge, 1.0, 5e-3);
  // The ripple's own heat is left out: (0.13 A)^2 / 12 in the winding, beside one ampere.
  EXPECT_NEAR(averaged.heat / resolved.heat, 1.0, 1e-2);
  const Seen coasting = run(true, Decay::fast);
  EXPECT_TRUE(coasting.switched) << "there it would not come to the same";
  EXPECT_EQ(coasting.place, run(false, Decay::fast).place);
}

TEST(Duty, ABridgeThatNothingSwitchesOffBrakesAndSaysThatItCannotCoast) {
  Rig rig = reel_rig();
  wiring(rig).enable.reset();
  reel(rig).common.enable = EnableUse::tied;
  SimulatedBench bench(rig);
  auto feeder = bench.brushed("feeder");
  feeder.spin({.duty = 50_percent, .lasts = 1_s}).wait();
  bench.serve(300_ms);
  EXPECT_EQ(shaft_speed(bench), 0.0) << "coasting it would turn for more than a second";
  EXPECT_THROW(feeder.coast(), RangeError);
  wiring(rig).decay = Decay::fast;
  EXPECT_THROW(SimulatedBench{rig}, RangeError);
}

TEST(Duty, AKnobGivesADutyOverItsWholeTravelWithoutFlicker) {
  Rig rig = reel_rig();
  SimulatedBench::Options options;
  options.events = {{0_s, "dial", {}, 1.0}, {1_s, "dial", {}, 0.5}, {2_s, "dial", {}, 0.0}};
  SimulatedBench bench(rig, options);
  const Knob& dial = bench.knob("dial");
  std::vector<double> seen;
  for (int i = 0; i < 60; ++i) {
    bench.serve(50_ms);
    if (seen.empty() || dial.share().base() != seen.back()) seen.push_back(dial.share().base());
  }
  ASSERT_EQ(seen.size(), 3u) << "each place once, for all its noise";
  EXPECT_EQ(seen[0], 1.0);
  EXPECT_NEAR(seen[1], 0.5, 5e-3);
  EXPECT_EQ(seen[2], 0.0);
  EXPECT_THROW((void)bench.knob("pedal"), RangeError);
}

TEST(DutySweep, FindsWhereEachWayStartsAndDropsOut) {
  Rig rig = reel_rig();
  reel(rig).load.stiction = Torque(0.04, units::Nm);
  const DutySweep sweep = sweep_duty(rig, reel(rig));
  ASSERT_EQ(sweep.curves.size(), 7u);
  EXPECT_NEAR(sweep.curves[6].start().value(), sweep.curves[0].start().value(), 1e-9) << "aligned otherwise";
  const DutyCurve& slow = sweep.curves[0];
  EXPECT_TRUE(slow.is_the_rigs);
  // By hand: stiction 0.04 N m takes 0.64 A, 1.824 V, 7.6 %, and 0.3 % less by the peak of its ripple;
  // Coulomb friction 0.016 N m, 3.04 %.
  EXPECT_NEAR(slow.start().value(), 0.08, 0.0101);
  EXPECT_NEAR(slow.predicted_start, 0.0734, 1e-3);
  EXPECT_NEAR(sweep.curves[1].predicted_start, sweep.curves[1].start().value(), 0.051)
      << "a step of its grid";
  EXPECT_NEAR(slow.drop_out().value(), 0.035, 0.0101);
  EXPECT_GT(sweep.curves[1].start().value(), 0.4) << "fast decay takes back what the drive has built up";
  const auto same = slow.at_speed(sweep.compared_speed);
  ASSERT_TRUE(same);
  EXPECT_NEAR(same->current, (0.016 + 2e-5 * 190.0) / 0.0625, 0.03);
  EXPECT_THROW((void)sweep_duty(testing_support::demo_rig(), testing_support::demo_rig().mechanisms[0]),
               RangeError);
}

TEST(DutySweep, OfSixGatesReadsTheDutyThatASpeedTakesEachWay) {
  const Rig rig = testing_support::demo_rig();
  const Mechanism& spindle = mechanism_named(rig, "spindle");
  const DutySweep sweep = sweep_duty(rig, spindle);
  ASSERT_EQ(sweep.curves.size(), 8u);
  EXPECT_TRUE(sweep.is_by_speeds);
  EXPECT_NEAR(sweep.compared_speed, 900.0, 2.0);
  int own = 0;
  for (const DutyCurve& curve : sweep.curves) {
    own += curve.is_the_rigs ? 1 : 0;
    Mechanism one = spindle;
    auto& wiring = std::get<GateWiring>(one.wiring);
    wiring.complementary = curve.way.starts_with("complementary");
    wiring.switched = curve.way.find("both") != std::string::npos  ? SwitchedSide::both
                      : curve.way.find("low") != std::string::npos ? SwitchedSide::low
                                                                   : SwitchedSide::high;
    const SteadyRun run = steady_run(with_commutations(one), 1800.0 * 2.0 * pi / 60.0);
    EXPECT_NEAR(curve.up.back().duty / run.duty, 1.0, 0.03) << curve.way;
  }
  EXPECT_EQ(own, 1);
  Rig blind = rig;
  for (Mechanism& mechanism : blind.mechanisms)
    if (mechanism.name == "spindle")
      std::erase_if(mechanism.sensors,
                    [](const Sensor& sensor) { return std::holds_alternative<HallSet>(sensor); });
  EXPECT_THROW((void)sweep_duty(blind, mechanism_named(blind, "spindle")), RangeError);
}

TEST(Duty, FrictionThatDiffersFromPlaceToPlaceScattersWhereItEnds) {
  const auto end = [](std::uint64_t seed, double spread) {
    Rig rig = reel_rig();
    reel(rig).load.friction_spread =
        ExactFraction::from_base(Ratio(static_cast<std::int64_t>(spread * 100), 100));
    SimulatedBench::Options options;
    options.seed = seed;
    SimulatedBench bench(rig, options);
    bench.brushed("feeder").spin({.duty = 40_percent, .lasts = 500_ms}).wait();
    bench.serve(3_s);
    return bench.brushed_plant("feeder").position();
  };
  EXPECT_EQ(end(1, 0.0), end(2, 0.0));
  EXPECT_NE(end(1, 0.2), end(2, 0.2));
  EXPECT_EQ(end(3, 0.2), end(3, 0.2)) << "the same seed, the same run";
  EXPECT_NEAR(end(1, 0.2) / end(1, 0.0), 1.0, 0.1);
}

}  // namespace
}  // namespace cogstride::duty_test
