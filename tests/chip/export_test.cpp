// A program that is made from a rig and a script, in the emulator: what its pins do is what the rehearsal
// shows.
#include <gtest/gtest.h>

#include <array>
#include <cstdlib>
#include <filesystem>
#include <random>

#include "chip/made_chip.hpp"
#include "cogstride/chip/follower.hpp"
#include "cogstride/export/write_tables.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/small_chip.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/linked_rig.hpp"

namespace cogstride::chip_bench {
namespace {

/// The demo's script; short where tests are to be quick.
Script lace_script(const Rig& rig) {
  if (std::getenv("COGSTRIDE_SLOW") != nullptr)
    return read_script(COGSTRIDE_SOURCE_DIR "/demo/lace.moves", rig);
  return parse_script(
      "switch lamp on\nhome carriage\nhome ring\nrepeat 2 times\nstart together\nturn ring to 20 deg\n"
      "move carriage to 20 mm\nend\nmove carriage to 3 mm at 30 mm/s\nwait 0.2 s\nturn ring to 14 "
      "deg\nend\nswitch lamp off\n",
      "short.moves", rig);
}

TEST(ChipExport, PlaysWhatIsRehearsed) {
  const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  const Script script = lace_script(rig);
  const Rehearsal rehearsal =
      rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}, {"ring", parse_output<0>("-12 deg")}});
  EXPECT_TRUE(rehearsal.verdict.is_sound());
  MadeChip made(rig, rehearsal.trace, built(rig, &script, "lace"));
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.5) * clock_rate));
  const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
  const RecordedTrace b = of_steps(made.trace());
  const TraceComparison comparison = compare_traces(a, b, 0.1);
  EXPECT_TRUE(comparison.same_edges());
  EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
  fmt::print("{}", compare_text(comparison));
  // What a compare makes is on its tick; what a port write does comes with its latency.
  const auto only = [](RecordedTrace trace, const std::string& name) {
    std::erase_if(trace.lines, [&](const RecordedLine& line) { return !line.name.starts_with(name); });
    return trace;
  };
  EXPECT_LT(compare_traces(only(a, "carriage.step"), only(b, "carriage.step"), 0.1).worst(), 1e-9);
  const SmallChipFigures figures = figures_of(*rig.controller.small_chip, clock_rate);
  EXPECT_LE(compare_traces(only(a, "ring."), only(b, "ring."), 0.1).worst() * clock_rate,
            static_cast<double>(2 * figures.row_is_off + figures.other_axis_takes));
  EXPECT_LT(comparison.worst(), 250e-6) << "lamps: by the main program";
}

TEST(ChipExport, MovesWhatNeedsNoHoming) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  rig.mechanisms[0].sensors.clear();
  rig.mechanisms[0].homing.reset();
  const Script script =
      parse_script("move carriage to 5 mm\nwait 0.3 s\nmove carriage to 2 mm\n", "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {});
  MadeChip made(rig, rehearsal.trace, built(rig, &script, "free"));
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.2) * clock_rate));
  EXPECT_EQ(made.count(0), 320);
  const TraceComparison comparison =
      compare_traces(of_steps(before_its_end(rehearsal.trace)), of_steps(made.trace()), 0.1);
  EXPECT_TRUE(comparison.same_edges()) << compare_text(comparison);
}

/// The lace winder's carriage alone, which stands at 0 at the start.
Rig free_carriage() {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  rig.mechanisms[0].sensors.clear();
  rig.mechanisms[0].homing.reset();
  return rig;
}

/// Its keys and knob, turned by hand.
class HandedChip : public MadeChip {
 public:
  HandedChip(const Rig& rig, const std::string& program) : MadeChip(rig, {}, program), rig_(rig) {}
  void press(const std::string& name, bool down = true) {
    for (const HandControl& hand : rig_.hands)
      if (hand.name == name)
        chip().drive(pin_of(*hand.line)->port, pin_of(*hand.line)->bit,
                     (hand.active == ActiveLevel::high) == down);
  }
  void run_for(double seconds) { chip().run(std::llround(seconds * clock_rate)); }

