#include "cogstride/rig/findings.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>
#include <regex>
#include <set>

#include "cogstride/rig/read_rig.hpp"
#include "support/demo_rig.hpp"

namespace cogstride {
namespace {

/// A minimal fault in the sound demo rig: its mended twin is the demo rig itself.
struct Fault {
  const char* code;
  const char* from;
  const char* to;
  const char* says;  ///< part of the message or the way out
};

const Fault faults[] = {
    {"enable-inverted", "enable = { line = 2, active = \"low\" }", "enable = { line = 2, active = \"high\" }",
     "which is low"},
    {"pulse-too-short", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\npulse_width = \"1 us\"",
     "STEP pulses last 1 us"},
    {"pulse-too-short", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\npulse_width = \"61 us\"",
     "rests for 1.5 us"},
    {"dir-too-near", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\ndir_steady_before = \"4 us\"",
     "stands 4 us before"},
    {"dir-too-near", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\ndir_steady_after = \"4 us\"",
     "stands 4 us after"},
    {"pulse-rate-beyond-controller", "top_step_rate = \"60 kHz\"", "top_step_rate = \"12 kHz\"",
     "45 mm/s can be had"},
    {"line-overloaded", "line_current = \"12 mA\"", "line_current = \"4 mA\"",
     "takes 7.78 mA, and a line gives 4 mA"},
    {"level-too-low", "input_threshold = \"2.4 V\"", "input_threshold = \"3.5 V\"", "a level shifter"},
    {"supply-over-board", "highest_supply = \"40 V\"", "highest_supply = \"20 V\"", "stands 20 V"},
    {"supply-too-low", "lowest_supply = \"12 V\"", "lowest_supply = \"30 V\"", "needs 30 V"},
    {"supply-too-small", "current = \"8 A\"", "current = \"0.5 A\"", "supply main gives 0.5 A"},
    {"current-over-rating", "rated_current = \"1.6 A\"        # a winding\nrated_voltage = \"3.04 V\"",
     "rated_current = \"1.2 A\"\nrated_voltage = \"2.28 V\"", "set the board to 1.2 A or less"},
    {"step-angle-disagrees", "step_angle = \"1.8 deg\"", "step_angle = \"0.9 deg\"", "make 180 deg a turn"},
    {"winding-disagrees", "rated_voltage = \"3.04 V\"", "rated_voltage = \"12 V\"", "are 3.04 V, not 12 V"},
    {"ratio-as-sold", "supply = \"main\"\n", "supply = \"main\"\ntrain_sold_as = \"167:1\"\n",
     "nothing to do"},
    {"start-above-pull-in", "start_speed = \"4 mm/s\"", "start_speed = \"30 mm/s\"",
     "can jump to about 16.92 mm/s"},
    {"acceleration-beyond-torque", "acceleration = \"1500 mm/s2\"", "acceleration = \"3000 mm/s2\"",
     "about 2280 mm/s2 can be had"},
    {"on-resonance", "microsteps = 8", "microsteps = 1", "keep away from 2.185 mm/s"},
    {"homing-overruns", "from = \"-3.5 mm\"", "from = \"-1.1 mm\"", "home at 12.73 mm/s or less"},
    {"gate-in-travel", "blocks_at = \"-0.992 mm\"\nclears_at = \"-0.958 mm\"",
     "blocks_at = \"0.2 mm\"\nclears_at = \"0.3 mm\"", "inside the travel"},
    {"gate-out-of-reach", "from = \"-3.5 mm\"", "from = \"-0.5 mm\"", "hard end is at -0.5 mm"},
    {"winding-too-hot", "highest_rise = \"80 K\"", "highest_rise = \"30 K\"",
     "over the 30 K they stand, after 31.2 minutes"},
};

std::string demo_text() {
  return read_text_file(testing_support::demo_rig_path);
}

Inspection inspection_of(const std::string& from, const std::string& to) {
  std::string text = demo_text();
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  return inspect_rig(parse_rig(text.replace(at, from.size(), to), "x.rig.toml"));
}

TEST(Findings, OnTheSoundRigThereAreNone) {
  const Inspection inspection = inspect_rig(testing_support::demo_rig());
  EXPECT_TRUE(inspection.findings.empty()) << inspection.findings.front().what;
  EXPECT_TRUE(inspection.unchecked.empty());
  EXPECT_TRUE(inspection.is_sound());
}

TEST(Findings, EachIsRaisedByItsFaultAndNoUnrelatedOne) {
  for (const Fault& fault : faults) {
    const Inspection inspection = inspection_of(fault.from, fault.to);
    ASSERT_EQ(inspection.findings.size(), 1u) << fault.to;
    const Finding& finding = inspection.findings[0];
    EXPECT_EQ(finding.code, fault.code);
    EXPECT_EQ(finding.severity, finding_kind(fault.code).severity);
    const std::string said = finding.what + " / " + finding.way_out;
    EXPECT_NE(said.find(fault.says), std::string::npos) << said;
    EXPECT_GT(finding.way_out.size(), 10u);
    EXPECT_GT(finding.place.line, 1u) << fault.code;
    EXPECT_EQ(inspection.is_sound(), finding.severity == Severity::note);
  }
}

Rig demo_with(const std::function<void(Mechanism&)>& change) {
  Rig rig = testing_support::demo_rig();
  change(rig.mechanisms[0]);
  return rig;
}

std::set<std::string> codes_of(const Rig& rig) {
  std::set<std::string> codes;
  for (const Finding& finding : inspect_rig(rig).findings) codes.insert(finding.code);
  return codes;
}

TEST(Findings, ThatTakeMoreThanOneChange) {
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) {
              m.limits.acceleration = {OutputKind::linear, Ratio(1, 20)};
            })),
            (std::set<std::string>{"homing-overruns"}))
      << "at 50 mm/s2 stopping from 20 mm/s takes 4 mm";
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) { m.load.coulomb_friction = Torque(0.31, units::Nm); })),
            (std::set<std::string>{"load-stalls"}))
      << "what does not move at all is not also called slow";
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) { m.motor.inductance = Inductance(60, units::mH); })),
            (std::set<std::string>{"speed-beyond-torque"}));
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) {
              m.supply.voltage = Voltage(3, units::V);
            })).count("supply-too-low"),
            1u);
}

