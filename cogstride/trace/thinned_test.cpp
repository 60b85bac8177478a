#include "cogstride/trace/thinned.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>
#include <vector>

#include "cogstride/trace/event_log.hpp"

namespace cogstride::thinned_test {
namespace {

TEST(ThinnedSignal, KeepsEverySampleOfAShortRun) {
  ThinnedSignal signal;
  for (int i = 0; i < 1000; ++i) signal.add(i, std::sin(i));
  ASSERT_EQ(signal.stretches().size(), 1000u);
  EXPECT_EQ(signal.stretches()[7].low, std::sin(7));
  EXPECT_EQ(signal.stretches()[7].high, std::sin(7));
}

TEST(ThinnedSignal, LosesNoPeakOfALongRunAndNeedsNoMoreMemory) {
  ThinnedSignal signal;
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> noise(-1.0, 1.0);
  double lowest = 0.0;
  double highest = 0.0;
  for (int i = 0; i < 300'000; ++i) {
    const double value = (i == 123'457 ? 9.0 : i == 200'001 ? -7.0 : noise(random));
    lowest = std::min(lowest, value);
    highest = std::max(highest, value);
    signal.add(10 * i, value);
  }
  EXPECT_LE(signal.stretches().size(), 4096u);
  EXPECT_GE(signal.stretches().size(), 2048u);
  double low = 0.0;
  double high = 0.0;
  for (const ThinnedSignal::Stretch& stretch : signal.stretches()) {
    EXPECT_LE(stretch.low, stretch.high);
    low = std::min(low, stretch.low);
    high = std::max(high, stretch.high);
  }
  EXPECT_EQ(low, lowest);
  EXPECT_EQ(high, highest);
}

TEST(ThinnedSignal, KnowsWhetherAStretchRisesOrFalls) {
  ThinnedSignal up;
  ThinnedSignal down;
  for (int i = 0; i < 20'000; ++i) {
    up.add(i, i);
    down.add(i, -i);
  }
  for (const ThinnedSignal::Stretch& stretch : up.stretches()) EXPECT_FALSE(stretch.falls);
  std::size_t falling = 0;
  for (const ThinnedSignal::Stretch& stretch : down.stretches()) falling += stretch.falls ? 1 : 0;
  EXPECT_GE(falling, down.stretches().size() - 1) << "the last may hold one sample only";
}

TraceLayout layout_of_one_line() {
  TraceLayout layout;
  layout.rig = "reel";
  layout.ticks_per_second_numerator = 1'000'000;
  layout.lines = {{LineId{4}, "reel.step", false}};
  layout.signals = {{"reel.speed", "deg/s"}};
  layout.sample_period = 100;
  return layout;
}

/// A row of pulses, 10 ticks high each.
void pulses(ThinnedTrace& trace, Tick from, Tick apart, int count) {
  for (int i = 0; i < count; ++i) {
    trace.edge(from + i * apart, LineId{4}, true);
    trace.edge(from + i * apart + 10, LineId{4}, false);
  }
}

TEST(ThinnedTrace, ShowsTheBeginningOfTheFastestBurstPulseByPulse) {
  ThinnedTrace trace("reel.speed", LineId{4});
  trace.begin(layout_of_one_line());
  const std::array slow{10.0};
  const std::array fast{90.0};
  trace.sample(0, slow);
  pulses(trace, 1000, 500, 50);
  trace.sample(30'000, slow);
  pulses(trace, 400'000, 100, 300);
  trace.sample(420'000, fast);
  pulses(trace, 900'000, 400, 20);
  trace.sample(905'000, slow);
  trace.end(1'000'000);
  EXPECT_EQ(trace.end_at(), 1'000'000);
  ASSERT_FALSE(trace.close_up().empty());
  EXPECT_EQ(trace.close_up().front().at, 400'000) << "where it went fastest";
  EXPECT_LE(trace.close_up().size(), 120u);
  for (std::size_t i = 1; i < trace.close_up().size(); ++i)
    EXPECT_LE(trace.close_up()[i - 1].at, trace.close_up()[i].at);
  ASSERT_EQ(trace.bursts().size(), 1u);
  const auto& bursts = trace.bursts()[0];
  ASSERT_GE(bursts.size(), 3u);
  EXPECT_EQ(bursts.front().from, 1000);
  EXPECT_EQ(bursts.back().to, 900'000 + 19 * 400 + 10);
  for (const ThinnedTrace::Burst& burst : bursts) EXPECT_LT(burst.from, burst.to);
}

TEST(ThinnedTrace, TakesAMillionPulsesInLittleMemory) {
  ThinnedTrace trace("reel.speed", LineId{4});
  trace.begin(layout_of_one_line());
  const std::array speed{1.0};
  for (int row = 0; row < 5000; ++row) {
    pulses(trace, row * 100'000, 100, 200);
    trace.sample(row * 100'000 + 50'000, speed);
  }
  trace.end(5000 * Tick{100'000});
  EXPECT_LE(trace.bursts()[0].size(), 2048u);
  EXPECT_EQ(trace.bursts()[0].front().from, 0);
  EXPECT_EQ(trace.bursts()[0].back().to, 4999 * Tick{100'000} + 199 * 100 + 10)
      << "nothing of the end is lost";
}

TEST(EventLog, KeepsTheFirstEventsAndEveryFault) {
  EventLog log(3);
  log.begin(layout_of_one_line());
  for (Tick at = 0; at < 10; ++at) log.event({at, "reel", "moves", TraceEvent::Kind::began});
  log.event({11, "reel", "switch stuck", TraceEvent::Kind::fault});
  ASSERT_EQ(log.events().size(), 4u);
  EXPECT_EQ(log.left_out(), 7u);
  EXPECT_TRUE(log.events().back().is_fault());
  EXPECT_DOUBLE_EQ(log.layout().seconds(2'500'000), 2.5);
}

}  // namespace
}  // namespace cogstride::thinned_test
