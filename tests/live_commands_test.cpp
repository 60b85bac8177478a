// `cogstride drive` as far as it gets without lines, and `cogstride compare`. What needs a kernel with lines
// is in tests/kernel.
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/demo_rig.hpp"
#include "support/run_command.hpp"

namespace {

using cogstride::testing_support::cogstride_command;
using cogstride::testing_support::demo_rig_path;
using cogstride::testing_support::demo_script_path;
using cogstride::testing_support::Ran;

class LiveCommands : public testing::Test {
 protected:
  LiveCommands() {
    folder_ =
        std::filesystem::temp_directory_path() /
        (std::string("cogstride_live_") + testing::UnitTest::GetInstance()->current_test_info()->name());
    std::filesystem::remove_all(folder_);
    std::filesystem::create_directories(folder_);
  }
  ~LiveCommands() override { std::filesystem::remove_all(folder_); }
  std::string file(const std::string& name, const std::string& text) {
    std::ofstream(folder_ / name) << text;
    return path(name);
  }
  [[nodiscard]] std::string path(const std::string& name) const { return (folder_ / name).string(); }
  /// The demo rig on a chip that no machine has.
  std::string rig_on_a_chip() {
    std::ostringstream text;
    text << std::ifstream(demo_rig_path).rdbuf();
    return file("live.rig.toml",
                text.str() + "\n[controller.gpio.main]\nchip = \"no such chip\"\nlines = 40\n");
  }

 private:
  std::filesystem::path folder_;
};

TEST_F(LiveCommands, DriveWantsARigThatNamesAChip) {
  const Ran ran =
      cogstride_command(std::string("drive ") + demo_rig_path + " " + demo_script_path + " --yes");
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("names no GPIO chip"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("[controller.gpio.NAME]"), std::string::npos);
}

TEST_F(LiveCommands, DriveNamesEachMechanismThatItCannotDrive) {
  const Ran ran = cogstride_command("drive " + rig_on_a_chip() + " " + demo_script_path + " --yes");
  EXPECT_EQ(ran.status, 2);
  for (const char* const name : {"spindle: ", "feeder: ", "fan: ", "snips: "})
    EXPECT_NE(ran.out.find(name), std::string::npos) << name << ran.out;
  EXPECT_NE(ran.out.find("--only traverse,creel drives the rest"), std::string::npos) << ran.out;
}

TEST_F(LiveCommands, DriveRefusesAHeldSpeedBeforeAnythingMoves) {
  std::ostringstream demo;
  demo << std::ifstream(rig_on_a_chip()).rdbuf();
  const std::string rig =
      file("pwm.rig.toml", demo.str() + "\n[controller.pwm.main]\nchip = \"none\"\nlines = [28, 29]\n");
  for (const char* const statement : {"spin feeder at 100 rpm for 2 s", "move feeder by 90 deg",
                                      "repeat 2 times\n  move feeder by 9 deg\nend"}) {
    const Ran ran = cogstride_command(
        "drive " + rig + " " + file("held.moves", std::string(statement) + "\n") + " --only feeder --yes");
    EXPECT_EQ(ran.status, 2) << statement;
    EXPECT_NE(ran.out.find("live lines read no encoder, so feeder can only be given a duty"),
              std::string::npos)
        << statement << ran.out;
  }
  const Ran none = cogstride_command(
      "drive " + rig + " " + file("duty.moves", "spin feeder at 40 % for 1 s\n") + " --only feeder --yes");
  EXPECT_EQ(none.status, 2);
  EXPECT_NE(none.out.find("PWM chip"), std::string::npos) << none.out;
}

TEST_F(LiveCommands, DriveAsksBeforeTheFirstTimeAndTakesNoSilenceForYes) {
  const std::string rest = rig_on_a_chip() + " " + demo_script_path + " --only traverse";
  const std::string state = "XDG_STATE_HOME=" + path("state") + " " COGSTRIDE_TOOL " drive ";
  const Ran asked = cogstride::testing_support::run(state + rest + " </dev/null");
  EXPECT_EQ(asked.status, 2);
  EXPECT_NE(asked.out.find("traverse moves between 0 mm and 118 mm, at most at 60 mm/s"), std::string::npos)
      << asked.out;
  EXPECT_NE(asked.out.find("lamp may be switched on (line 39)"), std::string::npos) << asked.out;
  EXPECT_NE(asked.out.find("say --yes"), std::string::npos) << asked.out;
  // No machine has this chip: it goes no further than looking for it.
  const Ran agreed = cogstride::testing_support::run(state + rest + " --yes </dev/null");
  EXPECT_EQ(agreed.status, 2);
  EXPECT_NE(agreed.out.find("chip"), std::string::npos) << agreed.out;
  const Ran again = cogstride::testing_support::run(state + rest + " </dev/null");
  EXPECT_EQ(again.out.find("has not been driven before"), std::string::npos) << again.out;
}

TEST_F(LiveCommands, ProveLeadsThroughTheStagesOnTheSimulatedBench) {
  const std::string prove = std::string(COGSTRIDE_TOOL " prove ") + demo_rig_path + " traverse";
  const Ran ran = cogstride::testing_support::run("yes | head -20 | " + prove);
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("the output stands at 0.120 mm, +0.120 since last asked"), std::string::npos)
      << ran.out;
  EXPECT_NE(ran.out.find("A finger makes far (line 4) act: seen."), std::string::npos);
  EXPECT_NE(ran.out.find("All of traverse is right on the simulated bench."), std::string::npos);
}

