#include "cogstride/trace/run_window.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <thread>

namespace cogstride::run_window_test {
namespace {

TraceLayout layout() {
  TraceLayout layout;
  layout.rig = "bench";
  layout.ticks_per_second_numerator = 1000;
  layout.lines = {
      {LineId{3}, "traverse.step", false}, {LineId{4}, "traverse.dir", true}, {LineId{9}, "lamp", false}};
  layout.signals = {{"traverse.asked", "mm"}};
  layout.sample_period = 50;
  return layout;
}

/// Keeps what it is told, in words.
struct Told final : TraceSink {
  void begin(const TraceLayout& of) override {
    for (const TracedLine& line : of.lines) words += line.starts_high ? "1" : "0";
  }
  void edge(Tick at, LineId line, bool high) override {
    words += " e" + std::to_string(at) + ":" + std::to_string(static_cast<int>(line)) + (high ? "^" : "v");
  }
  void sample(Tick at, std::span<const double>) override { words += " s" + std::to_string(at); }
  void event(const TraceEvent& event) override { words += " " + event.text; }
  void end(Tick at) override { words += " end" + std::to_string(at); }
  std::string words{};
};

TEST(RunWindow, TellsAllOfItInTheOrderOfTime) {
  RunWindow window;
  window.begin(layout());
  const double value = 1.5;
  window.edge(10, LineId{3}, true);
  window.event({12, "traverse", "went", TraceEvent::Kind::note});
  window.edge(20, LineId{3}, false);
  window.sample(50, {&value, 1});
  window.edge(60, LineId{4}, false);
  window.sample(100, {&value, 1});
  window.end(110);
  Told told;
  window.tell(told);
  EXPECT_EQ(told.words, "010 e10:3^ went e20:3v s50 e60:4v s100 end110");
  EXPECT_EQ(window.now(), 110);
}

TEST(RunWindow, GivesSamplesFromWhereOneHasLeftOff) {
  RunWindow window;
  window.begin(layout());
  for (int i = 0; i < 1000; ++i) {
    const double value = i;
    window.sample(50 * i, {&value, 1});
  }
  const RunWindow::Samples all = window.samples(0, 5000);
  ASSERT_EQ(all.samples.size(), 1000U);
  EXPECT_EQ(all.next, 1000);
  EXPECT_EQ(all.samples[700].values[0], 700.0);
  const RunWindow::Samples last = window.samples(all.next - 3, 5000);
  ASSERT_EQ(last.samples.size(), 3U);
  EXPECT_EQ(last.samples[0].values[0], 997.0);
  EXPECT_EQ(window.samples(0, 2).samples[0].values[0], 998.0) << "of too many the last ones";
  EXPECT_TRUE(window.samples(1000, 5).samples.empty());
}

TEST(RunWindow, ShowsLinesAsTheyWereForAWhile) {
  RunWindow window;
  window.begin(layout());
  for (Tick at = 0; at < 100; ++at) window.edge(10 * at, LineId{3}, at % 2 == 0);
  window.edge(990, LineId{4}, false);
  const std::vector<RunWindow::Line> lines = window.lines(955, 100);
  ASSERT_EQ(lines.size(), 3U);
  EXPECT_EQ(lines[0].edges, (std::vector<Tick>{960, 970, 980, 990}));
  EXPECT_FALSE(lines[0].starts_high) << "the one at 950 fell";
  EXPECT_EQ(lines[0].left_out, 0);
  EXPECT_EQ(lines[1].edges, std::vector<Tick>{990});
  EXPECT_TRUE(lines[1].starts_high);
  EXPECT_TRUE(lines[2].edges.empty());
  const RunWindow::Line few = window.lines(0, 3)[0];
  EXPECT_EQ(few.edges, (std::vector<Tick>{970, 980, 990}));
  EXPECT_EQ(few.left_out, 97);
  EXPECT_TRUE(few.starts_high) << "before the fall at 970";
  EXPECT_EQ(window.last_edge("traverse"), 990);
  EXPECT_FALSE(window.last_edge("lamp"));
  EXPECT_FALSE(window.last_edge("trav"));
}

// Of what it drops it keeps how lines stood: the rest is a record of its own.
TEST(RunWindow, DropsTheOldestAndKeepsHowLinesStood) {
  RunWindow window({100, 10'000, 10});
  window.begin(layout());
  window.edge(1, LineId{4}, false);
  for (Tick at = 0; at < 100'001; ++at) window.edge(10 + at, LineId{3}, at % 2 == 0);
  const RunWindow::Line step = window.lines(0, 1'000'000)[0];
  EXPECT_GE(step.edges.size(), 10'000U);
  EXPECT_LE(step.edges.size(), 10'000U + 3 * 4096);
  EXPECT_EQ(step.starts_high, step.edges.size() % 2 == 0) << "it ends high";
  Told told;
  window.tell(told);
  EXPECT_FALSE(window.lines(0, 10)[1].starts_high) << "DIR fell long ago";
  EXPECT_EQ(told.words.substr(1, 2), "00");
  EXPECT_EQ(told.words[0] == '1', step.starts_high);
}

TEST(RunWindow, IsToldInOneThreadAndAskedInAnother) {
  RunWindow window({1000, 5000, 100});
  window.begin(layout());
  std::thread teller([&] {
    for (Tick at = 0; at < 200'000; ++at) {
      window.edge(at, LineId{3}, at % 2 == 0);
      const double value = static_cast<double>(at);
      if (at % 50 == 0) window.sample(at, {&value, 1});
    }
  });
  std::int64_t next = 0;
  while (next < 4000) {
    const RunWindow::Samples some = window.samples(next, 10'000);
    for (std::size_t i = 1; i < some.samples.size(); ++i)
      EXPECT_EQ(some.samples[i].at, some.samples[i - 1].at + 50);
    next = some.next;
    const RunWindow::Line step = window.lines(window.now() - 100, 1000)[0];
    for (std::size_t i = 1; i < step.edges.size(); ++i) EXPECT_EQ(step.edges[i], step.edges[i - 1] + 1);
  }
  teller.join();
}

}  // namespace
}  // namespace cogstride::run_window_test
