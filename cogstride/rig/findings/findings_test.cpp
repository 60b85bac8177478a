#include "cogstride/rig/findings/findings.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>
#include <random>
#include <regex>
#include <set>
#include <sstream>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/keys/kinds.hpp"
#include "support/demo_rig.hpp"
#include "support/inspected.hpp"

namespace cogstride::findings_test {
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
    {"enable-left-open", "enable = { line = 30 }", "enable = \"open\"", "tie it high"},
    {"coil-order", "a_minus = { line = 10 }\nb_plus = { line = 9 }",
     "a_minus = { line = 9 }\nb_plus = { line = 10 }", "which is connector order"},
    {"line-overloaded", "line_current = \"12 mA\"", "line_current = \"4 mA\"",
     "takes 7.78 mA, and a line gives 4 mA"},
    {"line-overloaded", "all_lines_current = \"80 mA\"", "all_lines_current = \"50 mA\"",
     "all outputs high take 56.6 mA"},
    {"level-too-low", "input_threshold = \"2.4 V\"\nlowest_supply = \"12 V\"",
     "input_threshold = \"3.5 V\"\nlowest_supply = \"12 V\"", "a level shifter"},
    {"input-over-voltage", "highest_supply = \"20 V\"\noutput_level = \"3.3 V\"",
     "highest_supply = \"20 V\"\noutput_level = \"5 V\"", "its output gives 5 V, and a line stands 3.6 V"},
    {"sensor-supply", "lowest_supply = \"4.5 V\"\nhighest_supply = \"5.5 V\"\noutput_level",
     "lowest_supply = \"8 V\"\nhighest_supply = \"12 V\"\noutput_level", "works with 8 V to 12 V"},
    {"grounds-apart", "clamp_resistance = \"10 ohm\"\nground_joined = true",
     "clamp_resistance = \"10 ohm\"\nground_joined = false", "the ground of main is not joined"},
    {"line-floats", "a_low = { line = 17, external_pull = \"low\" }", "a_low = { line = 17 }",
     "a_low floats while the controller boots"},
    {"line-floats", "a_low = { line = 17, external_pull = \"low\" }",
     "a_low = { line = 17, external_pull = \"high\" }", "a_low is on while the controller boots"},
    {"line-floats", "current = \"8 mA\"\nexternal_pull = \"low\"", "current = \"8 mA\"", "on floats"},
    {"too-few-channels", "prescaler = 16\nchannels = 2", "prescaler = 16\nchannels = 1",
     "timer pulses has 1 channels, and 2 are asked for"},
    {"too-few-channels", "count = 2\n", "count = 1\n", "there are 2 encoders"},
    {"too-few-channels", "channels = 3\nbits = 12", "channels = 2\nbits = 12",
     "there is no analogue input 2"},
    {"fed-by-controller", "supply = \"desk\"\nconnector", "supply = \"small\"\nconnector",
     "supply small feeds the controller too"},
    {"supply-over-board", "highest_supply = \"40 V\"\nhighest_current = \"2.2 A\"",
     "highest_supply = \"20 V\"\nhighest_current = \"2.2 A\"", "has 24 V, and the board stands 20 V"},
    {"supply-too-low", "lowest_supply = \"12 V\"", "lowest_supply = \"30 V\"", "needs 30 V"},
    {"supply-too-small", "current = \"8 A\"", "current = \"5 A\"", "supply main gives 5 A"},
    {"coil-overdriven", "drop = \"0.8 V\"\nboard_thermal_resistance = \"80 K/W\"",
     "drop = \"0.1 V\"\nboard_thermal_resistance = \"80 K/W\"", "0.144 A through a coil of 0.123 A"},
    {"current-over-rating", "rated_current = \"1.6 A\"        # a winding\nrated_voltage = \"3.04 V\"",
     "rated_current = \"1.2 A\"\nrated_voltage = \"2.28 V\"", "set the board to 1.2 A or less"},
    {"board-over-current", "highest_current = \"2.2 A\"", "highest_current = \"1.5 A\"",
     "and it gives 1.5 A for ever"},
    {"switches-disagree", "microstep_switches = \"110\"", "microstep_switches = \"101\"",
     "set 16 microsteps, and microsteps says 8: every move is 0.5 times as long"},
    {"switches-disagree", "current_switches = \"01\"", "current_switches = \"10\"",
     "set 1.2 A, and current says 1.6 A"},
    {"step-angle-disagrees", "step_angle = \"1.8 deg\"", "step_angle = \"0.9 deg\"", "make 180 deg a turn"},
    {"winding-disagrees", "rated_voltage = \"3.04 V\"", "rated_voltage = \"12 V\"", "are 3.04 V, not 12 V"},
    {"steps-mixed", "steps_per_turn = 24 ", "steps_per_turn = 48 ", "a turn becomes two"},
    {"steps-mixed", "steps_per_turn = 24 ", "steps_per_turn = 12 ", "a turn becomes half of one"},
    {"interval-too-coarse", "line_current = \"12 mA\"",
     "interval_resolution = \"0.1 ms\"\nline_current = \"12 mA\"", "takes a step each 0.0625 ms"},
    {"pulse-too-short", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\npulse_width = \"1 us\"",
     "STEP pulses last 1 us"},
    {"pulse-too-short", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\npulse_width = \"61 us\"",
     "rests for 1.5 us"},
    {"dir-too-near", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\ndir_steady_before = \"4 us\"",
     "stands 4 us before"},
    {"dir-too-near", "[mechanism.traverse.lines]", "[mechanism.traverse.lines]\ndir_steady_after = \"4 us\"",
     "stands 4 us after"},
    {"dead-time-too-short", "alignment = \"centre\"\n", "alignment = \"centre\"\ndead_time = \"500 ns\"\n",
     "keeps 500 ns, and the board needs 800 ns"},
    {"bootstrap-empties", "dead_time = \"800 ns\"\n",
     "dead_time = \"800 ns\"\nbootstrap_holds = \"40 us\"\nbootstrap_refresh = \"3 us\"\n",
     "hold 0.04 ms and are full again in 3 us; a period at 20 kHz lasts 50 us"},
    {"bootstrap-empties", "dead_time = \"800 ns\"\n",
     "dead_time = \"800 ns\"\nbootstrap_holds = \"4 ms\"\nbootstrap_refresh = \"8 us\"\n",
     "a lower pwm_frequency"},
    {"both-gates-on", "a_low = { line = 17, external_pull = \"low\" }",
     "a_low = { line = 17, active = \"low\", external_pull = \"high\" }", "its partner comes on with it"},
    {"pulse-rate-beyond-controller", "top_step_rate = \"60 kHz\"", "top_step_rate = \"12 kHz\"",
     "45 mm/s can be had"},
    {"timer-off-frequency", "prescaler = 16", "prescaler = 8", "a prescaler of 15 or more"},
    {"timer-off-frequency", "frame_rate = \"50 Hz\"\narming", "frame_rate = \"60 Hz\"\narming",
     "one timer has one frequency"},
    {"pwm-too-coarse", "[controller.timer.duty]\nwidth = 16\n",
     "[controller.timer.duty]\nwidth = 16\nprescaler = 16\n", "in steps of 0.667 %: 150 counts"},
    {"pwm-audible", "pwm_frequency = \"20 kHz\"\ntimer = \"duty\"",
     "pwm_frequency = \"8 kHz\"\ntimer = \"duty\"", "8 kHz can be heard"},
    {"pwm-too-fast", "highest_pwm = \"30 kHz\"", "highest_pwm = \"15 kHz\"", "the board follows 15 kHz"},
    {"encoder-too-fast", "top_rate = \"1 MHz\"", "top_rate = \"50 kHz\"", "1500 rpm"},
    {"start-above-pull-in", "start_speed = \"4 mm/s\"", "start_speed = \"30 mm/s\"",
     "can jump to about 16.92 mm/s"},
    {"acceleration-beyond-torque", "acceleration = \"1500 mm/s2\"\njerk = \"40000 mm/s3\"",
     "acceleration = \"3000 mm/s2\"\njerk = \"900000 mm/s3\"", "about 2280 mm/s2 can be had"},
    {"acceleration-beyond-torque", "speed = \"600 rpm\"\n",
     "speed = \"600 rpm\"\nacceleration = \"8000 deg/s2\"\n", "about 4909 deg/s2"},
    {"speed-beyond-torque", "speed = \"600 rpm\"", "speed = \"700 rpm\"", "about 67"},
    {"speed-beyond-torque", "speed = \"500 deg/s\"\n\n[hand", "speed = \"600 deg/s\"\n\n[hand",
     "500 deg/s can be had"},
    {"on-resonance", "microstep_switches = \"110\"     # as they are set, 1 is on\nmicrosteps = 8",
     "microstep_switches = \"000\"\nmicrosteps = 1", "keep away from 2.185 mm/s"},
    {"homing-overruns", "from = \"-3.5 mm\"", "from = \"-1.1 mm\"", "home at 5.338 mm/s or less"},
    {"switch-in-travel", "acts_at = \"-0.992 mm\"\nreleases_at = \"-0.958 mm\"",
     "acts_at = \"0.2 mm\"\nreleases_at = \"0.3 mm\"", "inside the travel"},
    {"switch-out-of-reach", "from = \"-3.5 mm\"", "from = \"-0.5 mm\"", "hard end is at -0.5 mm"},
    {"broken-wire-unseen", "contact = \"normally closed\"    # to ground",
     "contact = \"normally open\"  # to ground", "with a broken wire it never acts"},
    {"broken-wire-unseen", "contact = \"normally closed\"\nactive = \"high\"\nbounce = \"5 ms\"",
     "contact = \"normally open\"\nactive = \"high\"\nbounce = \"5 ms\"", "normally closed contact"},
    {"last-level-stays", "cuts = [\"main\"]                # in its own circuit, whatever the program does",
     "[controller.gpio.main]\nchip = \"gpiochip0\"\nlines = 48",
     "nothing cuts the power of traverse, creel, spindle, feeder, fan, snips"},
    {"last-level-stays", "[controller.counters]",
     "[controller.gpio.main]\nchip = \"gpiochip0\"\nlines = 48\n\n[controller.counters]",
     "nothing cuts the power of creel, snips"},
    {"bounce-over-debounce", "bounce = \"1.5 ms\"\ndebounce = \"4 ms\"",
     "bounce = \"6 ms\"\ndebounce = \"4 ms\"", "bounces for 6 ms"},
    {"bound-twice", "[output.lamp]",
     "[binding.a]\ncontrol = \"pedal\"\non = \"stop creel\"\n\n[binding.b]\ncontrol = \"pedal\"\non = \"stop "
     "feeder\"\n\n[output.lamp]",
     "pedal is bound to a already"},
    {"heard-by-another", "[output.lamp]",
     "[device.a]\nport = \"/dev/ttyS0\"\nends_after = \"20 ms\"\n\n[device.a.message.x]\ntext = \"x\"\n\n"
     "[device.b]\nport = \"/dev/ttyS0\"\nends_after = \"20 ms\"\n\n[device.b.message.x]\ntext = "
     "\"x\"\n\n[output.lamp]",
     "/dev/ttyS0 is a's already"},
    {"bus-too-fast", "[output.lamp]",
     "[bus_sensor.watcher]\nbus = \"/dev/i2c-1\"\naddress = 0x39\nline = 47\nreads = 0x43\nbus_speed = \"400 "
     "kHz\"\n"
     "top_bus_speed = \"100 kHz\"\nleast_between = \"100 ms\"\n\n[bus_sensor.watcher.event.along]\nvalue = "
     "1\n\n"
     "[output.lamp]",
     "the bus at 100 kHz or less"},
    {"events-missed", "[output.lamp]",
     "[bus_sensor.watcher]\nbus = \"/dev/i2c-1\"\naddress = 0x39\nline = 47\nreads = 0x43\n"
     "top_bus_speed = \"100 kHz\"\nleast_between = \"4 ms\"\n\n[bus_sensor.watcher.event.along]\nvalue = "
     "1\n\n"
     "[output.lamp]",
     "the first of two would be missed"},
    {"input-over-voltage", "[output.lamp]",
     "[remote.remote]\nline = 47\noutput_level = \"5 V\"\n\n[remote.remote.key.up]\ncode = 0xe916fb04\n\n"
     "[output.lamp]",
     "its output gives 5 V"},
    {"hold-without-end", "[output.lamp]",
     "[binding.a]\ncontrol = \"key j\"\non = \"jog creel on at 5 deg/s\"\nlatched = true\n\n[output.lamp]",
     "with nobody's hand on it"},
    {"start-duty-too-high", "lowest_duty = \"20 %\"", "lowest_duty = \"10 %\"",
     "breaks loose at 13.3 % duty"},
    {"start-duty-too-high", "lowest_throttle = \"10 %\"", "lowest_throttle = \"5 %\"",
     "starts at 6 % throttle"},
    {"reversal-too-soon", "reversal_pause = \"2.5 s\"", "reversal_pause = \"0.5 s\"",
     "stands after 1.9815 s"},
    {"servo-beyond-ends", "to = \"70 deg\"", "to = \"180 deg\"", "lie at 0 deg and 168 deg"},
    {"leader-counts-coarse", "lines_per_turn = 500", "lines_per_turn = 6", "an encoder of 12 lines or more"},
    {"follower-has-play", "viscous_friction = \"1e-4 N m s\"",
     "viscous_friction = \"1e-4 N m s\"\nbacklash = \"0.05 mm\"", "a train without play"},
    {"follower-too-slow", "by = \"1.4 mm\"", "by = \"2.4 mm\"", "it can follow spindle up to"},
    {"winding-too-hot", "highest_rise = \"80 K\"\n\n[mechanism.traverse.board]",
     "highest_rise = \"30 K\"\n\n[mechanism.traverse.board]", "over the 30 K they stand, after 31.2 minutes"},
    {"board-too-hot", "board_thermal_resistance = \"80 K/W\"", "board_thermal_resistance = \"400 K/W\"",
     "0.198 W in its output stage warm it by 79"},
    {"braking-energy", "clamp_resistance = \"10 ohm\"", "clamp_resistance = \"40 ohm\"",
     "the clamp takes 22.5 W"},
    {"braking-energy",
     "clamp_voltage = \"30 V\"         # takes what the feeder pumps back\nclamp_resistance = \"10 ohm\"\n",
     "", "of motion pump 2.2e+03 uF from 24 V up to"},
    {"braking-energy", "clamp_voltage = \"30 V\"", "clamp_voltage = \"35 V\"", "the clamp begins at 35 V"},
    {"contact-inverted",
     "contact = \"normally closed\"    # to ground: a broken wire acts like the switch\nline = 4\nactive = "
     "\"high\"",
     "contact = \"normally closed\"\ninternal_pull = \"up\"\nline = 4\nactive = \"low\"",
     "acting it makes the line high"},
    {"contact-inverted", "line = 38\ncontact = \"normally closed\"\nactive = \"high\"",
     "line = 38\ncontact = \"normally closed\"\nactive = \"high\"\ninternal_pull = \"down\"",
     "write active = \"low\""},
    {"volts-over-motor", "rated_voltage = \"24 V\"\nresistance = \"2.6 ohm\"",
     "rated_voltage = \"18 V\"\nresistance = \"2.6 ohm\"", "limits.highest_duty = 75 %"},
    {"stall-over-board", "highest_current = \"5 A\"\nstage_resistance = \"0.25 ohm\"",
     "highest_current = \"4 A\"\nstage_resistance = \"0.25 ohm\"", "held fast it takes 8.25 A"},
    {"ratio-disagrees", "train_sold_as = \"107.5:1\"", "train_sold_as = \"1:107.5\"",
     "one of the two is upside down"},
    {"ratio-disagrees", "train_sold_as = \"107.5:1\"", "train_sold_as = \"104:1\"", "count the teeth again"},
    {"ripple-over-limit", "inductance = \"0.31 mH\"", "inductance = \"0.004 mH\"",
     "the board's limit is 4 A"},
    {"load-stalls",
     "inertia = \"7.6e-5 kg m2\"       # rotor, belt, screw, hand wheel, yarn guide\ncoulomb_friction = "
     "\"0.020 N m\"",
     "inertia = \"7.6e-5 kg m2\"\ncoulomb_friction = \"0.31 N m\"", "friction takes 0.31 N m"},
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

TEST(Findings, OnTheSoundRigThereIsOneNote) {
  const Inspection inspection = inspect_rig(testing_support::demo_rig());
  ASSERT_EQ(inspection.findings.size(), 1u) << inspection.findings.front().what;
  EXPECT_EQ(inspection.findings[0].code, "ratio-as-sold");
  EXPECT_EQ(inspection.findings[0].mechanism, "creel");
  // 107.5 against 107.4806: 0.01943 / 107.48 of a turn.
  EXPECT_NE(inspection.findings[0].what.find(
                "127687/1188 = 107.481:1: 0.06485 deg off a turn behind the gears, one step after 2.15"),
            std::string::npos)
      << inspection.findings[0].what;
  EXPECT_TRUE(inspection.unchecked.empty()) << inspection.unchecked.front().needs;
  EXPECT_TRUE(inspection.is_sound());
}

TEST(Findings, TheNoteGoesWithTheRatioOfTheTeeth) {
  EXPECT_TRUE(
      inspection_of("train_sold_as = \"107.5:1\"", "train_sold_as = \"127687:1188\"").findings.empty());
}

TEST(Findings, EachIsRaisedByItsFaultAndNoUnrelatedOne) {
  const std::string text = demo_text();
  const auto lines_in_demo = static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n')) + 2;
  for (const Fault& fault : faults) {
    Inspection inspection = inspection_of(fault.from, fault.to);
    std::erase_if(inspection.findings, [](const Finding& f) { return f.code == "ratio-as-sold"; });
    std::string said;
    for (const Finding& finding : inspection.findings)
      said += finding.code + " " + finding.mechanism + ": " + finding.what + " / " + finding.way_out + "\n";
    ASSERT_GE(inspection.findings.size(), 1u) << fault.code << ": " << fault.to;
    for (const Finding& finding : inspection.findings) {
      EXPECT_EQ(finding.code, fault.code) << fault.to << "\n" << said;
      EXPECT_EQ(finding.severity, finding_kind(fault.code).severity);
      EXPECT_GT(finding.way_out.size(), 10u);
      EXPECT_GT(finding.place.line, 1u) << fault.code;
      EXPECT_LE(finding.place.line, lines_in_demo) << fault.code;
    }
    EXPECT_NE(said.find(fault.says), std::string::npos) << said;
    EXPECT_FALSE(inspection.is_sound());
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
  codes.erase("ratio-as-sold");  // the demo rig's own note
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
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) { m.stepper().inductance = Inductance(60, units::mH); })),
            (std::set<std::string>{"speed-beyond-torque"}));
  EXPECT_EQ(codes_of(demo_with([](Mechanism& m) {
              m.supply.voltage = Voltage(3, units::V);
            })).count("supply-too-low"),
            1u);
}

