// Findings on kinds of boards, motors and wiring that the demo rig does not have: each raised by one change
// to a sound new rig.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <set>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/validate.hpp"
#include "support/demo_rig.hpp"
#include "support/inspected.hpp"

namespace cogstride::other_kinds_test {
namespace {

using namespace literals;

Rig rig_of(const char* motor, const char* board) {
  return parse_rig(new_rig_text({"Warping drum", {{"drum", motor, board}}, {}, {}}), "drum.rig.toml");
}

using Codes = std::set<std::string>;

Codes codes_of(const Rig& rig) {
  Codes codes;
  for (const Finding& finding : testing_support::inspected(rig).findings) codes.insert(finding.code);
  return codes;
}

Codes unchecked_of(const Rig& rig) {
  Codes needs;
  for (const Unchecked& unchecked : testing_support::inspected(rig).unchecked) needs.insert(unchecked.needs);
  return needs;
}

Codes codes_after(Rig rig, const std::function<void(Rig&, Mechanism&)>& change) {
  change(rig, rig.mechanisms.at(0));
  return codes_of(rig);
}

TEST(OtherKinds, ATwoPulseDriveKeepsItsPulsesApart) {
  const Rig rig = rig_of("bipolar stepper", "two-pulse");
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { m.step_dir_lines().dir_steady_before = 1_us; }),
            Codes{"dir-too-near"});
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { m.step_dir_lines().pulse_width = 1_us; }),
            Codes{"pulse-too-short"});
  EXPECT_EQ(codes_after(rig, [](Rig& r, Mechanism&) { r.controller.timers[0].channels = 1; }),
            Codes{"too-few-channels"})
      << "a pulse line for each direction";
}

TEST(OtherKinds, ADualBridgeWithoutCurrentControlPutsAllVoltsOnTheCoils) {
  const Rig rig = rig_of("bipolar stepper", "dual H-bridge");
  const Codes codes =
      codes_after(rig, [](Rig&, Mechanism& m) { std::get<DualHBridge>(m.board).current_limit.reset(); });
  EXPECT_EQ(codes.count("coil-overdriven"), 1u);
  EXPECT_EQ(
      codes_after(rig, [](Rig&, Mechanism& m) { std::get<DualHBridge>(m.board).current_limit = 1.7_A; }),
      Codes({"current-over-rating", "winding-too-hot"}));
  EXPECT_EQ(
      codes_after(rig,
                  [](Rig&, Mechanism& m) {
                    auto& board = std::get<DualHBridge>(m.board);
                    auto& wiring = std::get<CoilWiring>(m.wiring);
                    board.terminals = {CoilEnd::a_plus, CoilEnd::a_minus, CoilEnd::b_plus, CoilEnd::b_minus};
                    for (const DrivenLine& coil : wiring.coils) wiring.terminals.push_back(coil.number);
                    std::swap(wiring.coils[0], wiring.coils[2]);
                  }),
      Codes{"coil-order"});
}

TEST(OtherKinds, ACoilOrderOfAReversedMechanismIsTheOneOfTheFile) {
  const Rig rig = rig_of("unipolar stepper", "four-input transistor array");
  EXPECT_EQ(codes_after(rig,
                        [](Rig&, Mechanism& m) {
                          auto& wiring = std::get<CoilWiring>(m.wiring);
                          std::get<TransistorArray>(m.board).terminals = {CoilEnd::a_plus, CoilEnd::a_minus,
                                                                          CoilEnd::b_plus, CoilEnd::b_minus};
                          for (const DrivenLine& coil : wiring.coils) wiring.terminals.push_back(coil.number);
                          m.reversed = true;
                          std::swap(wiring.coils[2], wiring.coils[3]);
                        }),
            Codes{});
}