TEST_F(LiveCommands, ProveStopsAtTheFirstNoAndNeverTakesSilenceForAnAnswer) {
  const std::string prove = std::string(COGSTRIDE_TOOL " prove ") + demo_rig_path + " traverse";
  const Ran refused = cogstride::testing_support::run("printf 'yes\\nperhaps\\nno\\n' | " + prove);
  EXPECT_EQ(refused.status, 1);
  EXPECT_NE(refused.out.find("'perhaps' is neither yes nor no."), std::string::npos) << refused.out;
  EXPECT_NE(refused.out.find("not right: rest levels\n  its outputs are on at rest"), std::string::npos);
  EXPECT_NE(refused.out.find("Right so far: coil pairs."), std::string::npos);
  const Ran silent = cogstride::testing_support::run(prove + " </dev/null");
  EXPECT_EQ(silent.status, 2);
  EXPECT_NE(silent.out.find("nobody answers any more"), std::string::npos) << silent.out;
}

TEST_F(LiveCommands, ProveLiveSaysWhatIsMissing) {
  const Ran no_chip = cogstride_command(std::string("prove ") + demo_rig_path + " traverse --live");
  EXPECT_EQ(no_chip.status, 2);
  EXPECT_NE(no_chip.out.find("[controller.gpio.NAME]"), std::string::npos) << no_chip.out;
  const Ran other_kind = cogstride_command(std::string("prove ") + demo_rig_path + " fan");
  EXPECT_EQ(other_kind.status, 2);
  EXPECT_NE(other_kind.out.find("fan"), std::string::npos) << other_kind.out;
}

TEST_F(LiveCommands, DriveRefusesAMechanismThatTheRigDoesNotHave) {
  const Ran ran =
      cogstride_command("drive " + rig_on_a_chip() + " " + demo_script_path + " --only spool --yes");
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("'spool' is not a mechanism of this rig"), std::string::npos) << ran.out;
}

