#include "cogstride/script/script.hpp"
#include "cogstride/script/verbs/verb.hpp"

#include <gtest/gtest.h>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::script_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

std::vector<std::string> wrong_in(const std::string& text) {
  std::vector<std::string> messages;
  try {
    (void)parse_script(text, "x.moves", demo_rig());
  } catch (const InputError& error) {
    for (const Diagnostic& wrong : error.diagnostics()) messages.push_back(to_text(wrong));
  }
  return messages;
}

std::string only_wrong(const std::string& text) {
  const std::vector<std::string> wrong = wrong_in(text);
  EXPECT_EQ(wrong.size(), 1u) << text;
  return wrong.empty() ? "" : wrong[0];
}

TEST(Script, ReadsPlainWords) {
  const Script script = parse_script(
      "# to and fro\n"
      "home traverse\n"
      "\n"
      "move traverse to 85mm   # glued or apart\n"
      "repeat 3 times\n"
      "\tmove traverse by -2.5 mm at 40 mm/s and 800 mm/s2\r\n"
      "  wait 0.5 s\n"
      "end",
      "x.moves", demo_rig());
  ASSERT_EQ(script.statements.size(), 3u);
  EXPECT_EQ(script.statements[1].verb->move()->order.to, OutputPosition(85_mm));
  EXPECT_EQ(script.statements[1].place.line, 4u);
  EXPECT_EQ(script.statements[1].text, "move traverse to 85mm");
  const Verb& repeat = *script.statements[2].verb;
  EXPECT_EQ(repeat.passes(), 3);
  ASSERT_EQ(repeat.inside().size(), 2u);
  const MoveOrder& order = repeat.inside()[0].verb->move()->order;
  EXPECT_EQ(order.by, OutputPosition(-2.5_mm));
  EXPECT_EQ(order.speed, OutputSpeed(40_mm_per_s));
  EXPECT_EQ(order.acceleration, OutputAcceleration(800_mm_per_s2));
  EXPECT_EQ(repeat.inside()[1].text, "wait 0.5 s");
  EXPECT_EQ(repeat.inside()[1].verb->move(), nullptr);
}

TEST(Script, UnderlinesWhatIsWrong) {
  EXPECT_EQ(
      only_wrong("home traverse\nmove travers to 85 mm"),
      "x.moves:2:6: 'travers' is not a mechanism of this rig, did you mean traverse?; it has: traverse, "
      "creel, spindle, feeder, fan, snips\n"
      "    move travers to 85 mm\n"
      "         ^^^^^^^");
  EXPECT_EQ(only_wrong("home traverse\nmove traverse to 85"),
            "x.moves:2:18: '85' has no unit: write one, as in 85 mm or 1.6 A\n"
            "    move traverse to 85\n"
            "                     ^^");
  EXPECT_EQ(only_wrong("hoem traverse"),
            "x.moves:1:1: 'hoem' is not a verb of the script language; did you mean home?\n"
            "    hoem traverse\n"
            "    ^^^^");
  EXPECT_EQ(only_wrong("home traverse\nmove traverse to 85 deg"),
            "x.moves:2:18: traverse: the output moves along a line, so it wants mm, not degrees\n"
            "    move traverse to 85 deg\n"
            "                     ^^^^^^");
}

TEST(Script, SaysWhatWasExpected) {
  const auto says = [](const std::string& text, const std::string& part) {
    EXPECT_NE(only_wrong(text).find(part), std::string::npos) << only_wrong(text);
  };
  says("home", "expected the name of a mechanism");
  says("home traverse now", "'now' is more than this statement takes");
  says("home traverse\nmove traverse 85 mm", "expected 'to' (a position) or 'by' (a way)");
  says("home traverse\nmove traverse to 8 mm at 90 mm/s", "speed 90 mm/s is over its limit of 60 mm/s");
  says("home traverse\nmove traverse to 8 mm at 9 mm/s and 8 mm/s", "the speed is given twice");
  says("home traverse\nmove traverse to 8 mm at 9 N m", "'9 N m' is not a speed such as 40 mm/s");
  says("wait -1 s", "not below 0");
  says("wait 1e9 s", "more than a year");
  says("wait 3 mm", "is not a time such as 1.5 s");
  says("repeat 0 times\nend", "a count from 1 to");
  says("repeat 3\nend", "expected 'times'");
  says("repeat 3 times\nwait 1 s", "has no 'end'");
  says("wait 1 s\nend", "no repeat is open");
}