TEST(OtherKinds, AServoThatTakesStepsHasItsOwnTopSpeedAndTorque) {
  const Rig rig = rig_of("closed-loop servo", "STEP/DIR");
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { std::get<StepServo>(m.motor).top_speed = 500_rpm; }),
            Codes{"speed-beyond-torque"});
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { m.load.coulomb_friction = 0.7_Nm; }),
            Codes{"speed-beyond-torque"});
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { std::get<StepServo>(m.motor).peak_torque = 0.02_Nm; }),
            Codes{"acceleration-beyond-torque"});
  EXPECT_EQ(codes_after(rig, [](Rig& r, Mechanism&) { r.controller.top_step_rate = 20_kHz; }),
            Codes{"pulse-rate-beyond-controller"});
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { m.steps_per_turn = 2000; }), Codes{"steps-mixed"});
}

TEST(OtherKinds, MicrostepSelectLinesNeedARowOfTheTable) {
  const Rig rig = rig_of("bipolar stepper", "STEP/DIR");
  const auto select = [](SwitchMicrosteps rows) {
    return [rows](Rig&, Mechanism& m) {
      m.step_dir().microsteps_by_switch = rows;
      m.step_dir_lines().microstep_select = {{30}, {31}};
    };
  };
  EXPECT_EQ(codes_after(rig, select({{"00", 1}, {"10", 8}})), Codes{});
  EXPECT_EQ(codes_after(rig, select({{"00", 1}, {"10", 16}})), Codes{"switches-disagree"});
  EXPECT_EQ(unchecked_of(rig).count("mechanism.drum.board.microstep_switches"), 1u);
}

TEST(OtherKinds, AServoThatFrictionThrowsOffGivesUp) {
  const Rig rig = rig_of("closed-loop servo", "STEP/DIR");
  const auto soft = [](double hertz) {
    return [hertz](Rig&, Mechanism& m) {
      m.load.coulomb_friction = 0.1_Nm;
      std::get<StepServo>(m.motor).bandwidth = Frequency(hertz, units::Hz);
    };
  };
  EXPECT_EQ(codes_after(rig, soft(40.0)), Codes{});
  // 0.2707 x 0.2 N m / (1e-4 kg m2 w^2) is a quarter of a turn at 2.955 Hz.
  EXPECT_EQ(codes_after(rig, soft(2.9)), Codes{"servo-gives-up"});
  EXPECT_EQ(codes_after(rig, soft(3.0)), Codes{});
}

/// What a supply of this name is asked for: most and running, A.
SupplyLoad load_of(const Rig& rig, const std::string& name) {
  return supply_load(rig, *find_supply(rig, name));
}

TEST(OtherKinds, ARegulatorsLoadCountsAtItsInput) {
  Rig rig = rig_of("brushed", "");
  Mechanism& drum = rig.mechanisms[0];
  Supply battery = rig.supplies[0];
  battery.name = "bank";
  battery.voltage = 48_V;
  rig.supplies.push_back(battery);
  Supply& main = rig.supplies[0];
  main.fed_by = "bank";
  main.efficiency = ExactFraction(90, units::percent);
  drum.supply = main;
  const SupplyLoad own = load_of(rig, "main");
  const SupplyLoad all = load_of(rig, "bank");
  EXPECT_EQ(own.fed, std::vector<std::string>{"drum"});
  EXPECT_EQ(all.fed, std::vector<std::string>{"main"});
  EXPECT_NEAR(all.draw.most, own.draw.most * 24.0 / 48.0 / 0.9, 1e-12);
  EXPECT_NEAR(all.draw.running, own.draw.running * 24.0 / 48.0 / 0.9, 1e-12);
  EXPECT_EQ(codes_of(rig), Codes{});
  Rig weak = rig;
  weak.supplies[1].current = Current(0.99 * all.draw.most, units::A);
  EXPECT_EQ(codes_of(weak), Codes{"supply-too-small"});
  Rig linear = rig;
  linear.supplies[0].efficiency.reset();
  EXPECT_NEAR(load_of(linear, "bank").draw.most, own.draw.most, 1e-12);
  linear.supplies[1].voltage = 20_V;
  EXPECT_EQ(codes_of(linear), Codes{"supply-too-low"}) << "it can only take away";
  Rig high = rig;
  high.supplies[0].highest_supply = 40_V;
  EXPECT_EQ(codes_of(high), Codes{"supply-over-board"});
  Rig round = rig;
  round.supplies[1].fed_by = "main";
  EXPECT_THROW(validate(round), RangeError);
  Rig battery_in_the_middle = rig;
  battery_in_the_middle.supplies[0].charge = Charge(2.0, units::Ah);
  EXPECT_THROW(validate(battery_in_the_middle), RangeError);
}

