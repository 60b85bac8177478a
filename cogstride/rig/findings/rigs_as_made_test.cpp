// Rigs as makers have them (tests/rigs): nothing is found in the sound ones, and what is wrong with the
// others is named; what the sound ones are asked, they do.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/files/output_file.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/script/script_player.hpp"

namespace cogstride::rigs_as_made_test {
namespace {

using namespace literals;

const std::string folder = COGSTRIDE_SOURCE_DIR "/tests/rigs";

std::string trimmed(const std::string& text) {
  const std::size_t from = text.find_first_not_of(' ');
  return from == std::string::npos ? "" : text.substr(from, text.find_last_not_of(' ') - from + 1);
}

std::vector<std::string> parts(const std::string& text, const std::string& by) {
  std::vector<std::string> all;
  std::size_t from = 0;
  for (std::size_t to = text.find(by); to != std::string::npos; to = text.find(by, from)) {
    all.push_back(trimmed(text.substr(from, to - from)));
    from = to + by.size();
  }
  all.push_back(trimmed(text.substr(from)));
  return all;
}

/// A file whose tables have a key a line.
class PlainFile {
 public:
  explicit PlainFile(const std::string& text) {
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);) lines_.push_back(line);
  }
  /// @param value  empty: the key is taken out
  void change(const std::string& whole_key, const std::string& value) {
    const std::size_t dot = whole_key.rfind('.');
    const std::string header = "[" + whole_key.substr(0, dot) + "]";
    const std::string key = whole_key.substr(dot + 1) + " = ";
    auto table = std::find(lines_.begin(), lines_.end(), header);
    if (table == lines_.end()) {
      lines_.emplace_back();
      lines_.push_back(header);
      table = lines_.end() - 1;
    }
    const auto end = std::find_if(table + 1, lines_.end(),
                                  [](const std::string& line) { return line.rfind("[", 0) == 0; });
    const auto found =
        std::find_if(table + 1, end, [&](const std::string& line) { return line.rfind(key, 0) == 0; });
    if (found == end) {
      const std::string sub = "[" + whole_key + "]";
      const auto own = std::find(lines_.begin(), lines_.end(), sub);
      if (own != lines_.end())  // the table of that name gives way
        lines_.erase(own, std::find_if(own + 1, lines_.end(),
                                       [](const std::string& line) { return line.rfind("[", 0) == 0; }));
      const auto again = std::find(lines_.begin(), lines_.end(), header);
      if (!value.empty()) lines_.insert(again + 1, key + value);
    } else if (value.empty()) {
      lines_.erase(found);
    } else {
      *found = key + value;
    }
  }
  [[nodiscard]] std::string text() const {
    std::string all;
    for (const std::string& line : lines_) all += line + "\n";
    return all;
  }

 private:
  std::vector<std::string> lines_{};
};

std::string named(const Inspection& found) {
  std::string all;
  for (const Finding& finding : found.findings) all += fmt::format("{}: {}; ", finding.code, finding.what);
  return all;
}

TEST(RigsAsMade, NothingIsFoundInTheSoundOnes) {
  int rigs = 0;
  for (const auto& file : std::filesystem::directory_iterator(folder + "/sound")) {
    if (file.path().extension() != ".toml") continue;
    ++rigs;
    const Inspection found = inspect_rig(read_rig(file.path().string()));
    EXPECT_TRUE(found.is_sound()) << file.path() << ": " << named(found);
  }
  EXPECT_GE(rigs, 18);
}

// The script beside each.
TEST(RigsAsMade, TheSoundOnesDoAllThatTheyAreAsked) {
  int rigs = 0;
  for (const auto& file : std::filesystem::directory_iterator(folder + "/sound")) {
    if (file.path().extension() != ".moves") continue;
    ++rigs;
    const std::string stem = file.path().stem().string();
    const Rig rig = read_rig(folder + "/sound/" + stem + ".rig.toml");
    const Script script = read_script(file.path().string(), rig);
    SimulatedBench bench(rig);
    ScriptPlayer player(script, rig, bench.cast());
    bench.run(player, [&] { return player.has_ended(); });
    EXPECT_EQ(player.fault(), "") << stem;
    bench.serve(2_s);
    for (const MoverVerdict& mover : bench.verdict().movers) {
      EXPECT_TRUE(mover.has_moved) << stem << ", " << mover.name;
      EXPECT_TRUE(mover.is_sound()) << stem << ", " << mover.name << ": "
                                    << fmt::format("{}", fmt::join(mover.complaints, "; "));
    }
  }
  EXPECT_EQ(rigs, 18);
}

