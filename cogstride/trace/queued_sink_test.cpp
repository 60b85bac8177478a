#include "cogstride/trace/queued_sink.hpp"

#include <gtest/gtest.h>

#include <mutex>
#include <stdexcept>

namespace cogstride::queued_sink_test {
namespace {

/// Keeps what it is told; holds its writer up while `gate` is locked, and fails at one of its edges.
struct Slow final : TraceSink {
  void begin(const TraceLayout& layout) override { rig = layout.rig; }
  void edge(Tick at, LineId, bool) override {
    const std::lock_guard wait(gate);
    if (static_cast<int>(edges.size()) == fails_at) throw std::runtime_error("no space left");
    edges.push_back(at);
  }
  void sample(Tick, std::span<const double> values) override {
    samples.emplace_back(values.begin(), values.end());
  }
  void event(const TraceEvent& event) override { events.push_back(event.text); }
  void end(Tick at) override { ended_at = at; }

  std::mutex gate;
  int fails_at = -1;
  std::string rig;
  std::vector<Tick> edges;
  std::vector<std::vector<double>> samples;
  std::vector<std::string> events;
  Tick ended_at = -1;
};

TEST(QueuedSink, HandsEverythingOnInItsOrder) {
  Slow slow;
  QueuedSink sink(slow);
  sink.begin({.rig = "bench"});
  for (Tick at = 0; at < 10'000; ++at) sink.edge(at, LineId{1}, at % 2 == 0);
  sink.sample(10'000, std::vector{1.5, 2.5});
  sink.event({10'001, "traverse", "home", TraceEvent::Kind::began});
  sink.end(10'002);
  EXPECT_EQ(slow.rig, "bench");
  ASSERT_EQ(slow.edges.size(), 10'000u);
  for (Tick at = 0; at < 10'000; ++at) ASSERT_EQ(slow.edges[static_cast<std::size_t>(at)], at);
  EXPECT_EQ(slow.samples, (std::vector<std::vector<double>>{{1.5, 2.5}}));
  EXPECT_EQ(slow.events, std::vector<std::string>{"home"});
  EXPECT_EQ(slow.ended_at, 10'002);
  EXPECT_EQ(sink.left_out(), 0);
  EXPECT_EQ(sink.failure(), "");
}

TEST(QueuedSink, NeverWaitsAndCountsWhatItLeavesOut) {
  Slow slow;
  QueuedSink sink(slow, 100);
  sink.begin({});
  {
    const std::lock_guard blocked(slow.gate);  // a disk that takes nothing
    for (Tick at = 0; at < 1000; ++at) sink.edge(at, LineId{1}, true);
    EXPECT_GE(sink.left_out(), 800);
  }
  sink.end(1000);
  EXPECT_EQ(static_cast<std::int64_t>(slow.edges.size()) + sink.left_out(), 1000);
  EXPECT_EQ(slow.ended_at, 1000);
}

TEST(QueuedSink, GivesUpASinkThatFailsAndSaysWhy) {
  Slow slow;
  slow.fails_at = 3;
  QueuedSink sink(slow);
  sink.begin({});
  for (Tick at = 0; at < 10; ++at) sink.edge(at, LineId{1}, true);
  sink.event({10, "", "more", TraceEvent::Kind::note});
  sink.end(11);
  EXPECT_EQ(sink.failure(), "no space left");
  EXPECT_EQ(slow.edges.size(), 3u);
  EXPECT_TRUE(slow.events.empty());
  EXPECT_EQ(slow.ended_at, -1) << "a record that is not whole is not ended as one";
}

}  // namespace
}  // namespace cogstride::queued_sink_test