 private:
  const Rig& rig_;
};

TEST(ChipExport, ObeysItsKeysAndKnob) {
  const Rig rig = free_carriage();
  HandedChip made(rig, built(rig, nullptr, "handed"));
  constexpr double per_mm = 160.0;
  made.chip().analogue(4, 0.0);
  made.run_for(0.1);
  EXPECT_EQ(made.count(0), 0);
  // A contact that bounces for less than it has to stand is none.
  for (int i = 0; i < 5; ++i) {
    made.press("on");
    made.run_for(0.003);
    made.press("on", false);
    made.run_for(0.002);
  }
  made.run_for(0.1);
  EXPECT_EQ(made.count(0), 0);
  // The knob at nothing: as slowly as the rig says.
  made.press("on");
  made.run_for(1.01);
  EXPECT_NEAR(static_cast<double>(made.count(0)), 2.0 * per_mm, 8.0);
  // It is turned while the key is held: v t, less the ramp up.
  made.chip().analogue(4, 5.0);
  const auto began = static_cast<double>(made.count(0));
  made.run_for(0.5);
  // As late as the runs that wait already.
  const auto is_late = [](double steps, double expected, double most_late) {
    EXPECT_LT(steps, expected + 8.0);
    EXPECT_GT(steps, expected - most_late * 50.0 * per_mm);
  };
  is_late(static_cast<double>(made.count(0)) - began, per_mm * (50.0 * 0.5 - 48.0 * 48.0 / 800.0 / 2.0),
          0.025);
  // Let go: to rest on its ramp, v^2 / 2 a.
  const auto let_go = static_cast<double>(made.count(0));
  made.press("on", false);
  made.run_for(0.3);
  const std::int64_t rests = made.count(0);
  is_late(-(static_cast<double>(rests) - let_go), -per_mm * (50.0 * 50.0 / 800.0 / 2.0 + 50.0 * 0.010),
          0.025);
  made.run_for(0.2);
  EXPECT_EQ(made.count(0), rests);
  // Two keys: who had it has it.
  made.press("on");
  made.run_for(0.1);
  made.press("back");
  made.run_for(0.2);
  EXPECT_GT(made.count(0), rests);
  made.press("on", false);
  made.press("back", false);
  made.run_for(0.3);
  // To both ends of its travel, and no step farther.
  made.press("on");
  made.run_for(3.0);
  EXPECT_EQ(made.count(0), 14'400);
  made.press("on", false);
  made.run_for(0.05);
  made.press("back");
  made.run_for(3.0);
  EXPECT_EQ(made.count(0), 0);
  made.press("back", false);
  made.run_for(0.05);
  EXPECT_TRUE(made.chip().said().ends_with("carriage 0.00 mm\r\n")) << made.chip().said();
  // And nothing after an emergency stop.
  made.press("halt");
  made.run_for(0.01);
  made.press("on");
  made.run_for(0.3);
  EXPECT_EQ(made.count(0), 0);
}

TEST(ChipExport, NudgesHomesAndStopsEverythingByItsKeys) {
  Rig rig = free_carriage();
  rig.bindings = {Binding{.name = "away", .control = "on", .on = "nudge carriage by 0.5 mm"},
                  Binding{.name = "all", .control = "back", .on = "stop everything"}};
  const Script script = parse_script("move carriage to 40 mm\nmove carriage to 0 mm\n", "x.moves", rig);
  HandedChip made(rig, built(rig, &script, "nudged"));
  const auto press = [&](const std::string& name) {
    made.press(name);
    made.run_for(0.03);
    made.press(name, false);
    made.run_for(0.03);
  };
  // While the script is on a nudge is none, and to stop is.
  made.run_for(0.2);
  press("on");
  EXPECT_GT(made.count(0), 100);
  press("back");
  const std::int64_t stood = made.count(0);
  made.run_for(0.5);
  EXPECT_EQ(made.count(0), stood);
  EXPECT_NE(made.chip().said().find("stopped at "), std::string::npos) << made.chip().said();
  EXPECT_NE(made.chip().said().find("carriage ?"), std::string::npos) << "it was ended in mid-motion";
  // Nothing moves before it is cleared, which this rig has no key for.
  press("on");
  made.run_for(0.3);
  EXPECT_EQ(made.count(0), stood);
}

TEST(ChipExport, StopsEverythingAtAnyInstantOfItsHoming) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  rig.bindings = {Binding{.name = "all", .control = "back", .on = "stop everything"}};
  const Script script = parse_script("home carriage\nmove carriage to 10 mm\n", "x.moves", rig);
  const std::string program = built(rig, &script, "halted");
  const Rehearsal rehearsal = rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}});
  std::mt19937 random(5);
  for (int i = 0; i < (std::getenv("COGSTRIDE_SLOW") != nullptr ? 60 : 3); ++i) {
    MadeChip made(rig, rehearsal.trace, program);
    const auto key = [&](bool down) { made.chip().drive('D', 6, !down); };
    key(false);
    const double at = std::uniform_real_distribution<double>(0.05, 1.7)(random);
    made.chip().run(std::llround(at * clock_rate));
    key(true);
    made.chip().run(std::llround(0.1 * clock_rate));  // debounced; by hand it would brake
    const std::size_t then = made.chip().edges('B', 1).size();
    key(false);
    made.chip().run(std::llround(0.7 * clock_rate));
    EXPECT_EQ(made.chip().edges('B', 1).size(), then) << "at " << at << " s";
    EXPECT_NE(made.chip().said().find("stopped at"), std::string::npos) << made.chip().said();
  }
}