TEST(Script, FindsEveryErrorInOneGo) {
  EXPECT_EQ(wrong_in("hme traverse\nmove it to 5 mm\nrepeat x times\nwait 1\nend\n").size(), 4u);
}

TEST(Script, RefusesDeepNestingAndHugeNumbers) {
  std::string deep;
  for (int i = 0; i < 9; ++i) deep += "repeat 2 times\n";
  deep += "wait 1 s\n";
  for (int i = 0; i < 9; ++i) deep += "end\n";
  EXPECT_NE(only_wrong(deep).find("more than 8 deep"), std::string::npos);
  EXPECT_EQ(wrong_in("repeat 99999999999999999999 times\nend").size(), 1u);
  EXPECT_EQ(wrong_in("home traverse\nmove traverse to 99999999999999999999999999 mm").size(), 1u);
}

TEST(Script, FollowsPositionsBeforeAnythingMoves) {
  EXPECT_NE(only_wrong("move traverse to 5 mm").find("write 'home traverse' first"), std::string::npos);
  EXPECT_NE(only_wrong("home traverse\nmove traverse to 119 mm")
                .find("119 mm is outside its travel of 0 mm to 118 mm"),
            std::string::npos);
  EXPECT_TRUE(wrong_in("home traverse\nmove traverse to 118 mm\nmove traverse by -118 mm").empty());
  EXPECT_FALSE(wrong_in("home traverse\nmove traverse by -0.001 mm").empty());
}

// The closed-form check of repeats against playing every pass.
TEST(Script, FollowsRepeatsToTheirLastPass) {
  const std::string head = "home traverse\nmove traverse to 10 mm\n";
  EXPECT_TRUE(wrong_in(head + "repeat 108 times\nmove traverse by 1 mm\nend").empty());
  EXPECT_EQ(wrong_in(head + "repeat 109 times\nmove traverse by 1 mm\nend").size(), 1u);
  EXPECT_TRUE(wrong_in(head + "repeat 1000000000 times\nmove traverse by 60 mm\nmove traverse to 10 mm\nend")
                  .empty());
  EXPECT_EQ(wrong_in(head + "repeat 9 times\nrepeat 3 times\nmove traverse by 4.1 mm\nend\nend").size(), 1u);
  EXPECT_TRUE(wrong_in(head + "repeat 9 times\nrepeat 3 times\nmove traverse by 4 mm\nend\nend").empty());
  EXPECT_EQ(
      wrong_in(head +
               "repeat 2 times\nmove traverse by 50 mm\nmove traverse by 20 mm\nmove traverse by -20 mm\nend")
          .size(),
      1u)
      << "only in the middle of the second pass";
  for (int count = 1; count < 40; ++count) {
    for (int inner = 1; inner < 4; ++inner) {
      const double reach = 10 + 1.5 * count * inner - 0.5 * (count - 1) + 1;
      const std::string text =
          head + "repeat " + std::to_string(count) + " times\nrepeat " + std::to_string(inner) +
          " times\nmove traverse by 1.5 mm\nend\nmove traverse by 1 mm\nmove traverse by -1.5 mm\nend";
      ASSERT_EQ(wrong_in(text).empty(), reach <= 118) << count << " x " << inner;
    }
  }
}

TEST(Script, ReadsMovesThatArriveTogether) {
  const Script script = parse_script(
      "home traverse\n"
      "repeat 2 times\n"
      "  arrive together\n"
      "    move traverse to 20 mm\n"
      "  end\n"
      "  move traverse to 10 mm in 3 s\n"
      "end",
      "x.moves", demo_rig());
  const std::span<const Statement> body = script.statements[1].verb->inside();
  ASSERT_EQ(body.size(), 2u);
  EXPECT_EQ(body[0].text, "arrive together");
  EXPECT_EQ(body[0].verb->inside().size(), 1u);
  EXPECT_EQ(body[1].verb->move()->order.in, 3_s);
}

