// The commands about rigs, run as a maker runs them.
#include <gtest/gtest.h>

#include <array>
#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <regex>

#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/keys/kinds.hpp"
#include "support/demo_rig.hpp"
#include "support/run_command.hpp"

namespace fs = std::filesystem;
using cogstride::testing_support::cogstride_command;
using cogstride::testing_support::Ran;
using nlohmann::json;

namespace {

class RigCommands : public ::testing::Test {
 protected:
  RigCommands() {
    std::string name = (fs::temp_directory_path() / "cogstride-rigs-XXXXXX").string();
    folder = mkdtemp(name.data());
  }
  ~RigCommands() override { fs::remove_all(folder); }

  [[nodiscard]] std::string path(const std::string& name) const { return (folder / name).string(); }
  std::string write(const std::string& name, const std::string& text) {
    std::ofstream(path(name)) << text;
    return path(name);
  }
  static std::string demo_text() {
    return cogstride::read_text_file(cogstride::testing_support::demo_rig_path);
  }

  fs::path folder;
};

TEST_F(RigCommands, EveryMotorAndBoardHasANewRigThatInspects) {
  for (const auto& motor : cogstride::motor_kinds()) {
    for (const auto& board : cogstride::board_kinds()) {
      if (!cogstride::fits(motor.part, board.part)) continue;
      const std::string rig = path("kind.rig.toml");
      const std::string words = std::string("drum=") + motor.word + ", " + board.word;
      const Ran made = cogstride_command("new " + rig + " --overwrite --mechanism \"" + words + "\"");
      ASSERT_EQ(made.status, 0) << made.out;
      const Ran ran = cogstride_command("inspect " + rig);
      EXPECT_EQ(ran.status, 0) << words << "\n" << ran.out;
      EXPECT_NE(ran.out.find(": 1 note\n"), std::string::npos) << "but that nobody can stop it\n" << ran.out;
      const json report = json::parse(cogstride_command("inspect --json " + rig).out);
      EXPECT_EQ(report["mechanisms"][0]["motor"], motor.word);
      EXPECT_EQ(report["mechanisms"][0]["board"], board.word);
      EXPECT_EQ(report["wiring"].size(),
                json::parse(cogstride_command("lines --json " + rig).out)["lines"].size());
    }
  }
}

TEST_F(RigCommands, PlanSaysWhatFollowingALeaderTakes) {
  const std::string plan =
      "plan " + std::string(cogstride::testing_support::demo_rig_path) + " traverse --behind-leader ";
  const Ran ran = cogstride_command(plan + "--change-gears 20,28,40,60 --ratio 7:30");
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("1.4 mm for each turn of spindle: 1120/3 steps"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("20/40 x 28/60  0.2333333   exact"), std::string::npos) << ran.out;
  const json report = json::parse(cogstride_command(plan + "--json").out);
  EXPECT_EQ(report["steps_per_turn"]["numerator"], 1120);
  EXPECT_EQ(report["whole_steps_after_turns"], 3);
  EXPECT_TRUE(report["keeps_up"].get<bool>());
  // One that cannot keep up says how far it can.
  std::string text = demo_text();
  const std::string by = "by = \"1.4 mm\"";
  text.replace(text.find(by), by.size(), "by = \"2.8 mm\"");
  const std::string rig = path("coarse.rig.toml");
  std::ofstream(rig) << text;
  const Ran slow = cogstride_command("plan " + rig + " traverse --behind-leader");
  EXPECT_EQ(slow.status, 1) << slow.out;
  EXPECT_NE(slow.out.find("can follow    spindle up to 1286 rpm"), std::string::npos) << slow.out;
  for (const char* const wrong : {"--change-gears 20,x --ratio 7:30", "--change-gears 20,3 --ratio 7:30",
                                  "--change-gears 20,30 --ratio 7:0", "--change-gears 20,30", "--to 5mm"})
    EXPECT_EQ(cogstride_command(plan + wrong).status, 2) << wrong;
}

TEST_F(RigCommands, AddPutsAMechanismIntoARigAndKeysSearchesWords) {
  const std::string rig = path("grows.rig.toml");
  ASSERT_EQ(cogstride_command("new " + rig + " --mechanism \"reel=bipolar stepper\"").status, 0);
  const Ran added = cogstride_command(
      "add " + rig + " --mechanism \"fan=brushless with speed controller\" --hand \"halt=emergency stop\"");
  EXPECT_EQ(added.status, 0) << added.out;
  EXPECT_NE(added.out.find("has fan, halt now"), std::string::npos) << added.out;
  EXPECT_EQ(json::parse(cogstride_command("inspect --json " + rig).out)["mechanisms"].size(), 2u);
  EXPECT_EQ(cogstride_command("add " + rig).status, 2);
  EXPECT_EQ(cogstride_command("add " + rig + " --mechanism \"reel=brushed\"").status, 2)
      << "the name is taken";
  const Ran keys = cogstride_command("keys screw");
  EXPECT_EQ(keys.status, 0);
  EXPECT_NE(keys.out.find("screw"), std::string::npos);
  EXPECT_NE(cogstride_command("keys microsteps").out.find("microsteps_by_switch"), std::string::npos);
  EXPECT_NE(cogstride_command("keys zzz").out.find("no key says it"), std::string::npos);
}

// Every figure of the text has its number in the JSON, and the other way round.
TEST_F(RigCommands, JsonHoldsTheFiguresOfThePage) {
  const cogstride::Rig rig = cogstride::testing_support::demo_rig();
  const json report = json::parse(
      cogstride_command(std::string("inspect --json ") + cogstride::testing_support::demo_rig_path).out);
  const std::string page =
      cogstride_command(std::string("inspect ") + cogstride::testing_support::demo_rig_path).out;
  ASSERT_EQ(report["mechanisms"].size(), rig.mechanisms.size());
  int figures = 0;
  for (std::size_t i = 0; i < rig.mechanisms.size(); ++i) {
    for (const cogstride::FigureRow& row : cogstride::figure_rows(rig, rig.mechanisms[i])) {
      EXPECT_NE(page.find(row.text.substr(0, 60)), std::string::npos) << row.text;
      for (const auto& [name, value] : row.values) {
        ASSERT_TRUE(report["mechanisms"][i].contains(name)) << name;
        const json& shown = report["mechanisms"][i][name];
        ++figures;
        if (const auto* number = std::get_if<double>(&value)) {
          EXPECT_DOUBLE_EQ(shown.get<double>(), *number) << name;
        } else if (const auto* ratio = std::get_if<cogstride::Ratio>(&value)) {
          EXPECT_EQ(shown["numerator"], ratio->numerator()) << name;
          EXPECT_EQ(shown["denominator"], ratio->denominator()) << name;
        } else if (const auto* whole = std::get_if<std::int64_t>(&value)) {
          EXPECT_EQ(shown.get<std::int64_t>(), *whole) << name;
        }
      }
    }
  }
  EXPECT_GT(figures, 80);
  EXPECT_EQ(report["supplies"].size(), 3u);
  EXPECT_EQ(report["supplies"][0]["name"], "main");
  EXPECT_EQ(report["wiring"].size(), 34u);
}

TEST_F(RigCommands, FindingsPointAtTheLineThatIsWrong) {
  struct Mistake {
    const char* from;
    const char* to;
    const char* code;
  };
  const std::array mistakes = {
      Mistake{"lowest_duty = \"20 %\"", "lowest_duty = \"5 %\"", "start-duty-too-high"},
      Mistake{"by = \"1.4 mm\"", "by = \"3 mm\"", "follower-too-slow"},
      Mistake{"steps_per_turn = 24 ", "steps_per_turn = 48 ", "steps-mixed"},
      Mistake{"debounce = \"4 ms\"", "debounce = \"1 ms\"", "bounce-over-debounce"},
      Mistake{"to = \"70 deg\"", "to = \"190 deg\"", "servo-beyond-ends"},
  };
  for (const Mistake& mistake : mistakes) {
    std::string text = demo_text();
    const std::size_t at = text.find(mistake.from);
    ASSERT_NE(at, std::string::npos) << mistake.from;
    text.replace(at, std::string(mistake.from).size(), mistake.to);
    const std::string rig = write("wrong.rig.toml", text);
    const Ran ran = cogstride_command("inspect " + rig);
    EXPECT_EQ(ran.status, 1);
    std::smatch found;
    const std::regex place("wrong\\.rig\\.toml:(\\d+):(\\d+): (error|warning) " + std::string(mistake.code));
    ASSERT_TRUE(std::regex_search(ran.out, found, place)) << ran.out;
    const auto line = static_cast<std::ptrdiff_t>(std::stol(found[1]));
    const auto begin = text.begin();
    EXPECT_EQ(line, 1 + std::count(begin, begin + static_cast<std::ptrdiff_t>(at), '\n')) << mistake.code;
    const Ran story = cogstride_command(std::string("explain ") + mistake.code);
    EXPECT_NE(story.out.find("Compared: "), std::string::npos);
    // Put right again, only the demo rig's own note is left.
    EXPECT_EQ(cogstride_command("inspect " + write("wrong.rig.toml", demo_text())).status, 0);
  }
}

TEST_F(RigCommands, ARigThatNobodyCouldReadAsRightIsRefused) {
  const auto refused = [&](const std::string& from, const std::string& to, const std::string& says) {
    std::string text = demo_text();
    const std::size_t at = text.find(from);
    ASSERT_NE(at, std::string::npos) << from;
    const std::string rig = write("wrong.rig.toml", text.replace(at, from.size(), to));
    for (const char* command : {"inspect ", "lines "}) {
      const Ran ran = cogstride_command(command + rig);
      EXPECT_EQ(ran.status, 2) << to;
      EXPECT_NE(ran.out.find(says), std::string::npos) << ran.out;
    }
  };
  refused("power_good_line = 5", "power_good_line = 4",
          "line 4 is used twice: for traverse far and for main up");
  refused("leader = \"spindle\"", "leader = \"creeel\"", "found \"creeel\"; the rig has traverse, creel");
  refused("leader = \"spindle\"", "leader = \"traverse\"", "a mechanism cannot follow itself");
  refused("timer = \"duty\"", "timer = \"dutty\"", "the rig has gates, duty, steps, pulses");
  refused("cuts = [\"main\"]", "cuts = [\"mains\"]", "the rig has main, small, desk");
  refused("spacing = \"120 deg\"", "spacing = \"90 deg\"", "expected \"60 deg\" or \"120 deg\"");
  refused("terminals = [\"a_plus\", \"b_plus\"", "terminals = [\"a_plus\", \"a_plus\"",
          "name each of a_plus");
  refused("current_switches = \"01\"", "current_switches = \"0\"",
          "is not a setting of this board (00, 01, 10, 11)");
  refused("leads = 5\n", "leads = 7\n", "a unipolar stepper has 5, 6 or 8");
  refused("longest_pulse = \"2 ms\"", "longest_pulse = \"0.5 ms\"", "is not above the shortest");
  refused("kind = \"knob\"\nchannel = 2", "kind = \"knob\"\nline = 6", "a knob needs `channel`");
  refused("after_stages = 0 ", "after_stages = 1 ", "after_stages: found 1; the train has 0 that turn");
  refused("110 = 8, 001", "1x0 = 8, 001", "is not 3 switch positions");
}

TEST_F(RigCommands, AScriptThatAsksAKindForWhatItDoesNotIsRefusedWhole) {
  const std::string script = write("spin.moves", "home traverse\nmove spindle by 10 turns\n");
  const Ran ran =
      cogstride_command(std::string("rehearse ") + cogstride::testing_support::demo_rig_path + " " + script);
  EXPECT_EQ(ran.status, 2);
  EXPECT_NE(ran.out.find("spin.moves:2:6: spindle: is a bare brushless motor: it spins and stops"),
            std::string::npos)
      << ran.out;
  const Ran plan = cogstride_command(std::string("plan ") + cogstride::testing_support::demo_rig_path +
                                     " snips --to 20deg");
  EXPECT_EQ(plan.status, 2);
  EXPECT_NE(plan.out.find("snips: moved so far are only steppers"), std::string::npos) << plan.out;
}

TEST_F(RigCommands, ChangeKeepsThePermissionsAndTheLinkOfAFile) {
  const std::string actual = write("actual.rig.toml", demo_text());
  fs::permissions(actual, fs::perms::owner_read | fs::perms::owner_write);
  fs::create_symlink(actual, path("link.rig.toml"));
  const Ran ran =
      cogstride_command("change " + path("link.rig.toml") + " mechanism.feeder.limits.speed \"500 rpm\"");
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_TRUE(fs::is_symlink(path("link.rig.toml")));
  EXPECT_EQ(fs::status(actual).permissions(), fs::perms::owner_read | fs::perms::owner_write);
  EXPECT_EQ(cogstride::read_rig(actual).mechanisms[3].limits.speed.base, cogstride::Ratio(25, 3));
  for (const auto& entry : fs::directory_iterator(folder))
    EXPECT_EQ(entry.path().extension(), ".toml") << "no part of a file is left";
}

TEST_F(RigCommands, TimerTellsWhatReallyComes) {
  const std::string rig = cogstride::testing_support::demo_rig_path;
  const Ran ran = cogstride_command(
      "timer " + rig + " duty --frequency 20kHz --duty 40%,70% --spread --plot " + path("timer.svg"));
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("prescaler 1, top value 2399: 20 kHz, exact, 11.2 bits of duty"), std::string::npos);
  EXPECT_NE(ran.out.find("channel 2   70 %: compare value 1680, on for 35 us; begins 1200 counts later"),
            std::string::npos)
      << ran.out;
  EXPECT_TRUE(fs::exists(path("timer.svg")));
  const json gates = json::parse(
      cogstride_command("timer " + rig + " gates --frequency 20kHz --up-and-down --duty 40% --json").out);
  EXPECT_EQ(gates["settings"][0]["counts"], 1200);
  EXPECT_NEAR(gates["channels"][0]["on_from_s"].get<double>(), 15e-6, 1e-12);
  EXPECT_NEAR(gates["channels"][0]["on_to_s"].get<double>(), 35e-6, 1e-12);
  const json shares = json::parse(
      cogstride_command(
          "timer --clock 48MHz --prescaler 1 --frequency 125Hz --dead-time 2us --duty '3 ms of 8 ms,600 of "
          "1024,40%' --json")
          .out);
  EXPECT_EQ(shares["channels"][0]["duty_share"], 0.375);
  EXPECT_EQ(shares["channels"][1]["duty_share"], 600.0 / 1024.0);
  EXPECT_NEAR(shares["channels"][2]["on_s"].get<double>(),
              shares["channels"][2]["on_to_s"].get<double>() -
                  shares["channels"][2]["on_from_s"].get<double>() - 2e-6,
              1e-12);
  EXPECT_EQ(cogstride_command("timer --clock 48MHz --frequency 1kHz --duty '3 ms of 0 ms'").status, 2);
  for (const auto& [rest, message] :
       {std::pair("dut --frequency 20kHz", "has no timer dut; it has gates, duty, steps, pulses"),
        std::pair("duty --frequency 20", "--frequency 20: '20' has no unit"),
        std::pair("duty --frequency 20kHz --duty 120%", "--duty 120%: none to all of a period are duties"),
        std::pair("duty --frequency 40MHz", "40000 kHz cannot be had: this timer makes")}) {
    const Ran wrong = cogstride_command("timer " + rig + " " + rest);
    EXPECT_EQ(wrong.status, 2);
    EXPECT_NE(wrong.out.find(message), std::string::npos) << wrong.out;
  }
}