TEST(ChipExport, TakesFivePressesForFiveWays) {
  Rig rig = free_carriage();
  rig.bindings = {Binding{.name = "away", .control = "on", .on = "nudge carriage by 0.5 mm"},
                  Binding{.name = "run", .control = "back", .on = "jog carriage on at 40 mm/s"}};
  HandedChip made(rig, built(rig, nullptr, "pressed"));
  made.run_for(0.05);
  for (int i = 0; i < 5; ++i) {
    made.press("on");
    made.run_for(0.02);
    made.press("on", false);
    made.run_for(0.02);
  }
  made.run_for(0.5);
  EXPECT_EQ(made.count(0), 5 * 80);
  // One that comes while it brakes leads nowhere.
  made.press("back");
  made.run_for(0.3);
  made.press("back", false);
  made.run_for(0.015);
  made.press("on");
  made.run_for(0.02);
  made.press("on", false);
  made.run_for(0.5);
  const std::int64_t rests = made.count(0);
  EXPECT_LT(rests, 400 + static_cast<std::int64_t>(160 * 40 * 0.45));
  made.press("on");
  made.run_for(0.3);
  EXPECT_EQ(made.count(0), rests + 80);
}

/// Runs of a table, all alike, and one that ends.
RunTable runs_of(std::size_t axis, std::size_t count, const chip::NarrowPulseRun& run) {
  RunTable table;
  table.axis = axis;
  table.runs.assign(count, run);
  table.runs.push_back({1000u << 16, 0, 0, 1, chip::run_silent | chip::run_ends});
  table.what = "as fast as it may be";
  return table;
}