TEST(Script, SaysWhatCannotArriveTogether) {
  const auto has = [](const std::string& script, const char* message) {
    EXPECT_NE(only_wrong(script).find(message), std::string::npos) << only_wrong(script);
  };
  has("home traverse\narrive together\nwait 1 s\nmove traverse to 1 mm\nend", "3:1: only moves stand in");
  has("home traverse\narrive together\nmove traverse to 1 mm\nmove traverse to 2 mm\nend",
      "4:1: traverse moves already in this 'arrive together' (line 3)");
  has("home traverse\narrive together\nmove traverse to 1 mm in 1 s\nend", "leave 'in' out");
  has("arrive together\nend", "1:1: nothing moves");
  has("home traverse\narrive together\nmove traverse to 1 mm", "2:1: this 'arrive together' has no 'end'");
  has("arrive alone\nend", "expected 'together'");
  has("home traverse\nmove traverse to 100 mm in 0.5 s", "takes at least 1.737 s; 0.5 s cannot be had");
}

TEST(ScriptPlayer, PlaysMovesThatArriveTogether) {
  Rig rig = testing_support::demo_rig_without_gate();
  rig = only_with(rig, {"traverse"});
  rig.mechanisms.push_back(rig.mechanisms[0]);
  rig.mechanisms[1].name = "takeup";
  StepDirWiring& wiring = rig.mechanisms[1].step_dir_lines();
  wiring.step.number = 50;
  wiring.dir.number = 51;
  wiring.enable->number = 52;
  const Script script =
      parse_script("arrive together\nmove traverse to 90 mm\nmove takeup to 12 mm\nend\nmove takeup to 0 mm",
                   "x.moves", rig);
  SimulatedBench bench(rig);
  ScriptPlayer player(script, rig, bench.cast());
  Tick traverse_ended = 0;
  player.on_statement([&](Tick at, const Statement&) { traverse_ended = at; });
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  EXPECT_NEAR(static_cast<double>(bench.mover_as<StepperMover>("traverse").stream().ends_at()),
              static_cast<double>(traverse_ended), 2.0)
      << "the next statement waits for both";
  EXPECT_EQ(bench.stepper("takeup").position(), OutputPosition(0_mm));
}

TEST(ScriptPlayer, PlaysStatementsInOrder) {
  const Rig rig = demo_rig();
  const Script script = parse_script(
      "home traverse\nrepeat 3 times\nmove traverse by 2 mm\nwait 0.25 s\nend\n", "x.moves", rig);
  SimulatedBench bench(rig, {.start_positions = {{"traverse", 5_mm}}});
  ScriptPlayer player(script, rig, bench.cast());
  std::vector<std::string> begun;
  double last_wait = 0.0;
  player.on_statement([&](Tick at, const Statement& statement) {
    begun.push_back(statement.text);
    if (statement.text.starts_with("wait ")) last_wait = static_cast<double>(at) / 48e6;
  });
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  EXPECT_EQ(begun.size(), 7u);
  EXPECT_EQ(begun[6], "wait 0.25 s");
  EXPECT_NEAR(bench.now().in(units::s), last_wait + 0.25, 1e-6);
  EXPECT_EQ(bench.stepper("traverse").position(), OutputPosition(6_mm));
}

TEST(ScriptPlayer, StopsAtAFaultAndNamesTheLine) {
  Rig rig = demo_rig();
  const Script script = parse_script("wait 0.1 s\nhome traverse\nmove traverse to 5 mm", "x.moves", rig);
  rig.mechanisms[0].step_dir_lines().enable->active = ActiveLevel::high;
  SimulatedBench bench(rig);
  ScriptPlayer player(script, rig, bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault().substr(0, 28), "x.moves:2: home traverse: tr");
}

}  // namespace
}  // namespace cogstride::script_test
