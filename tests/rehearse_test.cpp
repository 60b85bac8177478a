// `cogstride rehearse` with everything that comes from outside: events, remembered positions, taught limits,
// scattered starts, Ctrl-C.
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "cogstride/rig/diagnostic.hpp"
#include "support/demo_rig.hpp"
#include "support/run_command.hpp"

namespace {

using cogstride::testing_support::demo_rig_path;
using cogstride::testing_support::Ran;
using cogstride::testing_support::run;

const std::string demo = std::string(COGSTRIDE_SOURCE_DIR) + "/demo/";

/// A folder of its own, with files put into it.
class Rehearse : public testing::Test {
 protected:
  Rehearse() {
    folder_ =
        std::filesystem::temp_directory_path() /
        (std::string("cogstride_rehearse_") + testing::UnitTest::GetInstance()->current_test_info()->name());
    std::filesystem::remove_all(folder_);
    std::filesystem::create_directories(folder_);
  }
  ~Rehearse() override { std::filesystem::remove_all(folder_); }

  std::string file(const std::string& name, const std::string& text) {
    const std::string path = (folder_ / name).string();
    std::ofstream(path) << text;
    return path;
  }
  [[nodiscard]] std::string path(const std::string& name) const { return (folder_ / name).string(); }

  static Ran rehearse(const std::string& rest, const std::string& rig = demo_rig_path) {
    return run(std::string(COGSTRIDE_TOOL) + " rehearse " + rig + " " + rest);
  }

