#include "cogstride/export/compile_script.hpp"

#include <gtest/gtest.h>

#include "cogstride/export/chip_parts.hpp"
#include "cogstride/export/make_program.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::compile_script_test {
namespace {

using testing_support::has;

const Rig& lace() {
  static const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  return rig;
}

CompiledScript compiled(const std::string& text) {
  const Script script = parse_script(text, "x.moves", lace());
  return compile_script(lace(), &script);
}

/// "home1 play0 pause end"
std::string words(const ChipProgram& program) {
  static const char* const does[] = {
      "end",    "home",    "hold",     "play",      "pause",  "wait_on", "wait_off",
      "put_on", "put_off", "later_on", "later_off", "repeat", "go_back", "go_to",
      "look",   "if_on",   "if_off",   "if_after",  "follow", "let_go",  "wait_followed"};
  std::string all;
  for (const ChipStep& step : program.steps) {
    all += (all.empty() ? "" : " ") + std::string(does[static_cast<std::size_t>(step.step.does)]);
    using Does = chip::ScriptDoes;
    if (step.step.does == Does::home) all += std::to_string(step.step.which);
    if (step.step.does == Does::play || step.step.does == Does::repeat || step.step.does == Does::go_back)
      all += std::to_string(step.step.much);
  }
  return all;
}

std::string what_is_wrong(const std::string& text) {
  const CompiledScript script = compiled(text);
  return script.findings.empty() ? "" : script.findings.front().code + ": " + script.findings.front().what;
}

/// Net steps of an axis over a stretch, and its ticks.
std::pair<std::int64_t, double> played(const ChipProgram& program, std::size_t stretch, std::size_t axis) {
  std::int64_t steps = 0;
  double ticks = 0.0;
  for (const std::size_t table : program.stretches[stretch].tables[axis])
    for (const chip::NarrowPulseRun& run : program.tables[table].runs) {
      chip::PulsePlayer<chip::PulseRun> player({0, 0});
      player.load(chip::wide_run(run));
      while (player.left() > 0) player.advance();
      ticks += static_cast<double>(player.time().tick) + player.time().fraction / 65536.0;
      if ((run.flags & chip::run_silent) == 0)
        steps += (run.flags & chip::run_backwards) != 0 ? -run.steps : run.steps;
    }
  return {steps, ticks};
}

TEST(CompileScript, SaysStepByStepWhatIsDone) {
  EXPECT_EQ(words(compile_script(lace(), nullptr).program), "end");
  EXPECT_EQ(words(compiled("switch lamp on\nhome carriage\nmove carriage to 10 mm\nwait 2 s\nmove carriage "
                           "to 0 mm\nswitch lamp off\n")
                      .program),
            "put_on home1 play0 pause play1 put_off end");
  EXPECT_EQ(words(compiled("start together\nhome carriage\nhome ring\nend\n").program), "home3 end");
  EXPECT_EQ(
      words(compiled("home carriage\nwait until on is on for at most 5 s\nmove carriage to 1 mm\n").program),
      "home1 wait_on play0 end");
}

TEST(CompileScript, MovesAllStepsInTheTimeThatTheyTake) {
  const ChipProgram program = compiled(
                                  "home carriage\nhome ring\nstart together\nmove carriage to 40 mm\nturn "
                                  "ring to 30 deg\nend\nmove carriage to 20 mm\n")
                                  .program;
  ASSERT_EQ(words(program), "home1 home2 play0 end");
  EXPECT_EQ(played(program, 0, 0).first, 3200);
  EXPECT_EQ(played(program, 0, 1).first, 430);
  EXPECT_NEAR(played(program, 0, 0).second / 16e6, program.stretches[0].seconds, 0.002);
}

TEST(CompileScript, HasTheSameMotionOnce) {
  const ChipProgram program = compiled(
                                  "home carriage\nrepeat 3 times\nmove carriage to 40 mm\nwait 1 s\nmove "
                                  "carriage to 10 mm\nwait 1 s\nend\n")
                                  .program;
  EXPECT_EQ(words(program),
            "home1 play0 pause play1 pause play2 pause play1 pause play2 pause play1 pause end");
}

TEST(CompileScript, RepeatsWhatEndsWhereItBegan) {
  const std::string body = "move carriage to 40 mm\nwait 1 s\nmove carriage to 10 mm\nwait 1 s\nend\n";
  EXPECT_EQ(words(compiled("home carriage\nrepeat 100 times\n" + body).program),
            "home1 play0 pause play1 pause repeat99 play2 pause play1 pause go_back6 end");
  EXPECT_EQ(words(compiled("home carriage\nrepeat without end\n" + body).program),
            "home1 play0 pause play1 pause repeat0 play2 pause play1 pause go_back6 end");
  // Each pass begins elsewhere: one by one.
  EXPECT_EQ(compiled("home carriage\nrepeat 5 times\nmove carriage by 10 mm\nwait 1 s\nend\n")
                .program.stretches.size(),
            1u);
  EXPECT_TRUE(has(what_is_wrong("home ring\nrepeat without end\nmove ring by 10 deg\nwait 1 s\nend\n"),
                  "chip-needs-host: repeat without end: it never ends"));
}

TEST(CompileScript, RefusesWhatTakesAPlanner) {
  EXPECT_TRUE(has(what_is_wrong("home ring\nspin ring at 5 deg/s until stopped\nwait 1 s\nstop ring\n"),
                  "chip-needs-host"));
  EXPECT_EQ(what_is_wrong("home ring\nspin ring at 5 deg/s for 2 s\n"), "");
  EXPECT_TRUE(has(what_is_wrong("home carriage\nwait until carriage passes 3 mm\n"), "chip-needs-host"));
}

TEST(CompileScript, GivesTheirCurrentToThoseThatNeedNoHoming) {
  Rig free = lace();
  free.mechanisms[0].sensors.clear();
  free.mechanisms[0].homing.reset();
  const Script script =
      parse_script("move carriage to 10 mm\nwait 1 s\nmove carriage to 0 mm\n", "x.moves", free);
  const CompiledScript compiled = compile_script(free, &script);
  EXPECT_EQ(words(compiled.program), "hold pause play0 pause play1 end");
  EXPECT_EQ(compiled.program.steps[1].step.much, 3) << "its board wakes in 1 ms";
}

TEST(CompileScript, FindsWhatIsTooMuch) {
  std::string many = "home carriage\n";
  for (int i = 0; i < 130; ++i) many += "move carriage by 1 mm\nmove carriage by -1 mm\n";
  EXPECT_TRUE(has(what_is_wrong(many), "chip-memory: "));
}

TEST(CompileScript, SaysThatItsRehearsalFails) {
  Rig blind = lace();
  auto& gate = std::get<PlaceSwitch>(blind.mechanisms[0].sensors[0]);
  gate.acts_at.base = Ratio(-35, 10'000);  // behind the hard end
  gate.releases_at.base = Ratio(-34, 10'000);
  const Script script = parse_script("home carriage\n", "x.moves", blind);
  const CompiledScript compiled = compile_script(blind, &script);
  ASSERT_EQ(compiled.findings.size(), 1u);
  EXPECT_EQ(compiled.findings[0].code, "chip-not-rehearsed");
}

/// "chip-pin: what"
std::vector<std::string> told(const std::vector<Finding>& findings, Severity severity) {
  std::vector<std::string> all;
  for (const Finding& finding : findings)
    if (finding.severity == severity) all.push_back(finding.code + ": " + finding.what);
  return all;
}

TEST(ChipParts, FindsMoreAxesThanCompares) {
  Rig rig = lace();
  rig.mechanisms.push_back(rig.mechanisms[1]);
  rig.mechanisms.back().name = "third";
  ChipProgram program;
  program.axes = {0, 1, 2};
  std::vector<Finding> findings;
  (void)chip_parts(rig, program, findings);
  ASSERT_FALSE(findings.empty());
  EXPECT_EQ(findings.front().code, "chip-timer");
}

TEST(ChipParts, TellsWhatIsLeftOut) {
  Rig rig = lace();
  rig.mechanisms.push_back(read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml").mechanisms[3]);
  std::vector<Finding> findings;
  (void)chip_parts(rig, compile_script(lace(), nullptr).program, findings);
  EXPECT_TRUE(told(findings, Severity::error).empty());
  const std::vector<std::string> notes = told(findings, Severity::note);
  ASSERT_EQ(notes.size(), 1u);
  EXPECT_TRUE(has(notes[0], "feeder is no axis of steps"));
}

TEST(ChipParts, FindsPulsesThatAreTooShortForTheBoard) {
  Rig rig = lace();
  std::get<StepDirBoard>(rig.mechanisms[0].board).shortest_high = Time(4.0, units::us);
  std::vector<Finding> findings;
  (void)chip_parts(rig, compile_script(lace(), nullptr).program, findings);
  const std::vector<std::string> wrong = told(findings, Severity::error);
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_TRUE(has(wrong[0], "wants STEP high for 4 us, and the chip's pulses may be 2.5 us short"));
}

TEST(ChipParts, FindsWhatHasNoPin) {
  Rig rig = lace();
  std::get<StepDirWiring>(rig.mechanisms[0].wiring).step.number = line_of({'B', 3});
  rig.outputs[0].line.number = 7;
  std::vector<Finding> findings;
  const ChipProgram program = compile_script(lace(), nullptr).program;
  (void)chip_parts(rig, program, findings);
  const std::vector<std::string> wrong = told(findings, Severity::error);
  ASSERT_EQ(wrong.size(), 2u);
  EXPECT_TRUE(has(wrong[0], "step is on B3, where no compare of the timer makes its edges"));
  EXPECT_TRUE(has(wrong[1], "lamp is on line 7"));
}

std::string found_of(const Rig& rig, const std::string& text) {
  const Script script = parse_script(text, "x.moves", rig);
  const Making making = make_program(rig, &script);
  for (const Finding& finding : making.findings)
    if (finding.severity == Severity::error) return finding.code + ": " + finding.what;
  return "";
}

TEST(MakeProgram, FindsMoreStepsASecondThanTheChipMakes) {
  Rig rig = lace();
  rig.controller.top_step_rate = ExactFrequency::from_base(40'000);
  std::get<StepDirBoard>(rig.mechanisms[0].board).microsteps = 16;
  const std::string home = "home carriage\nhome ring\n";
  EXPECT_EQ(found_of(rig, home + "move carriage to 40 mm\n"), "") << "32000 steps/s of one axis";
  EXPECT_EQ(found_of(rig, home + "start together\nmove carriage to 40 mm\nturn ring to 40 deg\nend\n"),
            "chip-rate: start together: 32002 steps/s; the chip makes 30000 of each of two axes at once");
}

TEST(MakeProgram, FindsASerialRateThatItsClockCannotMake) {
  Rig rig = lace();
  rig.controller.small_chip->serial_baud = 300'000;
  EXPECT_EQ(found_of(rig, "home carriage\n"),
            "chip-serial: its clock makes 285714 baud of 300000: 4.8 % off");
  rig.controller.small_chip->serial_baud = 250'000;
  EXPECT_EQ(found_of(rig, "home carriage\n"), "");
}

TEST(CompileScript, LooksAtARowOfWhatMayCome) {
  const CompiledScript script = compiled(
      "home carriage\nrepeat without end\n  whichever comes first\n    when on is on\n      leave\n    end\n"
      "    when back is off\n      switch lamp on\n    end\n    after 70 s\n      move carriage to 5 mm\n    "
      "  move "
      "carriage to 0 mm\n    end\n  end\nend\nmove carriage to 1 mm\n");
  ASSERT_TRUE(script.findings.empty());
  EXPECT_EQ(words(script.program),
            "home1 repeat0 look if_on if_off if_after go_to go_to go_to put_on go_to play0 go_to go_back2 "
            "play1 end");
  const auto much = [&](std::size_t step) { return script.program.steps[step].step.much; };
  EXPECT_EQ(much(3), 7);  // on: leaves the repeat ...
  EXPECT_EQ(much(7), 14);
  EXPECT_EQ(much(4), 9);  // ... back let go
  EXPECT_EQ(script.program.steps[5].step.which * 65536 + much(5), 70'000);
  EXPECT_EQ(much(6), 11);
  EXPECT_EQ(much(12), 13);
}

TEST(CompileScript, WantsEachOfWhatMayComeToEndWhereItBegan) {
  EXPECT_TRUE(
      has(what_is_wrong("home carriage\nwhichever comes first\nwhen on is on\nmove carriage to 5 mm\nend\n"
                        "after 1 s\nwait 1 s\nend\nend\n"),
          "where it ends differs from where it began"));
  EXPECT_TRUE(
      has(what_is_wrong("home carriage\nwhichever comes first\nwhen carriage passes 5 mm\nswitch lamp on\n"
                        "end\nafter 1 s\nwait 1 s\nend\nend\n"),
          "waits for lines and times alone"));
}

Rig with_wheel() {
  Rig rig = lace();
  Shaft wheel;
  wheel.name = "wheel";
  wheel.speed = parse_output<1>("300 rpm");
  wheel.encoder = Encoder{
      .name = "encoder", .line_a = line_of({'B', 3}), .line_b = line_of({'B', 5}), .lines_per_turn = 250};
  rig.shafts.push_back(wheel);
  return rig;
}
std::string wrong_with_wheel(const std::string& text) {
  return found_of(with_wheel(), "home carriage\n" + text);
}

TEST(CompileScript, FollowsAWheelByAnExactRatio) {
  const Rig rig = with_wheel();
  const Script script = parse_script(
      "home carriage\ngear carriage to wheel by 1.4 mm for each turn\nwait until carriage has followed 20 "
      "turns\nlet "
      "carriage go\nhome carriage\nmove carriage to 5 mm\n",
      "x.moves", rig);
  const Making making = make_program(rig, &script);
  ASSERT_TRUE(making.is_sound()) << making.findings.front().what;
  const ChipProgram& program = making.made.program;
  EXPECT_EQ(words(program), "home1 follow wait_followed let_go home1 play0 end");
  ASSERT_EQ(program.leadings.size(), 1u);
  EXPECT_EQ(program.leadings[0], (ChipLeading{0, 0, 28, 125, 1120.0})) << "300 rpm are 5000 counts/s";
  ASSERT_EQ(making.findings.size(), 1u);
  EXPECT_TRUE(has(making.findings[0].what, "up to 1120 steps/s, and it can begin and end at 480 steps/s"));
  EXPECT_EQ(program.followed, (std::vector<std::int64_t>{20'000}));
}

TEST(CompileScript, SaysWhyItDoesNotFollow) {
  EXPECT_TRUE(has(wrong_with_wheel("gear carriage to wheel by 10 mm for each turn\n"),
                  "more than a step for a count"));
  EXPECT_TRUE(has(wrong_with_wheel("gear carriage to wheel by 1.4 mm for each turn between 5 mm and 20 mm\n"),
                  "one leader, straight on"));
  EXPECT_TRUE(has(
      wrong_with_wheel("gear carriage to wheel by 1 mm for each turn\nlet carriage go\nmove carriage to 5 "
                       "mm\n"),
      "move carriage to 5 mm: it stands wherever its leader has led it"));
  EXPECT_TRUE(has(wrong_with_wheel("home ring\ngear ring to wheel by 1 deg for each turn\n"),
                  "a STEP/DIR board follow"));
  Rig rig = with_wheel();
  rig.shafts[0].encoder->line_b = line_of({'C', 5});
  EXPECT_TRUE(has(found_of(rig, "home carriage\ngear carriage to wheel by 1 mm for each turn\n"),
                  "pins of two ports"));
}

}  // namespace
}  // namespace cogstride::compile_script_test
