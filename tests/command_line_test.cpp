// The command, run as a user runs it: on the demo files, on wrong ones, and on rigs whose wiring is wrong.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <regex>
#include <sstream>

#include "cogstride/rig/diagnostic.hpp"
#include "support/refusal.hpp"
#include "support/run_command.hpp"

namespace fs = std::filesystem;
using cogstride::testing_support::Ran;
using cogstride::testing_support::run;
using nlohmann::json;

namespace {

const std::string tool = COGSTRIDE_TOOL;
const std::string demo_rig = COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml";
const std::string demo_script = COGSTRIDE_SOURCE_DIR "/demo/first.moves";

Ran cogstride(const std::string& words) {
  return cogstride::testing_support::cogstride_command(words);
}

class CommandLine : public testing::Test {
 protected:
  CommandLine() {
    folder = fs::temp_directory_path() /
             ("cogstride-cli-" + std::string(testing::UnitTest::GetInstance()->current_test_info()->name()));
    fs::remove_all(folder);
    fs::create_directories(folder);
  }
  ~CommandLine() override { fs::remove_all(folder); }

  [[nodiscard]] std::string path(const std::string& name) const { return (folder / name).string(); }
  std::string write(const std::string& name, const std::string& text) const {
    std::ofstream(path(name)) << text;
    return path(name);
  }
  /// The demo rig with one thing changed.
  std::string changed_rig(const std::string& from, const std::string& to) const {
    std::string text = cogstride::read_text_file(demo_rig);
    const std::size_t at = text.find(from);
    EXPECT_NE(at, std::string::npos) << from;
    return write("changed.rig.toml", text.replace(at, from.size(), to));
  }