 private:
  std::filesystem::path folder_;
};

TEST_F(Rehearse, WindsWithASupplyThatComesLate) {
  const Ran ran = rehearse(demo + "wind.moves --events " + demo + "late.events --json");
  EXPECT_EQ(ran.status, 0) << ran.out;
  const auto report = nlohmann::json::parse(ran.out);
  const auto mover = [&](const char* name) {
    for (const auto& each : report["movers"])
      if (each["name"] == name) return each;
    throw std::runtime_error(name);
  };
  EXPECT_EQ(mover("traverse")["asked_mm"], 0.0);
  EXPECT_EQ(mover("creel")["asked_deg"], 0.0);
  for (const char* const name : {"traverse", "creel"}) {
    EXPECT_EQ(mover(name)["lost_microsteps"], 0);
    EXPECT_EQ(mover(name)["not_looked_at"].size(), 1u);
  }
  EXPECT_NE(mover("fan")["not_looked_at"].dump().find("a throttle promises no speed"), std::string::npos);
  double first_motion = 1e9;
  for (const auto& event : report["events"])
    if (event["kind"] == "began") first_motion = std::min(first_motion, event["at_s"].get<double>());
  EXPECT_NEAR(first_motion, 1.5, 1e-3) << "nothing moves before the supply is up";
}

// The stop cuts the supply, which is told a moment later: when the script has been given up already.
TEST_F(Rehearse, TellsAFaultThatComesAfterTheScriptWasStopped) {
  const std::string halt = file("halt.events", "at 2 s halt on\n");
  const Ran ran = rehearse(demo + "first.moves --events " + halt);
  EXPECT_EQ(ran.status, 1) << ran.out;
  EXPECT_NE(ran.out.find("the emergency stop halt (line 38) is pressed"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("the supply main is not up"), std::string::npos) << ran.out;
}

TEST_F(Rehearse, SaysWhenASupplyNeverComes) {
  const std::string never = file("never.events", "at 0 s main off\n");
  const Ran ran = rehearse(demo + "wind.moves --events " + never);
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.out.find("ready within 10 s: after 10 s the supply main is not up (line 5 is low)"),
            std::string::npos)
      << ran.out;
  EXPECT_EQ(rehearse(demo + "wind.moves --events " + file("bad.events", "at noon main off\n")).status, 2);
}

TEST_F(Rehearse, SpreadsManyHomings) {
  const std::string figure = path("scatter.svg");
  const Ran ran = rehearse(demo + "first.moves --scatter 12 --json --plot " + figure);
  EXPECT_EQ(ran.status, 0) << ran.out;
  const auto report = nlohmann::json::parse(ran.out)["scatter"][0];
  EXPECT_EQ(report["mechanism"], "traverse");
  EXPECT_EQ(report["failures"], 0);
  EXPECT_EQ(report["trials"].size(), 12u);
  EXPECT_LT(report["spread_mm"].get<double>(), 0.00375 + 6 * 0.0004);
  EXPECT_TRUE(std::filesystem::exists(figure));
  const Ran text = rehearse(demo + "first.moves --scatter 4");
  EXPECT_NE(text.out.find("traverse: 4 of 4 homings found the zero"), std::string::npos);
  EXPECT_EQ(rehearse(file("still.moves", "wait 1 s\n") + " --scatter 4").status, 2);
}

TEST_F(Rehearse, RemembersPositionsFromOneRunToTheNext) {
  const std::string memory = path("positions");
  const std::string first = file("first.moves", "home traverse\nmove traverse to 60 mm\n");
  const std::string second = file("second.moves", "move traverse to 40 mm\n");
  EXPECT_EQ(rehearse(first + " --remember " + memory).status, 0);
  // What is checked ahead knows no memory: a script that may begin anywhere homes, or says so.
  const Ran refused = rehearse(second + " --remember " + memory);
  EXPECT_EQ(refused.status, 0) << refused.out;
  EXPECT_NE(refused.out.find("as remembered"), std::string::npos) << refused.out;
  EXPECT_NE(refused.out.find("asked to stand at"), std::string::npos);
  EXPECT_EQ(rehearse(second).status, 2) << "without a memory nobody knows where it stands";
  // A rig that is not the same: nothing is believed, and nothing moves.
  std::string text = cogstride::read_text_file(demo_rig_path);
  const std::string other = file("other.rig.toml", "# changed\n" + text);
  const Ran not_believed = rehearse(second + " --remember " + memory, other);
  EXPECT_NE(not_believed.status, 0);
}

TEST_F(Rehearse, WritesATaughtLimitIntoTheRigOnRequest) {
  const std::string rig = file("bench.rig.toml", cogstride::read_text_file(demo_rig_path));
  const std::string script =
      file("teach.moves",
           "home traverse\njog traverse with left and right at 10 mm/s until pedal is on\n"
           "teach traverse far limit\n");
  const std::string keys = file("keys.events", "at 6 s right on\nat 9 s right off\nat 11 s pedal on\n");
  const Ran shown = rehearse(script + " --events " + keys, rig);
  EXPECT_EQ(shown.status, 0) << shown.out;
  EXPECT_NE(shown.out.find("taught: mechanism.traverse.limits.travel = { from = \"0 mm\", to = \""),
            std::string::npos)
      << shown.out;
  EXPECT_NE(cogstride::read_text_file(rig).find("to = \"118 mm\""), std::string::npos) << "only on request";
  const Ran kept = rehearse(script + " --events " + keys + " --keep-taught", rig);
  EXPECT_EQ(kept.status, 0) << kept.out;
  const cogstride::Rig changed = cogstride::read_rig(rig);
  EXPECT_NEAR(changed.mechanisms[0].limits.travel_to->base.to_double(), 0.030, 0.003);
  EXPECT_NE(cogstride::read_text_file(rig).find("# The traverse lays the yarn"), std::string::npos)
      << "comments stay";
}

TEST_F(Rehearse, CtrlCStopsOnARampAndSaysSo) {
  const std::string endless = file("endless.moves",
                                   "home creel\nrepeat without end\n  turn creel to station 4\n  wait 0.3 s\n"
                                   "  turn creel to station 0\n  wait 0.3 s\nend\n");
  const Ran ran = run("timeout --preserve-status --signal=INT 2 " + std::string(COGSTRIDE_TOOL) +
                      " rehearse " + demo_rig_path + " " + endless + " --for 3600s");
  EXPECT_EQ(ran.status, 1) << ran.out;
  EXPECT_NE(ran.out.find("fault: a stop was requested"), std::string::npos) << ran.out;
  EXPECT_NE(ran.out.find("steps lost    none"), std::string::npos) << "stopped on a ramp";
}

TEST_F(Rehearse, PlaysSoMuchOfAScriptWithoutEndAndACoarserTable) {
  const std::string endless = file("endless.moves",
                                   "home creel\nrepeat without end\n  turn creel to station 4\n  wait 0.3 s\n"
                                   "  turn creel to station 0\n  wait 0.3 s\nend\n");
  const Ran asks = rehearse(endless);
  EXPECT_EQ(asks.status, 2);
  EXPECT_NE(asks.out.find("endless.moves:2: 'repeat without end' goes on for ever"), std::string::npos)
      << asks.out;
  const Ran ran = rehearse(endless + " --for 20s --csv " + path("coarse.csv") + " --csv-each 50ms");
  EXPECT_EQ(ran.status, 0) << ran.out;
  EXPECT_NE(ran.out.find("--for 20s: the script had not ended by then"), std::string::npos) << ran.out;
  std::ifstream table(path("coarse.csv"));
  int rows = -1;
  for (std::string line; std::getline(table, line);) ++rows;
  EXPECT_GT(rows, 400);
  EXPECT_LT(rows, 500) << "20 s and its stop, a row each 50 ms";
  EXPECT_EQ(rehearse(endless + " --for 20").status, 2);
  EXPECT_EQ(rehearse(endless + " --for 20s --csv-each 50ms").status, 2) << "without a table";
}

TEST_F(Rehearse, DrivesABrushedMotorByDutyAndDrawsIt) {
  const std::string script =
      file("feed.moves",
           "spin feeder at 40 % in 1 s until stopped\nwait 1.5 s\nfaster feeder by 10 %\n"
           "wait 1 s\nreverse feeder in 1 s\nwait 5 s\nstop feeder in 0.5 s\nbrake feeder\n");
  const Ran ran = rehearse(script + " --json --plot " + path("feed.svg"));
  EXPECT_EQ(ran.status, 0) << ran.out;
  const auto report = nlohmann::json::parse(ran.out);
  for (const auto& mover : report["movers"]) EXPECT_EQ(mover["moved"], mover["name"] == "feeder") << mover;
  const auto& feeder = report["movers"][3];
  EXPECT_EQ(feeder["duty_share"], 0.0);
  EXPECT_GT(feeder["highest_current_A"], 1.0);
  EXPECT_TRUE(std::filesystem::exists(path("feed.svg")));
}

TEST_F(Rehearse, SaysEverythingThatIsWrongWithDutiesInOneGo) {
  const Ran ran =
      rehearse(file("wrong.moves",
                    "spin feeder at 8 % for 1 s\nspin feeder at 60 % in 1 ms for 1 s\nreverse feeder\n"
                    "spin feeder at 50 % until stopped\nslower feeder by 60 %\nstop feeder\n"));
  EXPECT_EQ(ran.status, 2);
  for (const char* const words :
       {"wrong.moves:1:1: a duty of 8 % does not turn it: the lowest that does is 20 %",
        "wrong.moves:2:1: from 0 % to 60 % takes at least", "wrong.moves:3:1: feeder does not spin here",
        "wrong.moves:5:1: feeder: of its duty nothing would be left"})
    EXPECT_NE(ran.out.find(words), std::string::npos) << words << "\n" << ran.out;
  const Ran kinds =
      rehearse(file("kinds.moves", "home feeder\nbrake traverse\nspin feeder at 300 % for 1 s\n"));
  EXPECT_EQ(kinds.status, 2);
  for (const char* const words :
       {"feeder: is driven by duty: it spins, moves where it has an encoder, stops, brakes and coasts",
        "traverse: is not driven by duty", "'300 %' is no share of full duty"})
    EXPECT_NE(kinds.out.find(words), std::string::npos) << words << "\n" << kinds.out;
}

TEST_F(Rehearse, LaysAMeasuredTableOverEveryKindOfMotor) {
  const std::string script = file("all.moves",
                                  "ready within 10 s\nhome traverse\nhome creel\narm fan\nstart together\n"
                                  "  move traverse by 5 mm\n  turn creel to 90 deg\n  swing snips to 40 deg\n"
                                  "  spin spindle at 600 rpm for 1 s\n  spin feeder at 40 % for 1 s\n"
                                  "  throttle fan to 40 % for 1 s\nend\n");
  const std::string table = path("as-rehearsed.csv");
  ASSERT_EQ(rehearse(script + " --csv " + table).status, 0);
  const std::string figure = path("measured.svg");
  const Ran ran = rehearse(script + " --json --measured " + table + " --plot " + figure);
  ASSERT_EQ(ran.status, 0) << ran.out;
  const auto measured = nlohmann::json::parse(ran.out)["measured"];
  EXPECT_EQ(measured["file"], table);
  std::set<std::string> of;
  for (const auto& signal : measured["signals"]) {
    const std::string name = signal["name"];
    of.insert(name.substr(0, name.find('.')));
    EXPECT_EQ(signal["compared"], signal["readings"]) << name;
    for (const auto& [key, value] : signal.items())
      if (key.starts_with("rms_")) {
        EXPECT_LT(value.get<double>(), 1e-3) << name;
      }
  }
  EXPECT_EQ(of, (std::set<std::string>{"traverse", "creel", "spindle", "feeder", "fan", "snips"}));
  EXPECT_TRUE(std::filesystem::exists(figure));
  const Ran said = rehearse(script + " --measured " + table);
  EXPECT_NE(said.out.find("held against " + table), std::string::npos) << said.out;
  const Ran wrong = rehearse(script + " --measured " + file("bad.csv", "time_s,spindle.sped_rpm\n0,1\n"));
  EXPECT_EQ(wrong.status, 2);
  EXPECT_NE(wrong.out.find("bad.csv:1:8: column 'spindle.sped_rpm'"), std::string::npos) << wrong.out;
}

TEST_F(Rehearse, ScattersWhereATimedPatternEnds) {
  const std::string script = file("pattern.moves", "spin feeder at 40 % for 0.5 s\n");
  const Ran ran = rehearse(script + " --scatter 12 --json");
  EXPECT_EQ(ran.status, 0) << ran.out;
  const auto scatter = nlohmann::json::parse(ran.out)["scatter"];
  ASSERT_EQ(scatter.size(), 1u);
  EXPECT_EQ(scatter[0]["ends_deg"].size(), 12u);
  EXPECT_GT(scatter[0]["spread_deg"], 0.0);
  EXPECT_EQ(ran.out, rehearse(script + " --scatter 12 --json").out) << "the same seeds, the same ends";
  // What never starts does not end the same each time: it says so.
  std::string text = cogstride::read_text_file(demo_rig_path);
  text.replace(text.find("stiction = \"0.030 N m\""), 22, "stiction = \"2 N m\"");
  const Ran stuck = rehearse(script + " --scatter 3", file("stuck.rig.toml", text));
  EXPECT_NE(stuck.out.find("it did not move in any of them"), std::string::npos) << stuck.out;
  EXPECT_EQ(stuck.out.find("nothing differs"), std::string::npos) << stuck.out;
}

}  // namespace