/// A rig with its amounts and counts scaled at random, most of them left alone so that it is wrong in few
/// places.
std::string scaled(const std::string& text, std::mt19937_64& random) {
  static const std::regex amount("\"(-?[0-9][0-9.]*(e-?[0-9]+)?) ([a-zA-Z0-9/ %]+)\"");
  std::uniform_real_distribution<double> magnitude(-2.0, 2.0);
  std::string changed;
  auto last = text.cbegin();
  for (auto it = std::sregex_iterator(text.begin(), text.end(), amount); it != std::sregex_iterator(); ++it) {
    changed.append(last, text.cbegin() + it->position());
    last = text.cbegin() + it->position() + it->length();
    const double factor = random() % 16 == 0 ? std::pow(10.0, magnitude(random)) : 1.0;
    changed += fmt::format("\"{:.6g} {}\"", std::stod((*it)[1]) * factor, (*it)[3].str());
  }
  return changed.append(last, text.cend());
}

/// Whatever is accepted can be inspected and shown. @return whether it was accepted
bool inspects(const std::string& text, std::set<std::string>& codes) {
  try {
    const Rig rig = parse_rig(text, "random.rig.toml");
    for (const Finding& finding : inspect_rig(rig).findings) {
      codes.insert(finding.code);
      const std::string said = finding.what + finding.way_out;
      EXPECT_EQ(said.find("nan"), std::string::npos) << said;
      EXPECT_EQ(said.find("inf "), std::string::npos) << said;
    }
    for (const Mechanism& mechanism : rig.mechanisms) {
      for (const FigureRow& row : figure_rows(rig, mechanism)) {
        EXPECT_EQ(row.text.find("nan"), std::string::npos) << row.text;
        EXPECT_EQ(row.text.find("inf "), std::string::npos) << row.text;
      }
    }
    return true;
  } catch (const InputError& error) {
    EXPECT_FALSE(error.diagnostics().empty());
    return false;
  }
}