TEST(OtherKinds, TwoMotorsOnOneChannelOfABoard) {
  Rig rig = parse_rig(new_rig_text({"Two drums",
                                    {{"drum", "brushed", "four-channel motor board"},
                                     {"reel", "brushed", "four-channel motor board"}},
                                    {},
                                    {}}),
                      "drum.rig.toml");
  EXPECT_EQ(codes_of(rig), Codes{});
  std::get<HBridge>(rig.mechanisms[1].board).channel = std::get<HBridge>(rig.mechanisms[0].board).channel;
  EXPECT_EQ(codes_of(rig), Codes{"channel-used-twice"});
}

TEST(OtherKinds, AShuntForMoreThanItsInputReads) {
  Rig rig = rig_of("brushed", "");
  Mechanism& drum = rig.mechanisms[0];
  rig.controller.analogue = AnalogueInputs{8, 12, 3.3_V, 1_us, {}};
  Shunt shunt;
  shunt.name = "current";
  shunt.resistance = Resistance(0.05, units::ohm);
  shunt.gain = 20;
  drum.sensors.push_back(shunt);
  drum.limits.current = 3.2_A;
  EXPECT_EQ(codes_of(rig), Codes{});
  drum.limits.current = 3.4_A;
  EXPECT_EQ(codes_of(rig), Codes{"shunt-over-range"}) << "3.4 A make 3.4 V of 3.3";
}

TEST(OtherKinds, WheelsOfTwoSizes) {
  Rig rig = read_rig(testing_support::cart_rig_path);
  const Codes before = codes_of(rig);
  rig.pairs[0].right_wheel = Length(32.5, units::mm);
  Codes more = before;
  more.insert("wheels-differ");
  EXPECT_EQ(codes_of(rig), more) << "a radius for a diameter";
}

TEST(OtherKinds, AnEfficiencyIsOfARegulatorAlone) {
  std::string text = new_rig_text({"Warping drum", {{"drum", "brushed", ""}}, {}, {}});
  const std::size_t at = text.find("[supply.main]\n") + 14;
  text.insert(at, "efficiency = \"90 %\"\n");
  try {
    (void)parse_rig(text, "drum.rig.toml");
    FAIL() << "taken";
  } catch (const InputError& error) {
    EXPECT_NE(std::string(error.what()).find("say which supply feeds it (fed_by)"), std::string::npos);
  }
}

TEST(OtherKinds, WarmAirTakesItsShareOfWhatAWindingStands) {
  Rig rig = rig_of("brushed", "");
  Mechanism& drum = rig.mechanisms[0];
  MotorHeat& heat = std::get<BrushedMotor>(drum.motor).heat;
  EXPECT_DOUBLE_EQ(*highest_rise(drum, heat), heat.highest_rise->base());
  heat.highest_deg_c = 90;
  drum.air.deg_c = 40;
  EXPECT_DOUBLE_EQ(*highest_rise(drum, heat), std::min(50.0, heat.highest_rise->base()));
  heat.highest_rise.reset();
  EXPECT_DOUBLE_EQ(*highest_rise(drum, heat), 50.0);
  // Copper has 0.39 % more a kelvin: at 40 degrees 5.85 % more than the rig says for 25.
  const double resistance = std::get<BrushedMotor>(drum.motor).resistance.base();
  EXPECT_NEAR(model_of(drum).winding_loss, 1.0585 * resistance, 1e-12);
}

TEST(OtherKinds, EnableMayBeTiedOrLeftOpen) {
  const Rig rig = rig_of("brushed", "two-input H-bridge");
  const auto open = [](std::optional<OpenEnable> does) {
    return [does](Rig&, Mechanism& m) {
      std::get<BridgeWiring>(m.wiring).enable.reset();
      m.common.enable = EnableUse::open;
      std::get<HBridge>(m.board).enable_open = does;
    };
  };
  EXPECT_EQ(codes_after(rig, open(OpenEnable::on)), Codes{});
  EXPECT_EQ(codes_after(rig, open(OpenEnable::off)), Codes{"enable-left-open"});
  Rig unknown = rig;
  open(std::nullopt)(unknown, unknown.mechanisms[0]);
  EXPECT_EQ(codes_of(unknown), Codes{});
  EXPECT_EQ(unchecked_of(unknown).count("mechanism.drum.board.enable_open"), 1u);
}