  fs::path folder;
};

TEST_F(CommandLine, GuessesCommandsAndOptionsThatWereMeant) {
  EXPECT_NE(cogstride("rehears x").out.find("'rehears' is no command; did you mean rehearse?"),
            std::string::npos);
  EXPECT_NE(cogstride("").out.find("say which command: inspect, "), std::string::npos);
  const Ran option = cogstride("rehearse " + demo_rig + " " + demo_script + " --sed 3");
  EXPECT_EQ(option.status, 2);
  EXPECT_NE(option.out.find("rehearse: '--sed' is no option of it; did you mean --seed?"), std::string::npos);
  EXPECT_NE(cogstride("rehearse " + demo_rig).out.find("SCRIPT is required"), std::string::npos);
}

TEST_F(CommandLine, TellsErrorsAsJsonToPrograms) {
  const std::string rig = write("wrong.rig.toml", "name = 3\n");
  const Ran ran = cogstride("inspect " + rig + " --json");
  EXPECT_EQ(ran.status, 2);
  // The words on standard error come after it.
  const json error = json::parse(ran.out.substr(0, ran.out.find("\n}\n") + 2))["error"];
  ASSERT_GE(error["places"].size(), 1u);
  const json last = error["places"].back();
  EXPECT_EQ(last["file"], rig);
  EXPECT_EQ(last["line"], 1);
  EXPECT_EQ(last["column"], 8);
  EXPECT_NE(error["message"].get<std::string>().find(last["message"].get<std::string>()), std::string::npos);
}

TEST_F(CommandLine, RefusesAWaveformOfAnotherEndingAndAFolderForAScript) {
  const std::string words = "rehearse " + demo_rig + " " + demo_script;
  const Ran waves = cogstride(words + " --waves " + path("x.csv"));
  EXPECT_EQ(waves.status, 2);
  EXPECT_NE(waves.out.find("its name ends in .vcd"), std::string::npos) << waves.out;
  EXPECT_FALSE(fs::exists(path("x.csv")));
  const Ran folder = cogstride("rehearse " + demo_rig + " " + path(""));
  EXPECT_EQ(folder.status, 2);
  EXPECT_NE(folder.out.find("is a folder; name a file in it"), std::string::npos) << folder.out;
}

TEST_F(CommandLine, InspectsTheDemoRig) {
  const Ran ran = cogstride("inspect " + demo_rig);
  EXPECT_EQ(ran.status, 0);
  EXPECT_NE(ran.out.find("800/3 a mm = 266.666667"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("60 mm/s = 16000 steps/s"), std::string::npos);
  const json figures = json::parse(cogstride("inspect --json " + demo_rig).out);
  EXPECT_EQ(figures["mechanisms"][0]["steps_per_mm"]["numerator"], 800);
  EXPECT_EQ(figures["mechanisms"][0]["travel_steps"], 31467);
  EXPECT_EQ(figures["mechanisms"][0]["lines"]["gate"], 3);
}

TEST_F(CommandLine, PlansAMoveAndShowsEveryPulse) {
  const Ran ran = cogstride("plan " + demo_rig + " traverse --to 85mm --waves " + path("p.vcd") + " --plot " +
                            path("p.svg") + " --csv " + path("p.csv"));
  ASSERT_EQ(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("22667 forwards"), std::string::npos);
  std::istringstream waves(cogstride::read_text_file(path("p.vcd")));
  int rises = 0;
  for (std::string line; std::getline(waves, line);) rises += line == "1!" ? 1 : 0;
  EXPECT_EQ(rises, 22667);
  const json plan = json::parse(
      cogstride("plan " + demo_rig + " traverse --from 85mm --to 84mm --speed 20mm/s --json").out);
  EXPECT_EQ(plan["steps"], 22400 - 22667);
  EXPECT_LT(plan["worst_error_ticks"], 1.0);
  EXPECT_DOUBLE_EQ(plan["peak_speed_mm_per_s"], 20.0);
}

TEST_F(CommandLine, PlanRefusesWithAWayOut) {
  const auto refused = [&](const std::string& words, const std::string& part) {
    const Ran ran = cogstride("plan " + demo_rig + " " + words);
    EXPECT_EQ(ran.status, 2) << words;
    EXPECT_NE(ran.out.find(part), std::string::npos) << ran.out;
  };
  refused("traverse --to 85", "--to: '85' has no unit");
  refused("traverse --to 119mm", "outside its travel of 0 mm to 118 mm");
  refused("traverse --to 85mm --speed 90mm/s", "over its limit of 60 mm/s");
  refused("traverse --to 85mm --speed 90mm", "--speed: '90mm' is not a speed");
  refused("traverse --to=-5mm", "outside its travel");
  refused("travers --to 85mm", "did you mean traverse?");
  refused("traverse", "--to: say where the move ends");
}

TEST_F(CommandLine, RehearsesTheDemoScript) {
  const Ran ran =
      cogstride("rehearse " + demo_rig + " " + demo_script + " --plot " + path("a.png") + " --json");
  ASSERT_EQ(ran.status, 0) << ran.out;
  const json report = json::parse(ran.out);
  EXPECT_TRUE(report["ok"]);
  EXPECT_EQ(report["movers"][0]["asked_mm"], 0.0);
  EXPECT_NEAR(report["movers"][0]["made_mm"], 0.0, 0.002);
  EXPECT_EQ(report["movers"][0]["lost_microsteps"], 0);
  EXPECT_EQ(report["events"].size(), 15u);
  EXPECT_GT(fs::file_size(path("a.png")), 10'000u);
  EXPECT_NE(cogstride("rehearse " + demo_rig + " " + demo_script).out.find("all as asked"),
            std::string::npos);
}

TEST_F(CommandLine, TheSameRunTwiceGivesTheSameBytes) {
  const std::string script = write("short.moves", "home traverse\nmove traverse to 9 mm\n");
  std::vector<std::string> kept[2];
  for (auto& files : kept) {
    const Ran ran = cogstride("rehearse " + demo_rig + " " + script +
                              " --seed 5 --start-at traverse=3.21mm --json --overwrite --csv " +
                              path("a.csv") + " --waves " + path("a.vcd"));
    ASSERT_EQ(ran.status, 0) << ran.out;
    files = {ran.out, cogstride::read_text_file(path("a.csv")), cogstride::read_text_file(path("a.vcd"))};
  }
  EXPECT_EQ(kept[0], kept[1]);
  EXPECT_GT(kept[0][1].size(), 10'000u);
}

TEST_F(CommandLine, AnInvertedEnableMovesNothingAndSaysWhatToLookAt) {
  const std::string rig =
      changed_rig("enable = { line = 2, active = \"low\" }", "enable = { line = 2, active = \"high\" }");
  const Ran ran = cogstride("rehearse " + rig + " " + demo_script + " --plot " + path("inverted.png"));
  EXPECT_EQ(ran.status, 1);
  EXPECT_TRUE(fs::exists(path("inverted.png")));
  EXPECT_NE(ran.out.find("nothing moved"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("look at       its board was off: ENABLE, which it wants low (lines.enable.active"),
            std::string::npos);
  const json report =
      json::parse(cogstride("rehearse " + rig + " " + demo_script + " --json --start-at traverse=40mm").out);
  EXPECT_FALSE(report["ok"]);
  EXPECT_NEAR(report["movers"][0]["made_mm"], 40.0, 0.2) << "it only sprang to a place of rest";
  EXPECT_EQ(report["movers"][0]["missed_switched_off"], report["movers"][0]["pulses"]);
}

TEST_F(CommandLine, PulsesShorterThanTheBoardsAreMissed) {
  const std::string rig =
      changed_rig("[mechanism.traverse.lines]", "[mechanism.traverse.lines]\npulse_width = \"1 us\"");
  const Ran ran = cogstride("rehearse " + rig + " " + demo_script);
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.out.find("for as little as 1 us, and that is too short for it"), std::string::npos)
      << ran.out;
}

TEST_F(CommandLine, ARampBeyondTheLimitLosesWholePeriodsAndNamesTheMoment) {
  std::string text = cogstride::read_text_file(
      changed_rig("acceleration = \"1500 mm/s2\"", "acceleration = \"5000 mm/s2\""));
  text.erase(text.find("jerk = "), std::string_view("jerk = \"40000 mm/s3\"\n").size());
  text.erase(text.find("[mechanism.traverse.homing]"));  // it stands at 0 when it is switched on
  const std::string rig = write("fast.rig.toml", text);
  const std::string script = write("fast.moves", "move traverse to 80 mm\n");
  const Ran ran = cogstride("rehearse " + rig + " " + script);
  EXPECT_EQ(ran.status, 1);
  const std::regex moment("\\d+ microsteps lost at \\d+\\.\\d+ s, at \\d+ steps/s");
  EXPECT_TRUE(std::regex_search(ran.out, moment)) << ran.out;
  const json report = json::parse(cogstride("rehearse " + rig + " " + script + " --json").out);
  const json& traverse = report["movers"][0];
  EXPECT_EQ(traverse["kind"], "bipolar stepper");
  EXPECT_GT(traverse["moments"][0]["rate_steps_per_s"], 1000);
  const std::int64_t lost = traverse["lost_microsteps"];
  EXPECT_GT(lost, 0);
  EXPECT_EQ(lost % 32, 0);
  EXPECT_NEAR(traverse["made_mm"], 80.0 - 0.00375 * static_cast<double>(lost), 0.005);
}

TEST_F(CommandLine, PlanSaysHowFarAMoveIsFromLosingSteps) {
  const json plan = json::parse(cogstride("plan " + demo_rig + " traverse --to 85mm --json").out);
  EXPECT_GT(plan["torque_margin_share"], 0.35);
  EXPECT_GT(plan["worst_lag_deg"], 20.0);
  const std::string steep = changed_rig("jerk = \"40000 mm/s3\"", "jerk = \"9000000 mm/s3\"");
  const Ran lossy =
      cogstride("change " + steep + " mechanism.traverse.limits.acceleration '\"4000 mm/s2\"' && " + tool +
                " plan " + steep + " traverse --to 85mm");
  EXPECT_EQ(lossy.status, 1) << lossy.out;
  EXPECT_TRUE(
      std::regex_search(lossy.out, std::regex("TOO LITTLE: steps are lost at .*; it would take \\d+ % more")))
      << lossy.out;
}

TEST_F(CommandLine, PlanChoosesTheFastestForAMargin) {
  const Ran ran = cogstride("plan " + demo_rig + " creel --to 45deg --fastest --margin 40%");
  EXPECT_EQ(ran.status, 0) << ran.out;
  const std::regex chosen("fastest with 40 % of torque to spare: speed = \"(\\d+\\.?\\d*) deg/s\"");
  std::smatch found;
  ASSERT_TRUE(std::regex_search(ran.out, found, chosen)) << ran.out;
  EXPECT_GT(std::stod(found[1]), 40.0) << "more than the rig asks for";
  EXPECT_EQ(cogstride("plan " + demo_rig + " creel --to 45deg --fastest --margin 40").status, 2) << "no unit";
  EXPECT_EQ(cogstride("plan " + demo_rig + " creel --to 45deg --fastest --margin 99%").status, 2);
  EXPECT_EQ(cogstride("plan " + demo_rig + " creel --to 45deg --margin 40%").status, 2)
      << "only with --fastest";
  EXPECT_EQ(cogstride("plan " + demo_rig + " creel --to 45deg --fastest --speed 20deg/s").status, 2);
}

TEST_F(CommandLine, PlanTakesTheTimeThatIsAsked) {
  const Ran ran = cogstride("plan " + demo_rig + " traverse --to 85mm --in 3s");
  EXPECT_NE(ran.out.find("traverse: 0 mm to 85 mm in 3.0000 s"), std::string::npos) << ran.out;
  const Ran early = cogstride("plan " + demo_rig + " traverse --to 85mm --in 1s");
  EXPECT_EQ(early.status, 2);
  EXPECT_NE(early.out.find("at least 1.487 s; 1 s cannot be had"), std::string::npos) << early.out;
}

TEST_F(CommandLine, SweepFindsWhereStepsAreLost) {
  const std::string plot = (folder / "sweep.png").string();
  const Ran ran = cogstride("sweep " + demo_rig + " traverse --acceleration --plot " + plot);
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_TRUE(
      std::regex_search(ran.out, std::regex("^traverse: holds up to 2\\d\\d\\d mm/s2 on the simulated bench; "
                                            "2\\d\\d\\d mm/s2 predicted")))
      << ran.out;
  EXPECT_NE(ran.out.find("not five"), std::string::npos);
  EXPECT_GT(fs::file_size(plot), 10'000u);
  const json sweep = json::parse(cogstride("sweep " + demo_rig + " creel --speed --json").out);
  EXPECT_NEAR(sweep["found_deg_per_s"], sweep["predicted_deg_per_s"], 0.1 * double(sweep["found_deg_per_s"]));
  EXPECT_EQ(cogstride("sweep " + demo_rig + " traverse").status, 2) << "what?";
  EXPECT_EQ(cogstride("sweep " + demo_rig + " traverse --speed --modes").status, 2) << "one thing";
  EXPECT_EQ(cogstride("sweep " + demo_rig + " traverse --speed --plot " + plot).status, 2)
      << "is there already";
  EXPECT_EQ(cogstride("sweep " + demo_rig + " spindle --speed").status, 2) << "no stepper";
}

TEST_F(CommandLine, SweepComparesSteppingModes) {
  const std::string plot = (folder / "modes.svg").string();
  const Ran ran = cogstride("sweep " + demo_rig + " creel --modes --plot " + plot);
  EXPECT_EQ(ran.status, 0) << ran.out;
  for (const char* mode : {"wave: one phase on", "full steps: two phases on", "half steps"})
    EXPECT_NE(ran.out.find(mode), std::string::npos) << ran.out;
  EXPECT_NE(cogstride::read_text_file(plot).find("half steps"), std::string::npos);
}

TEST_F(CommandLine, WrongFilesAreShownWhereTheyAreWrong) {
  const std::string rig = changed_rig("microsteps = 8", "microsteps = 6");
  Ran ran = cogstride("inspect " + rig);
  EXPECT_EQ(ran.status, 2);
  EXPECT_TRUE(std::regex_search(
      ran.out,
      std::regex("changed.rig.toml:\\d+:14: mechanism.traverse.board: microsteps 6 is not a setting")))
      << ran.out;
  const std::string script = write("bad.moves", "home traverse\nmove traverse to 200 mm\nmoev\n");
  ran = cogstride("rehearse " + demo_rig + " " + script + " --plot " + path("never.png"));
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("bad.moves:3:1: 'moev' is not a verb"), std::string::npos) << ran.out;
  EXPECT_FALSE(fs::exists(path("never.png")));
  EXPECT_EQ(cogstride("inspect " + path("none.rig.toml")).status, 2);
}

TEST_F(CommandLine, NeverOverwritesUnasked) {
  const std::string mine = write("mine.csv", "precious");
  const std::string words = "plan " + demo_rig + " traverse --to 5mm --csv " + mine;
  Ran ran = cogstride(words);
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("is there already"), std::string::npos);
  EXPECT_EQ(cogstride::read_text_file(mine), "precious");
  EXPECT_EQ(cogstride(words + " --overwrite").status, 0);
  EXPECT_NE(cogstride::read_text_file(mine), "precious");
  EXPECT_EQ(cogstride("plan " + demo_rig + " traverse --to 5mm --plot " + path("x.pdf")).status, 2);
  EXPECT_EQ(cogstride("plan " + demo_rig + " traverse --to 5mm --csv " + path("x.vcd") + " --waves " +
                      path("x.vcd"))
                .status,
            2);
  EXPECT_EQ(cogstride("plan " + demo_rig + " traverse --to 5mm --csv /nowhere/x.csv").status, 2);
}

TEST_F(CommandLine, HelpsAMaker) {
  for (const std::string command : {"", "inspect ", "plan ", "rehearse ", "demo "}) {
    const Ran ran = cogstride(command + "--help");
    EXPECT_EQ(ran.status, 0) << command;
    EXPECT_GT(ran.out.size(), 200u);
  }
  EXPECT_NE(
      cogstride("--help").out.find("0 done, 1 it ran and something is wrong, 2 the call or a file is wrong"),
      std::string::npos);
  EXPECT_EQ(cogstride("").status, 2);
  EXPECT_EQ(cogstride("dance").status, 2);
  EXPECT_EQ(cogstride("--version").out, "cogstride " COGSTRIDE_VERSION "\n");
}

TEST_F(CommandLine, TheDemoLeavesItsFilesAndRenewsThem) {
  const std::string words = "demo --from " COGSTRIDE_SOURCE_DIR "/demo --to " + path("out");
  for (int i = 0; i < 2; ++i) {
    const Ran ran = cogstride(words);
    ASSERT_EQ(ran.status, 0) << ran.out;
    for (const char* name : {"plan.png", "plan.vcd", "first.png", "first.vcd", "first.csv", "first.html"}) {
      EXPECT_TRUE(fs::exists(fs::path(path("out")) / name)) << name;
    }
  }
  EXPECT_EQ(cogstride("demo --from " + path("nothing")).status, 2);
}

TEST_F(CommandLine, AReportKeepsAllOfIt) {
  const std::string script = write("short.moves", "spin feeder at 30 % for 1 s\nswing snips to 20 deg\n");
  const auto report_of = [&](const std::string& words, const char* name, int status = 0) {
    const Ran ran = cogstride(words + " --report " + path(name));
    EXPECT_EQ(ran.status, status) << ran.out;
    return cogstride::read_text_file(path(name), std::string::npos);
  };
  const auto expect_parts = [](const std::string& page, const std::vector<const char*>& parts) {
    for (const char* const part : parts) EXPECT_TRUE(cogstride::testing_support::has(page, part)) << part;
    EXPECT_FALSE(cogstride::testing_support::has(page, "src=")) << "nothing is fetched";
  };
  const std::string rehearse = "rehearse " + demo_rig + " " + script;
  const std::string ran = report_of(rehearse, "a.html");
  expect_parts(ran, {"all as asked, after", "<svg", "feeder alone", "snips alone", "swing to 20 deg",
                     "sold as 107.5:1", "   1  spin feeder at 30 % for 1 s", "[mechanism.feeder]", "Made by",
                     "<td>seed</td>"});
  EXPECT_EQ(report_of(rehearse, "b.html"), ran) << "the same run gives the same bytes";
  expect_parts(report_of("plan " + demo_rig + " traverse --to 85mm", "plan.html"),
               {"it takes 1.4", "<svg", "to spare"});
  expect_parts(report_of("inspect " + demo_rig, "inspect.html"),
               {"nothing but notes was found", "Lines", "800/3"});
  expect_parts(report_of("operate " + demo_rig + " --plain </dev/null", "operate.html"),
               {"by hand", "Findings"});
  const Ran again = cogstride(rehearse + " --report " + path("a.html"));
  EXPECT_EQ(again.status, 2);
  EXPECT_TRUE(cogstride::testing_support::has(again.out, "--overwrite"));
  EXPECT_EQ(cogstride(rehearse + " --report " + path("a.txt")).status, 2);
}

TEST_F(CommandLine, AReportIsThereWhereNothingDraws) {
  const std::string script = write("short.moves", "swing snips to 20 deg\n");
  const Ran ran = run("PATH=" + path("nowhere") + " " + tool + " rehearse " + demo_rig + " " + script +
                      " --report " + path("run.html"));
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_TRUE(cogstride::testing_support::has(
      ran.out, "note: the report goes without: the figure was not drawn: gnuplot is missing"))
      << ran.out;
  const std::string page = cogstride::read_text_file(path("run.html"), std::string::npos);
  EXPECT_TRUE(cogstride::testing_support::has(page, "swing to 20 deg"));
  EXPECT_TRUE(cogstride::testing_support::has(page, "gnuplot is missing"));
}

TEST_F(CommandLine, WarpsWithTwoMechanismsThatArriveTogether) {
  const std::string demo = COGSTRIDE_SOURCE_DIR "/demo/";
  EXPECT_EQ(cogstride("inspect " + demo + "warping.rig.toml").status, 0);
  const Ran together = cogstride("rehearse " + demo + "warping.rig.toml " + demo + "warp.moves");
  EXPECT_EQ(together.status, 0) << together.out;
}

TEST_F(CommandLine, EveryVerbHasItsPlaceInTheDocs) {
  const std::string docs = cogstride::read_text_file(COGSTRIDE_SOURCE_DIR "/docs/script-language.md");
  const Ran ran = cogstride("rehearse " + demo_rig + " " + write("none.moves", "zzzzzzzz\n"));
  EXPECT_EQ(ran.status, 2);
  const std::size_t begin = ran.out.find(" (home, ") + 2;
  ASSERT_NE(begin, std::string::npos + 2) << ran.out;
  std::istringstream words(ran.out.substr(begin, ran.out.find(')', begin) - begin));
  int verbs = 0;
  for (std::string verb; std::getline(words, verb, ','); ++verbs) {
    verb.erase(0, verb.find_first_not_of(' '));
    const std::regex heading("\n### ([a-z ]+, )*" + verb + "( |,|\n)");
    EXPECT_TRUE(verb == "end" || std::regex_search(docs, heading)) << verb;
  }
  EXPECT_GE(verbs, 22);
}

TEST_F(CommandLine, SaysWhatIsWrongBeforePowerIsOn) {
  const std::string rig =
      changed_rig("enable = { line = 2, active = \"low\" }", "enable = { line = 2, active = \"high\" }");
  const Ran ran = cogstride("inspect " + rig);
  EXPECT_EQ(ran.status, 1);
  EXPECT_TRUE(std::regex_search(
      ran.out,
      std::regex(
          "changed.rig.toml:\\d+:\\d+: error enable-inverted: traverse: ENABLE is driven the other way")))
      << ran.out;
  EXPECT_NE(ran.out.find("way out: write active = \"low\""), std::string::npos);
  const json report = json::parse(cogstride("inspect --json " + rig).out);
  EXPECT_EQ(report["findings"][0]["code"], "enable-inverted");
  const Ran story = cogstride("explain enable-inverted");
  EXPECT_EQ(story.status, 0);
  EXPECT_NE(story.out.find("lines.enable.active = board.enable_active"), std::string::npos);
  EXPECT_EQ(cogstride("explain enable-invertd").status, 2);
  EXPECT_NE(cogstride("explain").out.find("acceleration-beyond-torque"), std::string::npos);
}

TEST_F(CommandLine, PrintsTheWiringList) {
  const Ran ran = cogstride("lines " + demo_rig);
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(
      std::regex_search(ran.out, std::regex(" 2  traverse enable +output +high +floats, off +7.78 mA")))
      << ran.out;
  EXPECT_NE(ran.out.find("  motor leads   A+ white, A- brown, B+ grey, B- violet, each to the output of that "
                         "name; taps black to the"),
            std::string::npos)
      << ran.out;
  EXPECT_NE(ran.out.find("  ground        its inputs are isolated"), std::string::npos);
  EXPECT_NE(ran.out.find("  switches      microsteps at 110 (8), current at 01 (1.6 A)"), std::string::npos);
  const json all = json::parse(cogstride("lines --json " + demo_rig).out);
  EXPECT_EQ(all["mechanisms"].size(), 6u);
  const json lines = all["lines"];
  ASSERT_EQ(lines.size(), 34u);
  EXPECT_EQ(lines[3]["use"], "gate");
  EXPECT_FALSE(lines[3]["output"]);
}

TEST_F(CommandLine, WritesANewRigAndChangesIt) {
  const std::string rig = path("shed.rig.toml");
  const std::string words =
      "new " + rig + " --mechanism \"reel=bipolar stepper\" --mechanism \"drum=brushed, " +
      "sign-and-magnitude H-bridge\" --sensor \"reel.gate=optical gate\" --hand " + "\"halt=emergency stop\"";
  ASSERT_EQ(cogstride(words).status, 0) << cogstride(words).out;
  EXPECT_NE(cogstride(words).out.find("is there already; --overwrite"), std::string::npos);
  EXPECT_EQ(cogstride("inspect " + rig).status, 0) << cogstride("inspect " + rig).out;
  const Ran changed = cogstride("change " + rig + " mechanism.reel.board.microsteps 16");
  EXPECT_EQ(changed.status, 0) << changed.out;
  EXPECT_NE(cogstride("inspect " + rig + " reel").out.find("at 16 microsteps"), std::string::npos);
  const std::string before = cogstride::read_text_file(rig);
  const Ran refused = cogstride("change " + rig + " mechanism.reel.board.microsteps 17");
  EXPECT_EQ(refused.status, 2);
  EXPECT_NE(refused.out.find("17 is not a setting of this board (1, 2, 4, 8, 16)"), std::string::npos);
  EXPECT_EQ(cogstride::read_text_file(rig), before);
  EXPECT_EQ(cogstride("new " + path("x.rig.toml") + " --mechanism reel").status, 2);
  EXPECT_FALSE(fs::exists(path("x.rig.toml")));
}

TEST_F(CommandLine, PrintsAndDrawsTheCoilSequence) {
  const Ran ran = cogstride("sequence " + demo_rig + " creel --plot " + path("creel.png"));
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_TRUE(std::regex_search(
      ran.out,
      std::regex(
          "step +field +a_plus 8 +b_plus 9 +a_minus 10 +b_minus 11 +port\\n +0 +45 deg +1 +1 +0 +0 +0x300")))
      << ran.out;
  EXPECT_NE(ran.out.find("the field turns by equal angles"), std::string::npos);
  EXPECT_GT(fs::file_size(path("creel.png")), 10'000u);
  EXPECT_EQ(cogstride("sequence " + demo_rig + " creel --plot " + path("creel.png")).status, 2)
      << "is there already";
  const json backwards = json::parse(cogstride("sequence " + demo_rig + " creel --backwards --json").out);
  EXPECT_EQ(backwards["rows"][0]["step"], 0);
  EXPECT_EQ(backwards["rows"][1]["step"], 3);
  EXPECT_EQ(backwards["rows"][1]["port"], 0x900);
  const std::string coarse = changed_rig("microsteps = 8\n", "microsteps = 8\ncurrent_levels = 7\n");
  const Ran off = cogstride("sequence " + coarse + " traverse --plot " + path("traverse.svg"));
  EXPECT_NE(off.out.find("8 microsteps of 7 levels of current; 32 rows"), std::string::npos) << off.out;
  EXPECT_NE(off.out.find("off equal angles"), std::string::npos);
  EXPECT_EQ(cogstride("sequence " + demo_rig + " feeder").status, 2);
}

TEST_F(CommandLine, ShowsOneMechanismAlone) {
  const Ran ran = cogstride("inspect " + demo_rig + " feeder");
  EXPECT_EQ(ran.status, 0);
  EXPECT_NE(ran.out.find("breaks loose at 13.3 %, takes 90.1 % at top speed"), std::string::npos) << ran.out;
  EXPECT_EQ(ran.out.find("traverse"), std::string::npos);
  const json figures = json::parse(cogstride("inspect --json " + demo_rig + " feeder").out);
  ASSERT_EQ(figures["mechanisms"].size(), 1u);
  EXPECT_EQ(figures["mechanisms"][0]["pwm_counts"], 2400);
  EXPECT_EQ(figures["mechanisms"][0]["motor_turns_per_turn"]["denominator"], 4);
  EXPECT_EQ(cogstride("inspect " + demo_rig + " letof").status, 2);
}

// docs/rig.md holds what `cogstride keys` lists.
TEST_F(CommandLine, TheRigPageIsComplete) {
  const std::string page = cogstride::read_text_file(COGSTRIDE_SOURCE_DIR "/docs/rig.md");
  EXPECT_NE(page.find(cogstride("keys --page").out), std::string::npos) << "renew it with scripts/rig-page";
  EXPECT_NE(cogstride("keys brushed").out.find("torque_constant"), std::string::npos);
  EXPECT_EQ(cogstride("keys brushd").status, 2);
}

// docs/findings.md is what `cogstride explain` says, code by code.
TEST_F(CommandLine, TheFindingsPageIsComplete) {
  const std::string page = cogstride::read_text_file(COGSTRIDE_SOURCE_DIR "/docs/findings.md");
  std::istringstream list(cogstride("explain").out);
  int count = 0;
  for (std::string line; std::getline(list, line); ++count) {
    const std::string code = line.substr(0, line.find(' '));
    EXPECT_NE(page.find(cogstride("explain " + code).out), std::string::npos)
        << code << ": renew it with scripts/findings-page";
  }
  EXPECT_GE(count, 20);
}

TEST_F(CommandLine, StandingIsChecked) {
  const auto refused = [&](const std::string& standing, const std::string& part) {
    const Ran ran = cogstride("rehearse " + demo_rig + " " + demo_script + " --start-at " + standing);
    EXPECT_EQ(ran.status, 2);
    EXPECT_NE(ran.out.find(part), std::string::npos) << ran.out;
  };
  refused("traverse", "write it as traverse=59mm");
  refused("traverse=59", "has no unit");
  refused("traverse=59deg", "wants mm");
  refused("tarverse=59mm", "did you mean traverse?");
}

TEST(Examples, FirstMoveEndsWhereItWasSent) {
  const Ran ran = run(COGSTRIDE_EXAMPLES_DIR "/first_move");
  EXPECT_EQ(ran.status, 0);
  EXPECT_TRUE(std::regex_search(
      ran.out, std::regex("asked for 85 mm, stands at (84.99|85.00)\\d mm after 1\\.6\\d\\d s")))
      << ran.out;
  EXPECT_TRUE(std::regex_search(ran.out, std::regex("asked for 10 mm, stands at (9.99|10.00)\\d mm")))
      << ran.out;
}

TEST_F(CommandLine, SaysWhenItsOutputCannotBeWritten) {
  const std::vector<std::string> commands{"inspect " + demo_rig,
                                          "lines " + demo_rig,
                                          "explain",
                                          "keys",
                                          "sequence " + demo_rig + " creel",
                                          "plan " + demo_rig + " traverse --to 85mm",
                                          "timer --clock 16MHz --frequency 490Hz",
                                          "rehearse " + demo_rig + " " + demo_script,
                                          "--help"};
  for (const std::string& command : commands) {
    for (const char* const nowhere : {" >/dev/full", " >&-"}) {
      const Ran ran = run("sh -c '" + tool + " " + command + nowhere + "'");
      EXPECT_EQ(ran.status, 1) << command << nowhere;
      EXPECT_NE(ran.out.find("standard output cannot be written"), std::string::npos) << ran.out;
    }
  }
}

TEST_F(CommandLine, DoesNotWriteOntoWhatItReads) {
  const std::string rig = write("mine.rig.toml", cogstride::read_text_file(demo_rig));
  const std::string script = write("mine.moves", "home traverse\n");
  const std::string before = cogstride::read_text_file(rig);
  fs::create_symlink(rig, path("rig.csv"));
  fs::create_hard_link(script, path("script.vcd"));
  const std::string words = "rehearse " + rig + " " + script + " --overwrite";
  for (const std::string& output :
       {" --csv " + rig, " --csv " + path("rig.csv"), " --waves " + path("script.vcd")}) {
    const Ran ran = cogstride(words + output);
    EXPECT_EQ(ran.status, 2);
    EXPECT_NE(ran.out.find("does not write onto it"), std::string::npos) << ran.out;
  }
  EXPECT_EQ(cogstride::read_text_file(rig), before);
  EXPECT_EQ(cogstride::read_text_file(script), "home traverse\n");

  // Positions are kept in a file of their own.
  const Ran ran = cogstride("rehearse " + rig + " " + script + " --remember " + rig);
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("holds something other than remembered positions"), std::string::npos) << ran.out;
  EXPECT_EQ(cogstride::read_text_file(rig), before);
}

TEST_F(CommandLine, ChangesOfOneRigAtOnceLeaveOneThatCanBeRead) {
  const std::string rig = write("mine.rig.toml", cogstride::read_text_file(demo_rig));
  const std::string one = "for i in 1 2 3 4 5 6 7 8; do " + tool + " change " + rig +
                          " mechanism.traverse.limits.speed \"4$i mm/s\" || exit 1; done";
  const std::string other = "for i in 1 2 3 4 5 6 7 8; do " + tool + " change " + rig +
                            " mechanism.traverse.limits.acceleration \"140$i mm/s2\" || exit 1; done";
  const Ran ran = run("( " + one + " ) & ( " + other + " ) && wait $!");
  EXPECT_EQ(ran.status, 0) << ran.out;
  const std::string text = cogstride::read_text_file(rig);
  EXPECT_NE(text.find("\"48 mm/s\""), std::string::npos);
  EXPECT_NE(text.find("\"1408 mm/s2\""), std::string::npos);
}

TEST_F(CommandLine, RunsNothingThatANameSays) {
  const std::string sign = path("was-run");
  const std::string rig = changed_rig("[mechanism.traverse]", "[mechanism.\"`touch " + sign + "`\"]");
  const Ran ran = cogstride("inspect " + rig);
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("letters, digits, _ and - make a name"), std::string::npos) << ran.out;
  // Words that may be free, the rig's own name, come into figures as they stand.
  const std::string titled = changed_rig("Bobbin bench", "`touch " + sign + "` it's");
  EXPECT_EQ(cogstride("sequence " + titled + " creel --plot " + path("rows.png")).status, 0);
  const Ran drawn = cogstride("rehearse " + titled + " " + write("home.moves", "home traverse\n") +
                              " --plot " + path("home.svg"));
  EXPECT_EQ(drawn.status, 0) << drawn.out;
  EXPECT_FALSE(fs::exists(sign));
}

TEST_F(CommandLine, SaysWhatTheDrawingProgramDid) {
  fs::create_directories(folder / "bin");
  const auto with = [&](const std::string& program) {
    write("bin/gnuplot", program);
    fs::permissions(folder / "bin/gnuplot", fs::perms::owner_all);
    return run("PATH=" + path("bin") + ":/usr/bin:/bin " + tool + " sequence " + demo_rig + " creel --plot " +
               path("rows.png"));
  };
  const std::string missing = run("PATH=" + path("nowhere") + " " + tool + " sequence " + demo_rig +
                                  " creel --plot " + path("rows.png"))
                                  .out;
  EXPECT_NE(missing.find("gnuplot is missing"), std::string::npos) << missing;
  const std::string failing = with("#!/bin/sh\necho 'no such terminal' >&2\nexit 1\n").out;
  EXPECT_NE(failing.find("gnuplot failed: no such terminal"), std::string::npos) << failing;
  // It ends well and has left a part alone, or nothing.
  const std::string part = with("#!/bin/sh\ncat >/dev/null\n").out;
  EXPECT_NE(part.find("left a part of it alone"), std::string::npos) << part;
  // It goes away without reading: no SIGPIPE.
  EXPECT_EQ(with("#!/bin/sh\nexit 3\n").status, 2);
  EXPECT_FALSE(fs::exists(path("rows.png")));
}

}  // namespace