TEST_F(LiveCommands, MeasureRateMeasuresThisComputerAndWritesItsRateIntoTheRig) {
  const std::string rig = rig_on_a_chip();
  const Ran wired = cogstride_command("measure-rate " + rig + " --line 0");
  EXPECT_EQ(wired.status, 2);
  EXPECT_NE(wired.out.find("--line 0: is step of traverse; name one that nothing is wired to"),
            std::string::npos)
      << wired.out;
  EXPECT_EQ(cogstride_command("measure-rate " + rig + " --each 1us").status, 2);
  ASSERT_EQ(cogstride_command("change " + rig + " controller.edge_lateness '\"20 ms\"'").status, 0);
  const Ran ran = cogstride_command("measure-rate " + rig + " --each 0.1s --keep --json");
  ASSERT_EQ(ran.status, 0) << ran.out;
  const auto report = nlohmann::json::parse(ran.out);
  EXPECT_EQ(report["bound_s"], 0.02);
  EXPECT_EQ(report["rig_Hz"], 60'000.0);
  double highest = 0.0;
  for (const auto& trial : report["trials"])
    if (trial["holds"]) highest = std::max(highest, trial["rate_Hz"].get<double>());
  EXPECT_EQ(report["highest_Hz"], highest);
  std::ostringstream text;
  text << std::ifstream(rig).rdbuf();
  EXPECT_EQ(text.str().find("top_step_rate = \"60 kHz\""), std::string::npos)
      << "the measured one is there now";
}

TEST_F(LiveCommands, CompareFindsTwoRunsOfOneScriptTheSame) {
  const std::string rehearse =
      std::string("rehearse ") + demo_rig_path + " " + demo_script_path + " --start-at ";
  ASSERT_EQ(cogstride_command(rehearse + "traverse=5mm --waves " + path("a.vcd")).status, 0);
  ASSERT_EQ(cogstride_command(rehearse + "traverse=5mm --waves " + path("b.vcd")).status, 0);
  ASSERT_EQ(cogstride_command(rehearse + "traverse=9mm --waves " + path("c.vcd")).status, 0);
  const Ran same = cogstride_command("compare " + path("a.vcd") + " " + path("b.vcd") + " --json");
  EXPECT_EQ(same.status, 0);
  const auto report = nlohmann::json::parse(same.out);
  EXPECT_TRUE(report["same_edges"]);
  EXPECT_EQ(report["worst_s"], 0.0);
  EXPECT_EQ(report["stretches_a"], report["stretches_b"]);

  const Ran other =
      cogstride_command("compare " + path("a.vcd") + " " + path("c.vcd") + " --json --plot " + path("x.png"));
  EXPECT_EQ(other.status, 1) << "the way to the gate is another";
  const auto far = nlohmann::json::parse(other.out);
  EXPECT_FALSE(far["same_edges"]);
  int differ = 0;
  int moves = 0;
  for (const auto& stretch : far["stretches"]) {
    differ += stretch["same"] ? 0 : 1;
    for (const auto& line : stretch["lines"])
      if (line["name"] == "traverse.step" && line["edges_a"] >= 6000 && stretch["same"]) ++moves;
  }
  EXPECT_GE(differ, 1) << "the fast approach";
  EXPECT_LE(differ, 2) << "and at the most the way back from the gate";
  EXPECT_EQ(moves, 6) << "all moves after homing";
  EXPECT_GT(std::filesystem::file_size(path("x.png")), 10'000u);
  const Ran words = cogstride_command("compare " + path("a.vcd") + " " + path("c.vcd"));
  EXPECT_NE(words.out.find("OTHER EDGES in "), std::string::npos) << words.out;
}

TEST_F(LiveCommands, CompareSaysByHowMuchEdgesDiffer) {
  const std::string head =
      "$timescale 1 us $end\n$scope module x $end\n$var wire 1 ! step $end\n"
      "$upscope $end\n$enddefinitions $end\n#0\n$dumpvars\n0!\n$end\n";
  const std::string a =
      file("a.vcd", head + "#100\n1!\n#110\n0!\n#200\n1!\n#210\n0!\n#300100\n1!\n#300110\n0!\n");
  const std::string b =
      file("b.vcd", head + "#500\n1!\n#512\n0!\n#607\n1!\n#619\n0!\n#300700\n1!\n#300708\n0!\n");
  const auto report = nlohmann::json::parse(cogstride_command("compare " + a + " " + b + " --json").out);
  ASSERT_EQ(report["stretches"].size(), 2u) << "parted by the pause of 0.3 s";
  EXPECT_NEAR(report["stretches"][0]["worst_s"].get<double>(), 9e-6, 1e-9);
  EXPECT_NEAR(report["stretches"][1]["worst_s"].get<double>(), 2e-6, 1e-9)
      << "the first edge is the later one";
  EXPECT_NEAR(report["shortest"][0]["a_s"].get<double>(), 10e-6, 1e-9);
  EXPECT_NEAR(report["shortest"][0]["b_s"].get<double>(), 8e-6, 1e-9);
}

TEST_F(LiveCommands, CompareSaysWhereAFileIsNoWaveform) {
  const struct {
    const char* text;
    const char* what;
  } wrongs[] = {
      {"hello\n", ":1: found 'hello' before $enddefinitions"},
      {"$timescale 1 us $end\n", "no $enddefinitions"},
      {"$timescale 7 lightyears $end\n", ":1: found '7lightyears' as $timescale"},
      {"$enddefinitions $end\n#5\n#3\n", ":3: time goes back"},
      {"$enddefinitions $end\n#5\n1!\n", ":3: found '1!'; a level is 0 or 1 and the code of a wire"},
      {"$enddefinitions $end\n#five\n", ":2: found 'five'; expected a whole number"},
      {"$scope module x\n", "a command without its $end"},
  };
  for (const auto& wrong : wrongs) {
    const std::string bad = file("bad.vcd", wrong.text);
    const Ran ran = cogstride_command("compare " + bad + " " + bad);
    EXPECT_EQ(ran.status, 2) << wrong.text;
    EXPECT_NE(ran.out.find(wrong.what), std::string::npos) << ran.out;
  }
  EXPECT_EQ(cogstride_command("compare " + path("none.vcd") + " " + path("none.vcd")).status, 2);
}

TEST_F(LiveCommands, OperateTakesOrdersFromItsInputAndAnswersEachOnce) {
  const auto operate = [](const std::string& input) {
    return cogstride::testing_support::run("(" + input + ") | " COGSTRIDE_TOOL " operate " + demo_rig_path +
                                           " --only feeder");
  };
  const Ran ran = operate(
      "echo '@1 spin feeder at 30 % for 0.2 s'; echo 'spin feeder at 300 % for 1 s'; echo; "
      "echo '{\"order\": \"clear\", \"tag\": 9}'; echo '{\"order\": 3}'; sleep 1.5; echo end");
  EXPECT_EQ(ran.status, 0) << ran.out;
  for (const char* const part :
       {"@1 done: spin feeder at 30 % for 0.2 s\n",
        "refused: spin feeder at 300 % for 1 s: ", "refused: nothing is asked\n",
        "{\"tag\":9,\"answer\":\"done\",\"order\":\"clear\"", "it has no `order`", "done: end\n"})
    EXPECT_NE(ran.out.find(part), std::string::npos) << part << "in\n" << ran.out;
  // Its input ends while something turns, and after two thousand lines of rubbish.
  const Ran gone = operate("echo 'spin feeder at 30 % until stopped'; yes '\001{fly' | head -2000");
  EXPECT_EQ(gone.status, 0) << gone.out.substr(0, 500);
  EXPECT_EQ(std::count(gone.out.begin(), gone.out.end(), '\n'), 2001);
  const Ran stopped =
      operate("echo 'spin feeder at 30 % until stopped'; sleep 0.5; echo 'stop everything'; echo 'wait 1 s'");
  EXPECT_NE(stopped.out.find("done: stop everything"), std::string::npos) << stopped.out;
  EXPECT_NE(stopped.out.find("refused: wait 1 s: everything is stopped"), std::string::npos) << stopped.out;
}

}  // namespace