TEST(OtherKinds, PartsBetweenLiftLevelsAndIsolate) {
  Rig rig = rig_of("brushed", "sign-and-magnitude H-bridge");
  rig.mechanisms[0].supply.ground_joined.reset();
  std::vector<std::string> needs;
  for (const Unchecked& unchecked : testing_support::inspected(rig).unchecked)
    if (unchecked.code == "grounds-apart") needs.push_back(unchecked.needs);
  EXPECT_EQ(needs, std::vector<std::string>{"supply." + rig.mechanisms[0].supply.name + ".ground_joined"});
  rig.mechanisms[0].supply.ground_joined = false;
  std::get<HBridge>(rig.mechanisms[0].board).inputs.threshold = 4_V;
  EXPECT_EQ(codes_of(rig), Codes({"grounds-apart", "level-too-low"}));
  rig.parts.push_back({.name = "shifter",
                       .kind = BetweenPart::Kind::level_shifter,
                       .output_level = 5_V,
                       .input_threshold = 2_V,
                       .input_current = 1_mA,
                       .output_current = 8_mA});
  rig.mechanisms[0].common.through = "shifter";
  EXPECT_EQ(codes_of(rig), Codes{"grounds-apart"}) << "a shifter isolates nothing";
  rig.parts[0].kind = BetweenPart::Kind::isolator;
  EXPECT_EQ(codes_of(rig), Codes{});
  rig.parts[0].input_threshold = 3.5_V;
  EXPECT_EQ(codes_of(rig), Codes{"level-too-low"}) << "the part's own threshold";
  rig.parts[0].input_threshold = 2_V;
  rig.parts[0].input_current = 20_mA;
  EXPECT_EQ(codes_of(rig), Codes{"line-overloaded"});
  rig.parts[0].input_current = 1_mA;
  rig.parts[0].output_current = 0.1_mA;
  EXPECT_EQ(codes_of(rig), Codes{"line-overloaded"}) << "it gives the board too little";
}

TEST(OtherKinds, APartBetweenMayBeTooSlowForTheSteps) {
  Rig rig = rig_of("bipolar stepper", "STEP/DIR");
  rig.parts.push_back(
      {.name = "opto", .kind = BetweenPart::Kind::isolator, .output_level = 5_V, .input_current = 5_mA});
  rig.mechanisms[0].common.through = "opto";
  EXPECT_EQ(codes_of(rig), Codes{});
  rig.parts[0].top_rate = 8_kHz;
  EXPECT_EQ(codes_of(rig), Codes{"pulse-rate-beyond-controller"}) << "4800 pulses are 9600 changes";
  rig.parts[0].top_rate = 10_kHz;
  EXPECT_EQ(codes_of(rig), Codes{});
}

TEST(OtherKinds, WhatLinesDoAtBootMattersByTheirPolarity) {
  const auto booted = [](const char* motor, const char* board, std::optional<BootLevel> level,
                         std::optional<ActiveLevel> held) {
    return codes_after(rig_of(motor, board), [&](Rig& r, Mechanism& m) {
      r.controller.at_boot = level;
      std::visit([&](auto& kind) { kind.inputs.external_pull = held; }, m.board);
    });
  };
  EXPECT_EQ(booted("brushed", "two-input H-bridge", BootLevel::low, std::nullopt), Codes{});
  EXPECT_EQ(booted("brushed", "two-input H-bridge", BootLevel::high, std::nullopt), Codes{"line-floats"});
  EXPECT_EQ(booted("brushed", "two-input H-bridge", BootLevel::floating, std::nullopt), Codes{"line-floats"});
  EXPECT_EQ(booted("brushed", "two-input H-bridge", BootLevel::high, ActiveLevel::low), Codes{})
      << "the board's own resistors win";
  EXPECT_EQ(booted("bipolar stepper", "STEP/DIR", BootLevel::floating, std::nullopt), Codes{})
      << "nothing goes through a diode that nobody drives";
  EXPECT_EQ(booted("bipolar stepper", "STEP/DIR", BootLevel::low, std::nullopt), Codes{"line-floats"})
      << "ENABLE is active low";
  EXPECT_EQ(booted("brushed", "two-input H-bridge", std::nullopt, std::nullopt), Codes{});
}