/// The rates that findings let pass are those that the program keeps: tables that are put in by hand.
TEST(ChipExport, KeepsTheRatesThatItsFindingsLetPass) {
  const Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage", "ring"});
  const SmallChipFigures figures = figures_of(*rig.controller.small_chip, clock_rate);
  const auto played = [&](const char* name, RunTable first, RunTable second) {
    Making making = make_program(rig, nullptr);
    ChipProgram& program = making.made.program;
    const std::size_t steps = first.runs.size() - 1;
    const chip::NarrowPulseRun each = first.runs.front();
    program.tables = {std::move(first), std::move(second)};
    ChipStretch stretch;
    stretch.tables = {{0}, {1}};
    program.stretches = {stretch};
    program.steps = {{{chip::ScriptDoes::hold, 3, 0}, ""},
                     {{chip::ScriptDoes::pause, 0, 5}, ""},
                     {{chip::ScriptDoes::play, 0, 0}, ""},
                     {{chip::ScriptDoes::end, 0, 0}, ""}};
    const std::string folder =
        (std::filesystem::temp_directory_path() / ("cogstride-chip-" + std::string(name))).string();
    EXPECT_EQ(std::system(write_firmware(making.made, folder, OutputFile::Existing::replaced).c_str()), 0);
    Chip chip(folder + "/" + making.made.parts.name + ".elf");
    chip.drive('D', 7, false);
    chip.run(static_cast<std::int64_t>(0.6 * clock_rate));
    EXPECT_NE(chip.said().find("ended at"), std::string::npos) << name << ": " << chip.said();
    std::vector<std::int64_t> rises;
    for (const PinEdge& edge : chip.edges('B', 1))
      if (edge.high) rises.push_back(edge.at);
    ASSERT_EQ(rises.size(), steps * each.steps) << name;
    for (std::size_t i = 1; i < rises.size(); ++i)
      EXPECT_EQ(rises[i] - rises[i - 1], each.gap >> 16) << name << ", step " << i;
  };
  // Runs that follow each other as soon as they may, of both.
  const auto soon = static_cast<std::uint32_t>(figures.run_takes);
  played("soon", runs_of(0, 400, {(soon / 3) << 16, 0, 0, 3, 0}), runs_of(1, 400, {soon << 16, 0, 0, 1, 0}));
  // The fastest of two, and the other in parts of slow runs, which drift through all of its instants.
  const auto fast = static_cast<std::uint32_t>(std::lround(clock_rate / figures.rate_of_two));
  played("fast", runs_of(0, 40, {fast << 16, 0, 0, 250, 0}),
         runs_of(1, 30, {static_cast<std::uint32_t>(72'000.0 * 4096), 0, 0, 1, chip::run_slow}));
}

TEST(ChipExport, GoesByWhatComesFirst) {
  Rig rig = free_carriage();
  const Script script = parse_script(
      "repeat without end\n  whichever comes first\n    when on is on\n      switch lamp on\n      leave\n   "
      " end\n"
      "    when back is on\n      move carriage to 2 mm\n      move carriage to 0 mm\n    end\n"
      "    after 0.25 s\n      switch lamp on\n      wait 0.05 s\n      switch lamp off\n    end\n  "
      "end\nend\n"
      "move carriage to 1 mm\n",
      "x.moves", rig);
  HandedChip made(rig, built(rig, &script, "branched"));
  const auto flashes = [&] { return made.chip().edges('B', 4).size() / 2; };
  made.run_for(1.0);
  EXPECT_EQ(flashes(), 3u);  // each 0.3 s
  made.press("back");
  made.run_for(0.1);
  made.press("back", false);
  made.run_for(0.5);
  EXPECT_EQ(made.count(0), 0);
  std::int64_t made_steps = 0;
  for (const PinEdge& edge : made.chip().edges('B', 1)) made_steps += edge.high ? 1 : 0;
  EXPECT_EQ(made_steps, 640);
  made.press("on");
  made.run_for(1.0);
  EXPECT_TRUE(made.chip().level('B', 4));
  EXPECT_EQ(made.count(0), 160);
  EXPECT_NE(made.chip().said().find("ended at"), std::string::npos) << made.chip().said();
}

TEST(ChipExport, StopsAtASwitchBeyondItsTravel) {
  const Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  const Script script = parse_script("home carriage\nmove carriage to 20 mm\n", "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}});
  const std::string program = built(rig, &script, "ended");
  MadeChip made(rig, rehearsal.trace, program);
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at - 0.3) * clock_rate));
  ASSERT_GT(made.count(0), 100);
  made.chip().drive('D', 2, true);  // its gate, where none should be
  made.chip().run(2000);
  const std::int64_t stood = made.count(0);
  made.chip().run(8'000'000);
  EXPECT_EQ(made.count(0), stood);
  EXPECT_NE(made.chip().said().find("failed at 1 carriage ?"), std::string::npos) << made.chip().said();
}

/// The use that a table's comment shows, as a program of its own. @return the program
std::string used(const std::string& table, const std::string& name) {
  const std::filesystem::path folder =
      std::filesystem::temp_directory_path() / ("cogstride-chip-table-" + name);
  std::filesystem::create_directories(folder);
  const std::string source = folder / (name + ".c");
  const std::string header = folder / (name + ".h");
  std::string text = "#include \"" + name + ".h\"\n";
  std::size_t lines = 0;
  for (std::size_t at = table.find("//   "); at != std::string::npos && table.compare(at, 5, "//   ") == 0;
       ++lines) {
    const std::size_t end = table.find('\n', at);
    text += table.substr(at + 5, end - at - 4);
    at = end + 1;
  }
  EXPECT_LE(lines, 10u);
  for (const auto& [file, whole] : {std::pair{header, table}, std::pair{source, text}}) {
    FILE* const out = std::fopen(file.c_str(), "w");
    std::fputs(whole.c_str(), out);
    std::fclose(out);
  }
  const std::string program = folder / (name + ".elf");
  const std::string command =
      "avr-gcc -std=gnu99 -mmcu=atmega328p -DF_CPU=16000000UL -Os -Wall -Wextra -Werror "
      "-Wno-unused -o " +
      program + " " + source;
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  return program;
}

TEST(ChipTables, TheirTenLinesMakeTheMotion) {
  const Rig rig = free_carriage();
  const Script script = parse_script("move carriage to 3 mm\n", "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {});
  std::vector<double> wanted;
  for (const LineEdge& edge : edges_of(of_steps(before_its_end(rehearsal.trace)), {"carriage.step"}))
    wanted.push_back(edge.at);
  ASSERT_EQ(wanted.size(), 480u);
  const Making making = make_program(rig, &script);
  for (const auto& [form, name] :
       {std::pair{TableForm::intervals, "intervals"}, std::pair{TableForm::compares, "compares"}}) {
    Chip chip(used(table_text(making.made, form), name));
    chip.run(static_cast<std::int64_t>(clock_rate));
    std::vector<double> made;
    for (const PinEdge& edge : chip.edges('B', 1))
      if (edge.high) made.push_back(static_cast<double>(edge.at) / clock_rate);
    ASSERT_EQ(made.size(), wanted.size()) << name;
    for (std::size_t i = 0; i < made.size(); ++i)
      EXPECT_NEAR(made[i] - made[0], wanted[i] - wanted[0], 4e-6) << name << ", step " << i;
    EXPECT_TRUE(chip.level('D', 4)) << "forwards";
  }
  try {
    (void)table_text(making.made, TableForm::overflows);
    ADD_FAILURE() << "its intervals are no whole overflows";
  } catch (const RangeError& error) {
    EXPECT_NE(std::string(error.what()).find("interval_resolution"), std::string::npos) << error.what();
  }
}

TEST(ChipTables, StepCoilsByWholeOverflows) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"ring"});
  rig.mechanisms[0].sensors.clear();
  rig.mechanisms[0].homing.reset();
  rig.controller.interval_resolution = ExactTime::from_base({1024, 1'000'000});
  const Script script = parse_script("turn ring to 5 deg\n", "x.moves", rig);
  const Making making = make_program(rig, &script);
  Chip chip(used(table_text(making.made, TableForm::overflows), "overflows"));
  StepCount count(rig.mechanisms[0]);
  std::vector<double> made;
  chip.on_edge = [&](char port, int bit, bool high) {
    constexpr std::array<std::size_t, 4> line_of_bit{0, 2, 1, 3};  // a plus, b plus, a minus, b minus
    if (port == 'C' && count.change(line_of_bit[static_cast<std::size_t>(bit)], high))
      made.push_back(static_cast<double>(chip.now()) / clock_rate);
  };
  chip.run(static_cast<std::int64_t>(2 * clock_rate));
  const std::int64_t steps = (parse_output<0>("5 deg").base * steps_per_base(rig.mechanisms[0])).rounded();
  EXPECT_EQ(count.count(), steps);
  ASSERT_EQ(made.size(), static_cast<std::size_t>(steps));
  for (std::size_t i = 1; i < made.size(); ++i) {
    const double overflows = (made[i] - made[i - 1]) / 1024e-6;
    EXPECT_NEAR(overflows, std::round(overflows), 0.01);
  }
}

