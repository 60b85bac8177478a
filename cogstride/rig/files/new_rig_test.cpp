#include "cogstride/rig/files/new_rig.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <set>
#include <sstream>

#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/keys/kinds.hpp"
#include "support/demo_rig.hpp"
#include "support/inspected.hpp"

namespace cogstride::new_rig_test {
namespace {

std::string all_of(const Inspection& inspection) {
  std::string text;
  for (const Finding& finding : inspection.findings) text += finding.code + ": " + finding.what + "\n";
  return text;
}

TEST(NewRig, IsSoundForEveryMotorOnEveryBoardThatDrivesIt) {
  int pairs = 0;
  for (const NamedKind<Motor>& motor : motor_kinds()) {
    for (const NamedKind<Board>& board : board_kinds()) {
      NewRigOrder order{"Skein reel", {{"reel", motor.word, board.word}}, {}, {}};
      if (!fits(motor.part, board.part)) {
        EXPECT_THROW((void)new_rig_text(order), RangeError) << motor.word << ", " << board.word;
        continue;
      }
      ++pairs;
      const Rig rig = parse_rig(new_rig_text(order), "new.rig.toml");
      EXPECT_EQ(kind_name(rig.mechanisms.at(0).motor), motor.word);
      EXPECT_EQ(kind_name(rig.mechanisms.at(0).board), board.word);
      const Inspection inspection = testing_support::inspected(rig);
      EXPECT_TRUE(inspection.findings.empty()) << motor.word << ", " << board.word << ":\n"
                                               << all_of(inspection);
      EXPECT_GE(figure_rows(rig, rig.mechanisms[0]).size(), 3u);
    }
  }
  EXPECT_EQ(pairs, 14);
}

TEST(NewRig, TakesEverySensorAndHandControl) {
  NewRigOrder order{"Skein reel", {{"reel", "bipolar stepper", ""}}, {}, {}};
  for (const auto& kind : sensor_kinds()) {
    std::string name = fmt::format("s{}", order.sensors.size());
    order.sensors.push_back({"reel", name, kind.word});
  }
  for (const auto& kind : hand_kinds()) {
    std::string name = fmt::format("h{}", order.hands.size());
    order.hands.push_back({"", name, kind.word});
  }
  const Rig rig = parse_rig(new_rig_text(order), "new.rig.toml");
  EXPECT_EQ(rig.mechanisms[0].sensors.size(), sensor_kinds().size());
  EXPECT_EQ(rig.hands.size(), hand_kinds().size());
  EXPECT_TRUE(inspect_rig(rig).is_sound()) << all_of(inspect_rig(rig));
}

// A switch at each end, and homing to the first: sound as it is written, and it homes.
TEST(NewRig, PutsSwitchesAtTheEndsAndHomesToTheFirst) {
  for (const char* const board : {"STEP/DIR", "dual H-bridge"}) {
    const NewRigOrder order{"Slide",
                            {{"slide", "bipolar stepper", board}},
                            {{"slide", "near", "lever switch"}, {"slide", "far", "lever switch"}},
                            {}};
    const Rig rig = parse_rig(new_rig_text(order), "slide.rig.toml");
    EXPECT_TRUE(inspect_rig(rig).is_sound()) << all_of(inspect_rig(rig));
    const Mechanism& slide = rig.mechanisms[0];
    ASSERT_TRUE(slide.homing);
    EXPECT_EQ(slide.homing->sensor, "near");
    EXPECT_TRUE(std::get<PlaceSwitch>(slide.sensors[0]).is_low_end());
    EXPECT_FALSE(std::get<PlaceSwitch>(slide.sensors[1]).is_low_end());
    EXPECT_LT(slide.limits.travel_to->base, std::get<PlaceSwitch>(slide.sensors[1]).acts_at.base);
  }
}

TEST(NewRig, IsAddedToOneOnLinesThatAreFree) {
  const NewRigOrder first{
      "Shed", {{"reel", "bipolar stepper", "STEP/DIR"}}, {{"reel", "gate", "optical gate"}}, {}};
  const std::string text = new_rig_text(first);
  const NewRigOrder more{
      "", {{"roller", "brushed", ""}}, {{"roller", "turns", "encoder"}}, {{"", "halt", "emergency stop"}}};
  const std::string whole = added_rig_text(text, "shed.rig.toml", more);
  EXPECT_EQ(whole.substr(0, text.size()), text) << "what stands there stays";
  const Rig rig = parse_rig(whole, "shed.rig.toml");
  ASSERT_EQ(rig.mechanisms.size(), 2U);
  EXPECT_TRUE(inspect_rig(rig).is_sound()) << all_of(inspect_rig(rig));
  EXPECT_TRUE(rig.controller.counters);
  EXPECT_THROW((void)added_rig_text(whole, "x", more), RangeError) << "roller is there";
  EXPECT_THROW((void)added_rig_text("name =", "x", more), InputError);
}

TEST(NewRig, RefusesWithTheWordsThatThereAre) {
  const auto refused = [](NewRigOrder order) -> std::string {
    try {
      (void)new_rig_text(order);
    } catch (const RangeError& error) {
      return error.what();
    }
    return "taken";
  };
  EXPECT_EQ(refused({"x", {{"reel", "brushd", ""}}, {}, {}}),
            "'brushd' is no kind of motor; did you mean brushed?");
  EXPECT_NE(refused({"x", {{"re el", "brushed", ""}}, {}, {}}).find("is no name"), std::string::npos);
  EXPECT_NE(refused({"x", {{"a", "brushed", ""}, {"a", "brushed", ""}}, {}, {}}).find("two mechanisms"),
            std::string::npos);
  EXPECT_NE(refused({"x", {{"a", "brushed", ""}}, {{"b", "gate", "optical gate"}}, {}}).find("'b' is none"),
            std::string::npos);
}

TEST(NewRig, SaysWhichFiguresAreStillItsGuesses) {
  const std::string text = new_rig_text({"Skein reel", {{"reel", "brushed", ""}}, {}, {}});
  const auto guesses = [](const std::string& rig) {
    return parse_rig(rig, "r.rig.toml").mechanisms[0].guesses;
  };
  const auto has = [&](const std::string& rig, const std::string& key) {
    const std::vector<std::string> all = guesses(rig);
    return std::count(all.begin(), all.end(), key) == 1;
  };
  EXPECT_TRUE(has(text, "motor.resistance") && has(text, "load.inertia") &&
              has(text, "motor.torque_constant"));
  const std::string changed =
      changed_rig_text(text, "r.rig.toml", "mechanism.reel.motor.resistance", "3.1 ohm");
  EXPECT_FALSE(has(changed, "motor.resistance"));
  EXPECT_EQ(guesses(changed).size() + 1, guesses(text).size());
  const Rig rig = parse_rig(text, "r.rig.toml");
  bool said = false;
  for (const FigureRow& row : figure_rows(rig, rig.mechanisms[0]))
    said = said || (row.label == "guesses" && row.text.find("more are guesses") != std::string::npos);
  EXPECT_TRUE(said);
  // One that was measured, and came out the same: its line is deleted.
  std::string measured = text;
  const std::size_t line = measured.find("motor.resistance = ");
  measured.erase(line, measured.find('\n', line) + 1 - line);
  EXPECT_FALSE(has(measured, "motor.resistance"));
  std::string wrong = text;
  wrong.replace(wrong.find("motor.resistance = "), 6, "motr.");
  EXPECT_THROW((void)parse_rig(wrong, "r.rig.toml"), InputError);
}

std::string demo_text() {
  return read_text_file(testing_support::demo_rig_path);
}

std::string changed(const std::string& key, const std::string& value) {
  return changed_rig_text(demo_text(), "x.rig.toml", key, value);
}

/// The lines in which two texts differ, the second's.
std::vector<std::string> new_lines(const std::string& before, const std::string& after) {
  std::vector<std::string> found;
  std::istringstream old_text(before);
  std::multiset<std::string> old_lines;
  for (std::string line; std::getline(old_text, line);) old_lines.insert(line);
  std::istringstream text(after);
  for (std::string line; std::getline(text, line);) {
    const auto same = old_lines.find(line);
    if (same == old_lines.end()) {
      found.push_back(line);
    } else {
      old_lines.erase(same);
    }
  }
  return found;
}

TEST(ChangeRig, ChangesTheLineConcernedAndKeepsItsComment) {
  const std::string after = changed("mechanism.traverse.motor.full_steps", "400");
  // The note of the step angle is a finding, not a fault of the file.
  EXPECT_EQ(new_lines(demo_text(), after),
            (std::vector<std::string>{"full_steps = 400               # a turn"}));
  EXPECT_EQ(after.size(), demo_text().size());
}

TEST(ChangeRig, QuotesWhatIsNoTomlValue) {
  EXPECT_EQ(new_lines(demo_text(), changed("mechanism.traverse.limits.speed", "50 mm/s")),
            (std::vector<std::string>{"speed = \"50 mm/s\""}));
  EXPECT_EQ(new_lines(demo_text(), changed("name", "B\u00e4nkchen \"2\"")),
            (std::vector<std::string>{"name = \"B\u00e4nkchen \\\"2\\\"\""}));
}

TEST(ChangeRig, ReachesIntoInlineTables) {
  EXPECT_EQ(new_lines(demo_text(), changed("mechanism.traverse.lines.enable.line", "6")),
            (std::vector<std::string>{"enable = { line = 6, active = \"low\" }"}));
  EXPECT_EQ(new_lines(demo_text(), changed("mechanism.traverse.lines.dir.active", "low")),
            (std::vector<std::string>{
                "dir = { line = 1, active = \"low\" }             # high: away from the gate"}));
}

TEST(ChangeRig, AddsAKeyToItsTableAndATableToTheFile) {
  const std::string reversed = changed("mechanism.traverse.reversed", "true");
  EXPECT_EQ(new_lines(demo_text(), reversed), (std::vector<std::string>{"reversed = true"}));
  EXPECT_TRUE(parse_rig(reversed, "x").mechanisms[0].reversed);
  EXPECT_LT(reversed.find("reversed = true"), reversed.find("[mechanism.traverse.motor]"));
  // A table that is not there yet: at the end of the file.
  EXPECT_EQ(changed("controller.timer.spare.width", "16"),
            demo_text() + "\n[controller.timer.spare]\nwidth = 16\n");
}

TEST(ChangeRig, TouchesNothingWhenTheRigWouldBeNone) {
  const auto refused = [](const std::string& key, const std::string& value) -> std::string {
    try {
      (void)changed(key, value);
    } catch (const Error& error) {
      return error.what();
    }
    return "taken";
  };
  EXPECT_NE(refused("mechanism.traverse.board.microsteps", "6").find("is not a setting of this board"),
            std::string::npos);
  EXPECT_NE(refused("mechanism.traverse.board.microstep", "8").find("did you mean microsteps?"),
            std::string::npos);
  EXPECT_NE(refused("mechanism.traverse", "8").find("is a table"), std::string::npos);
  EXPECT_NE(refused("mechanism..x", "8").find("is no key"), std::string::npos);
  EXPECT_NE(refused("name.first", "8").find("is a value"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::new_rig_test