TEST_F(RigCommands, SweepGoesUpAndDownThroughDuty) {
  const std::string rig = cogstride::testing_support::demo_rig_path;
  const Ran ran = cogstride_command("sweep " + rig + " feeder --duty --json --plot " + path("duty.svg"));
  EXPECT_EQ(ran.status, 0) << ran.out;
  const json sweep = json::parse(ran.out);
  ASSERT_EQ(sweep["curves"].size(), 7u);
  EXPECT_NEAR(sweep["curves"][0]["starts_at_share"].get<double>(),
              sweep["curves"][0]["predicted_start_share"].get<double>(), 0.011);
  EXPECT_LT(sweep["curves"][0]["drops_out_at_share"].get<double>(),
            sweep["curves"][0]["starts_at_share"].get<double>());
  EXPECT_TRUE(fs::exists(path("duty.svg")));
  EXPECT_EQ(cogstride_command("sweep " + rig + " traverse --duty").status, 2);
}

TEST_F(RigCommands, FitTellsFiguresAndKeepsThemInTheRig) {
  const std::string rig = write("bobbin.rig.toml", demo_text());
  const std::string run = std::string(COGSTRIDE_SOURCE_DIR) + "/demo/feeder-run.csv";
  const Ran ran = cogstride_command("fit " + rig + " feeder " + run + " --json");
  ASSERT_EQ(ran.status, 0) << ran.out;
  const json report = json::parse(ran.out);
  // What the made-up log was made with.
  const std::map<std::string, double> truth{
      {"motor.resistance", 2.85},      {"motor.torque_constant", 0.0602}, {"load.coulomb_friction", 0.0195},
      {"load.viscous_friction", 3e-5}, {"load.steady_torque", 0.042},     {"load.inertia", 1.42e-4}};
  std::size_t told = 0;
  for (const json& figure : report["figures"]) {
    const std::string key = figure["key"].get<std::string>().substr(std::string("mechanism.feeder.").size());
    ASSERT_TRUE(figure["is_told"]) << key;
    EXPECT_NEAR(figure["value"].get<double>(), truth.at(key), 1.5 * figure["uncertainty_95"].get<double>())
        << key;
    ++told;
  }
  EXPECT_EQ(told, truth.size());
  EXPECT_EQ(cogstride::read_text_file(rig), demo_text()) << "nothing is written unasked";

  ASSERT_EQ(cogstride_command("fit " + rig + " feeder " + run + " --keep --plot " + path("fit.svg")).status,
            0);
  EXPECT_TRUE(fs::exists(path("fit.svg")));
  const cogstride::Rig kept = cogstride::read_rig(rig);
  const auto& motor = std::get<cogstride::BrushedMotor>(mechanism_named(kept, "feeder").motor);
  EXPECT_NEAR(motor.resistance.base(), 2.85, 0.04);
  EXPECT_NEAR(mechanism_named(kept, "feeder").load.inertia.base(), 1.42e-4, 2e-6);
  EXPECT_NE(cogstride::read_text_file(rig).find("# The feeder feeds yarn at even tension."),
            std::string::npos);
  const Ran again = cogstride_command("fit " + rig + " feeder " + run);
  EXPECT_NE(again.out.find("which fits"), std::string::npos) << again.out;
}