/// The carriage alone, which follows a wheel that somebody turns: 1000 counts a turn, at pins C4 and C5.
Rig rig_with_wheel() {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  rig.shafts.push_back(testing_support::wheel_at_c(4));
  rig.hands.erase(rig.hands.begin() + 2);  // the knob, whose pin is taken
  rig.bindings.clear();
  return rig;
}
/// Turns the wheel count by count.
class Wheel {
 public:
  explicit Wheel(Chip& chip) : chip_(chip) {}
  void turn(int counts, std::int64_t cycles_each) {
    for (int i = 0; i < std::abs(counts); ++i) {
      at_ = (at_ + (counts > 0 ? 1 : 3)) & 3;
      chip_.drive('C', 4, at_ == 1 || at_ == 2);
      chip_.drive('C', 5, at_ == 2 || at_ == 3);
      chip_.run(cycles_each);
    }
  }

 private:
  Chip& chip_;
  int at_ = 0;
};

TEST(ChipExport, FollowsAWheel) {
  const Rig rig = rig_with_wheel();
  const std::string begins = "home carriage\nmove carriage to 5 mm\n";
  const Rehearsal rehearsal =
      rehearsed(rig, parse_script(begins, "x.moves", rig), {{"carriage", parse_output<0>("2 mm")}});
  const Script script =
      parse_script(begins +
                       "gear carriage to wheel by 1.4 mm for each turn\nwait until carriage has followed 3 "
                       "turns\nlet carriage go\nswitch lamp on\nhome carriage\n",
                   "x.moves", rig);
  MadeChip made(rig, rehearsal.trace, built(rig, &script, "followed"));
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.05) * clock_rate));
  const std::int64_t stood = made.count(0);
  // To and fro: 28/125 of a step a count, and always on the step that whole numbers say.
  Wheel wheel(made.chip());
  std::int64_t net = 0;
  chip::Follower slow;
  ASSERT_TRUE(slow.set_ratio(28, 125));
  for (const int counts : {700, -300, 1100, -25, 1, -1, 1, 1523}) {
    for (int i = 0; i < std::abs(counts); ++i) slow.made(slow.count(counts > 0 ? 1 : -1));
    net += counts;
    wheel.turn(counts, 800);
    EXPECT_EQ(made.count(0), stood + slow.position()) << "after " << net << " counts";
  }
  EXPECT_FALSE(made.chip().level('B', 4));
  wheel.turn(1, 20'000);
  EXPECT_TRUE(made.chip().level('B', 4)) << "three turns";
  wheel.turn(50, 800);
  EXPECT_EQ(made.count(0), stood + 672) << "let go";
}