// A way out is none when it runs into the next finding.
TEST(RigsAsMade, ASpeedThatCanBeHadIsTooFastForNothing) {
  const std::set<std::string> of_speed{"speed-beyond-torque", "pulse-rate-beyond-controller",
                                       "encoder-too-fast", "pulse-too-short"};
  std::set<std::string> seen;
  for (const auto& file : std::filesystem::directory_iterator(folder + "/sound")) {
    if (file.path().extension() != ".toml") continue;
    const Rig sound = read_rig(file.path().string());
    for (std::size_t i = 0; i < sound.mechanisms.size(); ++i) {
      Rig rig = sound;
      Mechanism& mechanism = rig.mechanisms[i];
      OutputSpeed& speed = mechanism.limits.speed;
      speed.base = speed.base * Ratio(2000);
      bool is_too_fast = false;
      for (const Finding& finding : inspect_rig(rig).findings)
        if (finding.mechanism == mechanism.name && of_speed.count(finding.code) > 0) {
          seen.insert(finding.code);
          is_too_fast = true;
        }
      if (!is_too_fast) continue;
      const double had = speed_to_be_had(rig, mechanism);
      ASSERT_GT(had, 0.0) << file.path();
      speed.base = Ratio(static_cast<std::int64_t>(0.999 * had * 1e6), 1'000'000);
      for (const Finding& finding : inspect_rig(rig).findings)
        EXPECT_EQ(of_speed.count(finding.code), 0U)
            << file.path() << ": " << to_text(speed) << ": " << finding.code << ": " << finding.what;
    }
  }
  EXPECT_GE(seen.size(), 4U) << fmt::format("{}", fmt::join(seen, ", "));
}

TEST(RigsAsMade, WhatIsWrongIsNamedRightlyOf95InAHundred) {
  std::ifstream in(folder + "/faults");
  int tried = 0;
  int right = 0;
  std::string missed;
  for (std::string line; std::getline(in, line);) {
    if (trimmed(line).empty() || line[0] == '#') continue;
    const std::vector<std::string> row = parts(line, "|");
    ASSERT_EQ(row.size(), 3U) << line;
    PlainFile file(read_text_file(folder + "/sound/" + row[0] + ".rig.toml"));
    for (const std::string& change : parts(row[2], " ; ")) {
      const std::size_t is = change.find(" = ");
      file.change(change.substr(0, is), is == std::string::npos ? "" : change.substr(is + 3));
    }
    std::string said;
    bool is_right = false;
    const std::vector<std::string> wanted = parts(row[1], " / ");
    try {
      const Inspection found = inspect_rig(parse_rig(file.text(), row[0] + ".rig.toml"));
      said = named(found);
      for (const std::string& code : wanted)
        is_right = is_right || std::any_of(found.findings.begin(), found.findings.end(),
                                           [&](const Finding& each) { return each.code == code; });
    } catch (const Error& error) {
      said = std::string("refused: ") + error.what();
      for (const std::string& words : wanted)
        is_right =
            is_right || (words.rfind("refused: ", 0) == 0 && said.find(words.substr(9)) != std::string::npos);
    }
    ++tried;
    right += is_right ? 1 : 0;
    if (!is_right) missed += fmt::format("{}\n    said: {}\n", line, said);
  }
  EXPECT_GE(tried, 138);
  EXPECT_GE(right, 1.0 * tried) << right << " of " << tried << "; not:\n" << missed;
  RecordProperty("right", right);
  RecordProperty("tried", tried);
}

// One line for the ENABLE of the whole board: a pump that stops does not switch the other one off.
TEST(RigsAsMade, OneEnableOfAFourChannelBoardServesAllItsMotors) {
  const Rig rig = read_rig(folder + "/sound/pumps.rig.toml");
  SimulatedBench bench(rig);
  bench.brushed("tank").spin({.duty = 70_percent});
  bench.brushed("bed").spin({.duty = 70_percent});
  bench.serve(0.5_s);
  bench.brushed("tank").stop();
  bench.serve(0.5_s);
  EXPECT_GT(std::abs(bench.brushed_plant("bed").speed()), 20.0) << "turns/s";
  EXPECT_TRUE(bench.verdict().of("bed").is_sound());
  // At another level, or of another board, it is used twice.
  PlainFile other(read_text_file(folder + "/sound/pumps.rig.toml"));
  other.change("mechanism.bed.lines.enable", "{ line = 8, active = \"low\" }");
  EXPECT_THROW((void)parse_rig(other.text(), "x.rig.toml"), InputError);
}

}  // namespace
}  // namespace cogstride::rigs_as_made_test