TEST(Findings, OfRandomRigsAreAlwaysFigures) {
  std::mt19937_64 random(17);
  std::set<std::string> codes;
  int accepted = 0;
  const std::string text = demo_text();
  for (int i = 0; i < 400; ++i) accepted += inspects(scaled(text, random), codes) ? 1 : 0;
  EXPECT_GT(accepted, 40);
  EXPECT_GE(codes.size(), 30u) << "so many kinds come up by chance";
}

TEST(Findings, OfRandomRigsOfEveryKindAreAlwaysFigures) {
  std::mt19937_64 random(29);
  std::set<std::string> codes;
  int accepted = 0;
  for (const NamedKind<Motor>& motor : motor_kinds()) {
    for (const NamedKind<Board>& board : board_kinds()) {
      if (!fits(motor.part, board.part)) continue;
      const std::string text = new_rig_text({"Random", {{"drum", motor.word, board.word}}, {}, {}});
      for (int i = 0; i < 60; ++i) accepted += inspects(scaled(text, random), codes) ? 1 : 0;
    }
  }
  EXPECT_GT(accepted, 300);
  EXPECT_GE(codes.size(), 20u);
}

TEST(Findings, SayWhatCouldNotBeChecked) {
  const Inspection inspection = inspect_rig(demo_with([](Mechanism& m) {
    m.stepper().step_angle.reset();
    m.stepper().heat.thermal_resistance.reset();
    m.step_dir().inputs.threshold.reset();
  }));
  std::set<std::string> needs;
  for (const Unchecked& unchecked : inspection.unchecked) needs.insert(unchecked.needs);
  EXPECT_EQ(needs, (std::set<std::string>{"mechanism.traverse.motor.step_angle",
                                          "mechanism.traverse.motor.thermal_resistance",
                                          "mechanism.traverse.board.input_threshold"}));
  EXPECT_TRUE(inspection.is_sound());
}