/// A travel of 12 mm.
void shorten(Rig& rig) {
  rig.mechanisms[0].limits.travel_to = parse_output<0>("12 mm");
  rig.mechanisms[0].hard_ends = HardEnds{parse_output<0>("-3 mm"), parse_output<0>("15 mm")};
}

TEST(ChipExport, FollowsNoFartherThanItsTravel) {
  Rig rig = rig_with_wheel();
  shorten(rig);
  const std::string begins = "home carriage\nmove carriage to 11 mm\n";
  const Rehearsal rehearsal =
      rehearsed(rig, parse_script(begins, "x.moves", rig), {{"carriage", parse_output<0>("2 mm")}});
  const Script script = parse_script(
      begins + "gear carriage to wheel by 1.4 mm for each turn\nwait until carriage has followed 3 turns\n",
      "x.moves", rig);
  MadeChip made(rig, rehearsal.trace, built(rig, &script, "held-up"));
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at + 0.05) * clock_rate));
  const std::int64_t stood = made.count(0);
  Wheel wheel(made.chip());
  wheel.turn(1500, 800);
  EXPECT_EQ(made.count(0), stood + 160);
  wheel.turn(-100, 800);
  EXPECT_EQ(made.count(0), stood + 160) << "it no longer belongs to its leader";
  made.chip().run(2'000'000);
  EXPECT_NE(made.chip().said().find("failed at"), std::string::npos) << made.chip().said();
}

