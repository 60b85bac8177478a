#include "cogstride/rig/keys/key_list.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride::key_list_test {
namespace {

const KeySection& section(const std::string& table, const std::string& kind) {
  for (const KeySection& each : key_sections())
    if (each.table == table && each.kind == kind) return each;
  throw Error(table + " " + kind + " is not listed");
}

TEST(KeyList, HasASectionForEveryKindAndNoKeyTwice) {
  for (const auto& kind : motor_kinds())
    EXPECT_GE(section("[mechanism.NAME.motor]", kind.word).keys.size(), 5u);
  for (const auto& kind : board_kinds()) {
    EXPECT_GE(section("[mechanism.NAME.board]", kind.word).keys.size(), 10u);
    EXPECT_GE(section("[mechanism.NAME.lines]", kind.word).keys.size(),
              std::holds_alternative<BusDrive>(kind.part) ? 1u : 5u);
  }
  for (const auto& kind : sensor_kinds())
    EXPECT_GE(section("[mechanism.NAME.sensor.NAME]", kind.word).keys.size(), 4u);
  for (const KeySection& each : key_sections()) {
    std::set<std::string> names;
    for (const KeyInfo& key : each.keys) {
      const bool is_new = names.insert(key.name).second || key.name == "part";
      EXPECT_TRUE(is_new) << each.table << " " << each.kind << " " << key.name;
      EXPECT_FALSE(key.value.empty()) << key.name;
      EXPECT_FALSE(key.otherwise.empty()) << key.name;
    }
  }
}

TEST(KeyList, TellsRangesUnitsAndDefaults) {
  const auto find = [](const KeySection& in, const std::string& name) {
    return *std::find_if(in.keys.begin(), in.keys.end(),
                         [&](const KeyInfo& key) { return key.name == name; });
  };
  const KeySection& board = section("[mechanism.NAME.board]", "STEP/DIR");
  EXPECT_EQ(find(board, "microsteps").value, "1 to 256");
  EXPECT_TRUE(find(board, "microsteps").is_required());
  EXPECT_EQ(find(board, "drop").value, "a voltage such as 24 V, not below 0");
  EXPECT_EQ(find(board, "drop").otherwise, "0 V");
  EXPECT_EQ(find(board, "step_edge").value, "\"rising\" or \"falling\"");
  const KeySection& limits = section("[mechanism.NAME.limits]", "steppers, closed-loop servo");
  EXPECT_TRUE(find(limits, "acceleration").is_required());
  EXPECT_FALSE(find(section("[mechanism.NAME.limits]", "brushed, brushless"), "acceleration").is_required());
}

TEST(KeyList, IsFoundByTableOrKind) {
  EXPECT_EQ(key_sections_about("").size(), key_sections().size());
  EXPECT_EQ(key_sections_about("motor]").size(), motor_kinds().size());
  EXPECT_EQ(key_sections_about("homing").size(), 1u);
  EXPECT_THROW((void)key_sections_about("hommming"), RangeError);
}

// A new rig shows every key of its tables, as it stands or as a comment.
TEST(KeyList, IsWhatANewRigShows) {
  for (const auto& motor : motor_kinds()) {
    for (const auto& board : board_kinds()) {
      if (!fits(motor.part, board.part)) continue;
      const std::string text = new_rig_text({"x", {{"drum", motor.word, board.word}}, {}, {}});
      for (const KeySection& each :
           {section("[mechanism.NAME.motor]", motor.word), section("[mechanism.NAME.board]", board.word),
            section("[mechanism.NAME.lines]", board.word), section("[controller]", ""),
            section("[supply.NAME]", "")}) {
        for (const KeyInfo& key : each.keys) {
          const bool shown = text.find("\n" + key.name + " = ") != std::string::npos ||
                             text.find("\n# " + key.name + " = ") != std::string::npos;
          EXPECT_TRUE(shown) << motor.word << ", " << board.word << ": " << key.name;
        }
      }
    }
  }
}

}  // namespace
}  // namespace cogstride::key_list_test