TEST(Findings, ADividerIsToldThatItGivesMoreThanItsInputReads) {
  const std::string path = std::string(COGSTRIDE_SOURCE_DIR) + "/demo/skein.rig.toml";
  Rig rig = read_rig(path);
  EXPECT_TRUE(testing_support::inspected(rig).findings.empty());
  for (Sensor& sensor : rig.mechanisms[0].sensors)
    if (auto* const terminals = std::get_if<TerminalVoltages>(&sensor))
      terminals->upper = Resistance(6'800.0, units::ohm);
  const Inspection inspection = testing_support::inspected(rig);
  ASSERT_EQ(inspection.findings.size(), 1u);
  EXPECT_EQ(inspection.findings[0].code, "divider-over-range");
  EXPECT_NE(inspection.findings[0].way_out.find("9.1 to 1"), std::string::npos)
      << inspection.findings[0].way_out;
}

/// By the steps that the chip makes before its ramp, whatever the line delays.
TEST(Findings, HomingOverALinkStopsAFewStepsLater) {
  Rig rig = read_rig(std::string(COGSTRIDE_SOURCE_DIR) + "/demo/lace.rig.toml");
  const auto says = [&] {
    for (const Finding& each : testing_support::inspected(rig).findings)
      if (each.code == "homing-overruns") return each.what + "; " + each.way_out;
    return std::string();
  };
  EXPECT_EQ(says(), "");
  rig.controller.link.emplace().port = "/dev/ttyUSB0";
  EXPECT_EQ(says(), "");
  rig.controller.link->delay = Time(80, units::ms);
  EXPECT_EQ(says(), "");
  rig.mechanisms[0].homing->speed = parse_output<1>("45 mm/s");
  const std::string words = says();
  EXPECT_EQ(words.rfind("stopping from 45 mm/s takes 2.", 0), 0u) << words;
  // 45 mm/s x 2.5 ms and two steps of 1/160 mm.
  EXPECT_NE(words.find(", 0.125 mm of it before the chip's ramp begins, and behind gate there are 1.99 mm"),
            std::string::npos)
      << words;
  // What it proposes is enough.
  const std::size_t at = words.find("home at ") + 8;
  rig.mechanisms[0].homing->speed = parse_output<1>(words.substr(at, words.find(" or less") - at));
  EXPECT_EQ(says(), "");
}

TEST(Findings, ALinkIsNoFasterThanItsChipTakesBytes) {
  Rig rig = read_rig(std::string(COGSTRIDE_SOURCE_DIR) + "/demo/lace.rig.toml");
  rig.controller.link.emplace().port = "/dev/ttyUSB0";
  const auto at = [&](std::int64_t baud, std::size_t axes) {
    Rig some = rig;
    some.controller.small_chip->serial_baud = baud;
    some.mechanisms.resize(axes);
    const Inspection inspection = testing_support::inspected(some);
    std::string what;
    for (const Finding& each : inspection.findings)
      if (each.code == "link-too-fast") what = each.what + "; " + each.way_out;
    return what;
  };
  ASSERT_EQ(rig.mechanisms.size(), 2u);
  EXPECT_EQ(at(500'000, 2), "");
  EXPECT_EQ(at(1'000'000, 1), "");
  EXPECT_EQ(at(1'000'000, 2),
            "a byte comes each 10 us, and beside the steps of 2 axes the chip takes one each 20 us; "
            "serial_baud = 500000 or less, with the program made anew");
  rig.controller.timer_clock = ExactFrequency(4, units::MHz);
  EXPECT_NE(at(500'000, 1), "");
  rig.controller.link.reset();
  EXPECT_EQ(at(1'000'000, 2), "");
}

TEST(Findings, EveryKindHasAStoryAFormulaAndAFault) {
  // Refused while reading, with the same codes: ReadRig.* tests them. And what another rig has.
  std::set<std::string> raised = {"ratio-as-sold", "line-used-twice", "switch-setting-unknown",
                                  "divider-over-range", "link-too-fast", "servo-gives-up",
                                  "channel-used-twice", "wheels-differ", "shunt-over-range",
                                  // On a bus: bus_findings_test.
                                  "bus-missing", "bus-id-twice", "bus-busy", "heartbeat-too-slow",
                                  "drive-above-motor", "drive-above-supply", "drives-above-supply",
                                  // By export: compile_script_test.
                                  "chip-pin", "chip-timer", "chip-rate", "chip-serial", "chip-needs-host",
                                  "chip-memory", "chip-not-rehearsed", "chip-left-out"};
  for (const Fault& fault : faults) raised.insert(fault.code);
  // Each of those rigs is told so.
  raised.insert("no-emergency-stop");
  std::ifstream as_made(COGSTRIDE_SOURCE_DIR "/tests/rigs/faults");
  for (std::string line; std::getline(as_made, line);) {
    std::istringstream words(line.substr(0, line.rfind('|')));
    for (std::string word; words >> word;) raised.insert(word);
  }
  std::set<std::string> codes;
  for (const FindingKind& kind : finding_kinds()) {
    EXPECT_TRUE(codes.insert(kind.code).second);
    EXPECT_EQ(raised.count(kind.code), 1u) << kind.code << " has no faulty rig";
    EXPECT_GT(kind.story.size(), 30u);
    EXPECT_GT(kind.formula.size(), 10u);
  }
  EXPECT_THROW((void)finding_kind("enable-inverte d"), RangeError);
}

}  // namespace
}  // namespace cogstride::findings_test