TEST(ChipExport, NamesOfARigNeverClash) {
  Rig rig = free_carriage();
  const auto called = [&](const char* name, const char* step, const char* dir, const char* enable) {
    Mechanism mechanism = rig.mechanisms[0];
    mechanism.name = name;
    auto& wiring = std::get<StepDirWiring>(mechanism.wiring);
    wiring.step.number = cogstride::line_of(*read_pin(step));
    wiring.dir.number = cogstride::line_of(*read_pin(dir));
    wiring.enable->number = cogstride::line_of(*read_pin(enable));
    return mechanism;
  };
  rig.mechanisms = {called("run_1", "B1", "D4", "B0"), called("steps", "B2", "D3", "B3")};
  rig.bindings.clear();
  const char* const pins[] = {"B5", "C0", "C1", "C2", "C3", "D2", "D0"};
  const char* const names[] = {"axis", "Machine", "in_0", "hands", "says", "int", "steps_axis"};
  for (std::size_t i = 0; i < std::size(names); ++i) {
    rig.outputs.push_back(rig.outputs.front());
    rig.outputs.back().name = names[i];
    rig.outputs.back().line.number = cogstride::line_of(*read_pin(pins[i]));
  }
  const Script script = parse_script(
      "start together\nmove run_1 to 5 mm\nmove steps to 4 mm\nend\nswitch says on\n", "x.moves", rig);
  const std::string program = built(rig, &script, "names");
  const std::string folder = std::filesystem::path(program).parent_path().string();
  // Two rigs in one program.
  Rig other = rig;
  other.name = "Second rig";
  built(other, &script, "names-too");
  const std::string both = folder + "/both.cpp";
  FILE* const out = std::fopen(both.c_str(), "w");
  fmt::print(out,
             "#include \"lace_winder.hpp\"\n#include \"second_rig.hpp\"\nint main() {{\n"
             "  return sizeof lace_winder::script + sizeof second_rig::script > 60000;\n}}\n");
  std::fclose(out);
  const std::string command = fmt::format(
      "avr-g++ -std=c++14 -mmcu=atmega328p -DF_CPU=16000000UL -Os -Wall -Wextra -Wno-unused -Werror -I{0} "
      "-I{0}/../"
      "cogstride-chip-names-too {1} -o {0}/both.elf",
      folder, both);
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
}