// The demo rig with every amount and count scaled at random: whatever is accepted can be inspected and shown.
TEST(Findings, OfRandomRigsAreAlwaysFigures) {
  std::mt19937_64 random(17);
  std::uniform_real_distribution<double> magnitude(-2.0, 2.0);
  const std::string text = demo_text();
  const std::regex amount("\"(-?[0-9.]+(e-?[0-9]+)?) ([a-zA-Z0-9/ ]+)\"");
  int accepted = 0;
  std::set<std::string> codes;
  for (int i = 0; i < 3000; ++i) {
    std::string changed;
    auto last = text.cbegin();
    for (auto it = std::sregex_iterator(text.begin(), text.end(), amount); it != std::sregex_iterator();
         ++it) {
      changed.append(last, text.cbegin() + it->position());
      last = text.cbegin() + it->position() + it->length();
      // Most amounts stay, so that rigs are wrong in few places.
      const double factor = random() % 8 == 0 ? std::pow(10.0, magnitude(random)) : 1.0;
      changed += fmt::format("\"{:.6g} {}\"", std::stod((*it)[1]) * factor, (*it)[3].str());
    }
    changed.append(last, text.cend());
    try {
      const Rig rig = parse_rig(changed, "random.rig.toml");
      const Inspection inspection = inspect_rig(rig);
      ++accepted;
      for (const Finding& finding : inspection.findings) {
        codes.insert(finding.code);
        const std::string said = finding.what + finding.way_out;
        ASSERT_EQ(said.find("nan"), std::string::npos) << said;
        ASSERT_EQ(said.find("inf "), std::string::npos) << said;
      }
    } catch (const InputError& error) {
      ASSERT_FALSE(error.diagnostics().empty());
    }
  }
  EXPECT_GT(accepted, 500);
  EXPECT_GE(codes.size(), 12u) << "so many kinds come up by chance";
}

TEST(Findings, SayWhatCouldNotBeChecked) {
  const Inspection inspection = inspect_rig(demo_with([](Mechanism& m) {
    m.motor.step_angle.reset();
    m.motor.thermal_resistance.reset();
    m.board.input_threshold.reset();
  }));
  std::set<std::string> needs;
  for (const Unchecked& unchecked : inspection.unchecked) needs.insert(unchecked.needs);
  EXPECT_EQ(needs,
            (std::set<std::string>{"motor.step_angle", "motor.thermal_resistance", "board.input_threshold"}));
  EXPECT_TRUE(inspection.is_sound());
}

TEST(Findings, OfTheCreelsGearboxCountTheDriftOfItsLabel) {
  Rig rig = demo_with([](Mechanism& m) {
    m.train = {{GearPair{10, 34}, GearPair{9, 29}, GearPair{11, 35}, GearPair{12, 37}}};
    m.train_sold_as = Ratio(215, 2);
    m.limits = {.speed = {OutputKind::rotary, Ratio(1, 100)},
                .acceleration = {OutputKind::rotary, Ratio(1, 9)},
                .start_speed = {OutputKind::rotary, 0}};
    m.gate.reset();
    m.homing.reset();
    m.hard_ends.reset();
  });
  const Inspection inspection = inspect_rig(rig);
  ASSERT_EQ(inspection.findings.size(), 1u);
  // 107.5 against 107.4806: 0.01943 / 107.48 of a turn.
  EXPECT_NE(inspection.findings[0].what.find("127687/1188 = 107.481:1: 0.06"), std::string::npos)
      << inspection.findings[0].what;
}

TEST(Findings, EveryKindHasAStoryAFormulaAndAFault) {
  std::set<std::string> raised = {"load-stalls", "speed-beyond-torque"};
  for (const Fault& fault : faults) raised.insert(fault.code);
  std::set<std::string> codes;
  for (const FindingKind& kind : finding_kinds()) {
    EXPECT_TRUE(codes.insert(kind.code).second);
    EXPECT_EQ(raised.count(kind.code), 1u) << kind.code << " has no faulty rig";
    EXPECT_GT(kind.story.size(), 40u);
    EXPECT_GT(kind.formula.size(), 10u);
  }
  EXPECT_THROW((void)finding_kind("enable-inverte d"), RangeError);
}

}  // namespace
}  // namespace cogstride