TEST_F(RigCommands, FitSaysWhatATableCannotTellAndWhatWould) {
  const std::string rig = cogstride::testing_support::demo_rig_path;
  const std::string few = write("tachometer.csv", "voltage_V,speed_rpm\n8,177\n12,304\n18,495\n24,685\n");
  const Ran ran = cogstride_command("fit " + rig + " feeder " + few);
  EXPECT_EQ(ran.status, 0);
  EXPECT_NE(ran.out.find("2 of 5 figures told by 4 rows"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("would tell: the current measured beside the speed"), std::string::npos) << ran.out;
  const std::string still = write("still.csv", "voltage_V,speed_rpm\n0,0\n0,0\n0,0\n");
  EXPECT_EQ(cogstride_command("fit " + rig + " feeder " + still).status, 1) << "nothing could be told";
  EXPECT_EQ(cogstride_command("fit " + rig + " traverse " + few).status, 2);
  const Ran wrong =
      cogstride_command("fit " + rig + " feeder " + write("bad.csv", "voltage_V,speed\n8,190\n"));
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.out.find("bad.csv:1:11: column 'speed' has no unit"), std::string::npos) << wrong.out;
}

TEST_F(RigCommands, RehearsesWhatIsReallyThere) {
  const std::string cart = cogstride::testing_support::cart_rig_path;
  const std::string square = std::string(COGSTRIDE_SOURCE_DIR) + "/demo/square.moves";
  const std::string actual = write("actual.rig.toml", cogstride::read_text_file(cart));
  ASSERT_EQ(cogstride_command("change " + actual + " pair.cart.right_wheel '65.4 mm'").status, 0);
  const auto off = [&](const std::string& more, int status) {
    const Ran ran = cogstride_command("rehearse " + cart + " " + square + " --json" + more);
    EXPECT_EQ(ran.status, status) << ran.out;
    return json::parse(ran.out)["movers"].back()["off_mm"].get<double>();
  };
  EXPECT_LT(off("", 0), 1.0);
  EXPECT_GT(off(" --actual " + actual + " --plot " + path("cart.svg"), 1), 5.0) << "not all as asked";
  EXPECT_TRUE(fs::exists(path("cart.svg")));
  const Ran other = cogstride_command("rehearse " + cart + " " + square + " --actual " +
                                      cogstride::testing_support::demo_rig_path);
  EXPECT_EQ(other.status, 2);
  EXPECT_NE(other.out.find("begin with a copy of it"), std::string::npos) << other.out;
}

}  // namespace
