// A live run, and `rehearse --replay` of its black box.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>

#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/trace/event_log.hpp"
#include "support/level_port.hpp"
#include "support/run_command.hpp"

namespace {

using namespace cogstride;
using namespace cogstride::literals;
using testing_support::cogstride_command;
using testing_support::Ran;

class PlainPort final : public testing_support::LevelPort {
 public:
  PlainPort() : LevelPort({}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) level(each.line) = each.high;
  }
  RestOutcome rest() noexcept override { return {}; }
};

class Replay : public testing::Test {
 protected:
  Replay() {
    std::filesystem::create_directories(folder_);
    std::ofstream(file("short.moves")) << "move drum by 20 deg\nwait 0.05 s\nmove guide by 1 mm\n";
    // A computer that is busy with other tests is not what these are about.
    std::string rig = read_text_file(COGSTRIDE_SOURCE_DIR "/demo/warping.rig.toml");
    rig.insert(rig.find("[controller]\n") + 13, "edge_lateness = \"1 s\"\n");
    std::ofstream(rig_) << rig;
  }
  ~Replay() override { std::filesystem::remove_all(folder_); }
  [[nodiscard]] std::string file(const char* name) const { return (folder_ / name).string(); }

  /// As `drive` does it, on a port of its own.
  void drive(EventLog& log) const {
    const Rig rig = read_rig(rig_);
    const Script script = read_script(file("short.moves"), rig);
    const auto mark = [](const std::string& path) {
      return fmt::format("{:016x}", fingerprint(read_text_file(path)));
    };
    PlainPort port;
    LiveBench bench(rig, {.trace = &log,
                          .port = &port,
                          .black_box = file("run.box"),
                          .labels = {{"rig", rig_},
                                     {"rig_mark", mark(rig_)},
                                     {"script", file("short.moves")},
                                     {"script_mark", mark(file("short.moves"))},
                                     {"began", "2026-11-29 21:04:00"}}});
    bool stopped = false;
    bench.on_fault([&](const std::string&) { stopped = true; });
    ScriptPlayer player(script, bench.rig(), bench.cast());
    bench.run(player, [&] { return player.has_ended() || stopped; });
    if (!stopped) bench.come_to_rest();
    bench.wait_for_all();
    if (!stopped) bench.serve(0.3_s);
    bench.close();
  }
  [[nodiscard]] Ran replay(const std::string& more = {}) const {
    return cogstride_command("rehearse " + rig_ + " " + file("short.moves") + " --replay " + file("run.box") +
                             " " + more);
  }

 private:
  std::filesystem::path folder_ =
      std::filesystem::temp_directory_path() /
      (std::string("cogstride_replay_") + testing::UnitTest::GetInstance()->current_test_info()->name());

 protected:
  std::string rig_ = file("warping.rig.toml");
};

TEST_F(Replay, SaysWhatTheRunSaid) {
  EventLog log;
  drive(log);
  const Ran ran = replay("--json");
  EXPECT_EQ(ran.status, 0) << ran.out;
  const auto json = nlohmann::json::parse(ran.out);
  ASSERT_EQ(json["events"].size(), log.events().size()) << ran.out;
  for (std::size_t i = 0; i < log.events().size(); ++i) {
    EXPECT_EQ(json["events"][i]["text"], log.events()[i].text);
    EXPECT_NEAR(json["events"][i]["at_s"].get<double>(), log.layout().seconds(log.events()[i].at), 1e-9);
  }
  EXPECT_GT(json["replayed"]["compared"].get<int>(), 5);
  EXPECT_NE(replay().out.find("driven on Warping drum on 2026-11-29 21:04:00, played again"),
            std::string::npos)
      << replay().out;
}

TEST_F(Replay, WantsTheFilesOfTheRunAndNothingBeside) {
  EventLog log;
  drive(log);
  for (const char* const more :
       {"--seed 3 --start-at drum=3deg", "--scatter 3", "--plot a.png", "--waves a.vcd"}) {
    const Ran ran = replay(more);
    EXPECT_EQ(ran.status, 2);
    EXPECT_NE(ran.out.find("goes not with --replay"), std::string::npos) << ran.out;
  }
  std::ofstream(file("short.moves"), std::ios::app) << "wait 1 s\n";
  const Ran other = replay();
  EXPECT_EQ(other.status, 2);
  EXPECT_NE(other.out.find("is of a run with another script"), std::string::npos) << other.out;
  const Ran none = cogstride_command("rehearse " + rig_ + " " + rig_ + " --replay " + rig_);
  EXPECT_EQ(none.status, 2);
  EXPECT_NE(none.out.find("is no black box of a run"), std::string::npos) << none.out;
}

/// A program that was killed: its box has what it was told until then.
TEST_F(Replay, GoesAsFarAsTheRecordDoes) {
  EventLog log;
  drive(log);
  BoxLabels labels;
  {
    BlackBox whole(file("run.box"));
    labels = whole.labels();
    BlackBoxWriter half(file("half.box"), labels, 256 << 10);
    for (int i = 0; i < 60 && whole.peek() != nullptr; ++i, whole.take()) half.add(*whole.peek());
  }
  std::filesystem::rename(file("half.box"), file("run.box"));
  const Ran ran = replay();
  EXPECT_EQ(ran.status, 1);
  EXPECT_NE(ran.out.find("the record ends: the program did there, or its computer"), std::string::npos)
      << ran.out;
}

}  // namespace