TEST(OtherKinds, GatesThatNoTimerKeepsApartCanBeOnTogether) {
  const Rig rig = rig_of("brushless", "six-gate inverter");
  EXPECT_EQ(codes_after(rig,
                        [](Rig& r, Mechanism& m) {
                          r.controller.timers.push_back({"plain", 16, 1, 6, 0});
                          m.common.timer = "plain";
                        }),
            Codes({"both-gates-on", "too-few-channels"}));
  EXPECT_EQ(codes_after(rig, [](Rig&, Mechanism& m) { std::get<GateWiring>(m.wiring).dead_time = 100_ns; }),
            Codes{"dead-time-too-short"});
  EXPECT_EQ(codes_after(rig,
                        [](Rig&, Mechanism& m) {
                          std::get<GateWiring>(m.wiring).dead_time = 100_ns;
                          std::get<SixGateInverter>(m.board).locks_legs = true;
                        }),
            Codes{});
  EXPECT_EQ(unchecked_of([&] {
              Rig without = rig;
              without.mechanisms[0].common.timer.reset();
              return without;
            }())
                .count("mechanism.drum.lines.timer"),
            1u);
}

TEST(OtherKinds, MotorsMadeForOtherVoltsAreToldApart) {
  const auto fed = [](const char* motor, Voltage voltage) {
    return codes_after(rig_of(motor, ""), [&](Rig& r, Mechanism& m) {
      m.supply.voltage = voltage;
      for (Supply& supply : r.supplies) supply.voltage = voltage;
    });
  };
  EXPECT_EQ(fed("hobby servo", 5_V), Codes{});
  EXPECT_EQ(fed("hobby servo", 3_V), Codes{"supply-too-low"});
  EXPECT_EQ(fed("hobby servo", 12_V), Codes{"supply-over-board"});
  EXPECT_EQ(fed("brushless with speed controller", 12_V), Codes{"supply-too-low"});
}

TEST(OtherKinds, ABoardThatIsTooHotSaysAfterHowManyMinutes) {
  Rig rig = rig_of("unipolar stepper", "");
  auto& stage = std::get<TransistorArray>(rig.mechanisms[0].board).stage;
  stage.thermal_resistance = ThermalResistance::from_base(500);
  stage.heat_capacity = HeatCapacity::from_base(2);
  const Inspection inspection = testing_support::inspected(rig);
  ASSERT_EQ(inspection.findings.size(), 1u);
  const double loss = 2.0 * 0.8 * 4.2 / 34.0;
  const double minutes = -500.0 * 2.0 * std::log(1.0 - 60.0 / (500.0 * loss)) / 60.0;
  EXPECT_NE(inspection.findings[0].what.find(fmt::format("after {:.3g} minutes", minutes)), std::string::npos)
      << inspection.findings[0].what;
}

TEST(OtherKinds, AnInconsistentLeaderIsFoundByEitherSign) {
  Rig rig = parse_rig(
      new_rig_text({"Drum and reel", {{"drum", "brushed", ""}, {"reel", "bipolar stepper", ""}}, {}, {}}),
      "x");
  Mechanism& reel = rig.mechanisms[1];
  reel.follows = Following{{"drum", OutputPosition(36_deg)}};
  EXPECT_EQ(codes_of(rig), Codes{"follower-too-slow"}) << "2400 rpm / 10 is over 180 rpm";
  reel.follows->first.by = OutputPosition(-36_deg);
  EXPECT_EQ(codes_of(rig), Codes{"follower-too-slow"});
  reel.follows->first.by = OutputPosition(18_deg);
  EXPECT_EQ(codes_of(rig), Codes{});
}

}  // namespace
}  // namespace cogstride::other_kinds_test