TEST(ChipExport, BeginsAnewAfterAReset) {
  const Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  const Script script =
      parse_script("switch lamp on\nhome carriage\nmove carriage to 20 mm\n", "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}});
  MadeChip made(rig, rehearsal.trace, built(rig, &script, "reset"));
  made.chip().run(static_cast<std::int64_t>((rehearsal.trace.ends_at - 0.3) * clock_rate));
  ASSERT_GT(made.count(0), 100);
  const std::size_t said = made.chip().said().size();
  std::vector<std::string> edges;
  made.chip().on_edge = [&](char port, int bit, bool high) {
    edges.push_back(fmt::format("{}{} {}", port, bit, high ? "high" : "low"));
  };
  made.chip().brown_out();
  EXPECT_FALSE(made.chip().level('B', 4)) << "all lines are let go";
  edges.clear();
  made.chip().run(static_cast<std::int64_t>(1.2 * clock_rate));
  // ENABLE away before all else, then the lamp, then its current, and it homes.
  ASSERT_GT(edges.size(), 4u);
  EXPECT_EQ(edges[0], "B0 high");
  EXPECT_EQ(edges[1], "B4 high");
  EXPECT_EQ(edges[2], "B0 low");
  EXPECT_EQ(made.chip().said().substr(said).find("1 homing"), 0u) << made.chip().said();
}

TEST(ChipExport, FailsToHomeWithASwitchThatIsStuck) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  shorten(rig);
  const Script script = parse_script("home carriage\nmove carriage to 10 mm\n", "x.moves", rig);
  const std::string program = built(rig, &script, "stuck");
  const Making making = make_program(rig, &script);
  for (const bool acts : {false, true}) {
    Chip chip(program);
    chip.drive('D', 2, acts);
    chip.drive('D', 7, false);
    std::int64_t at = 0;
    std::int64_t farthest = 0;
    chip.on_edge = [&](char port, int bit, bool high) {
      if (port != 'B' || bit != 1 || !high) return;
      at += chip.level('D', 4) ? 1 : -1;
      farthest = std::max(farthest, std::abs(at));
    };
    chip.run(static_cast<std::int64_t>(2.5 * clock_rate));
    EXPECT_NE(chip.said().find("failed at 0 carriage ?"), std::string::npos) << chip.said();
    EXPECT_TRUE(chip.level('B', 0)) << "it has no current any more";
    EXPECT_GT(farthest, 100);
    const HomingGoal& goal = *making.made.parts.axes[0].goal;
    EXPECT_LE(farthest, 2 * std::max(decided_by(goal).approach_range, decided_by(goal).back_off_range))
        << acts;
  }
}

TEST(ChipExport, StopsForGood) {
  const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  const Script script =
      parse_script("start together\nhome carriage\nhome ring\nend\nmove carriage to 20 mm\n", "x.moves", rig);
  const Rehearsal rehearsal =
      rehearsed(rig, script, {{"carriage", parse_output<0>("2 mm")}, {"ring", parse_output<0>("-12 deg")}});
  const std::string program = built(rig, &script, "stopped");
  const Pin halt = *pin_of(*rig.hands.back().line);
  std::mt19937 random(3);
  const bool is_slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  std::vector<std::int64_t> instants;
  for (int i = 0; i < (is_slow ? 60 : 2); ++i)
    instants.push_back(std::uniform_int_distribution<std::int64_t>(200'000, 60'000'000)(random));
  // While the main program gives an axis its current.
  for (int i = 0; i < (is_slow ? 100 : 4); ++i) instants.push_back(4'400'000 + 611 * i);
  for (const std::int64_t at : instants) {
    MadeChip made(rig, rehearsal.trace, program);
    made.chip().run(at);
    made.chip().drive(halt.port, halt.bit, true);
    made.chip().run(1000);
    const auto edges = [&] {
      std::size_t sum = 0;
      for (const RecordedLine& line : made.trace().lines) sum += line.edges.size();
      return sum;
    };
    const std::size_t then = edges();
    made.chip().drive(halt.port, halt.bit, false);  // let go again: it stays
    made.chip().run(3'000'000);
    EXPECT_EQ(edges(), then) << "stopped after " << at << " cycles";
    EXPECT_TRUE(made.chip().level('B', 0)) << "the carriage has no current";
    for (int coil = 0; coil < 4; ++coil) EXPECT_FALSE(made.chip().level('C', coil)) << "nor has the ring";
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
