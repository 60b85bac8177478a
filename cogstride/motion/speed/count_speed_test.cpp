#include "cogstride/motion/speed/count_speed.hpp"

#include <gtest/gtest.h>

#include <random>

namespace cogstride::count_speed_test {
namespace {

constexpr double clock = 48e6;
constexpr chip::Tick look = 48'000;  // each millisecond

struct Worst {
  double error = 0.0;  // relative
  double jump = 0.0;   // relative, from one look to the next
};

/// Looks at an encoder that counts evenly, its edges at whole ticks.
Worst at_rate(double counts_per_second) {
  CountSpeed speed(clock);
  Worst worst;
  double before = 0.0;
  const int looks = static_cast<int>(std::max(2000.0, 20e3 / counts_per_second));
  for (int i = 0; i < looks; ++i) {
    const chip::Tick now = i * look;
    const auto count =
        static_cast<std::int64_t>(std::floor(static_cast<double>(now) / clock * counts_per_second));
    const auto edge =
        static_cast<chip::Tick>(std::ceil(static_cast<double>(count) / counts_per_second * clock));
    speed.look(now, count, edge);
    if (count < 3) continue;
    worst.error = std::max(worst.error, std::abs(speed.counts_per_second() / counts_per_second - 1.0));
    EXPECT_LE(std::abs(speed.counts_per_second() - counts_per_second), 1.5 * speed.error() + 1e-9)
        << "the stated error holds at " << counts_per_second;
    if (before > 0.0) worst.jump = std::max(worst.jump, std::abs(speed.counts_per_second() / before - 1.0));
    before = speed.counts_per_second();
  }
  return worst;
}

TEST(CountSpeed, IsOneSmoothFigureFromACreepToFullSpeed) {
  // From a count in two seconds to a million a second: no worse anywhere, the change-over included.
  for (double rate = 1.5; rate < 1e6; rate *= 1.37) {
    const Worst worst = at_rate(rate);
    EXPECT_LT(worst.error, 5e-4) << rate << " counts/s";
    EXPECT_LT(worst.jump, 1e-3) << rate << " counts/s";
  }
}

TEST(CountSpeed, FallsWhenNoEdgeComesAndThenStands) {
  CountSpeed speed(clock);
  for (int i = 0; i <= 100; ++i) speed.look(i * look, i, i * look);  // 1000 counts/s
  EXPECT_NEAR(speed.counts_per_second(), 1000.0, 0.1);
  double before = speed.counts_per_second();
  for (int i = 101; i < 1000; ++i) {
    speed.look(i * look, 100, 100 * look);
    EXPECT_LE(speed.counts_per_second(), before);
    EXPECT_LE(speed.counts_per_second(), 1000.0 / (i - 100) + 1e-6) << "no more than a count since the last";
    before = speed.counts_per_second();
  }
  for (int i = 1000; i < 1200; ++i) speed.look(i * look, 100, 100 * look);
  EXPECT_EQ(speed.counts_per_second(), 0.0);
}

TEST(CountSpeed, StatesWhatBadlyPlacedEdgesMakeOfIt) {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> off(-0.1, 0.1);
  for (const double rate : {20.0, 900.0, 5e4}) {
    CountSpeed speed(clock, 0.2);
    for (int i = 0; i < 3000; ++i) {
      const double now = i * 1e-3;
      const auto count = static_cast<std::int64_t>(std::floor(now * rate));
      std::mt19937 edge_random(static_cast<unsigned>(count));
      const double place = std::uniform_real_distribution<double>(-0.1, 0.0)(edge_random);
      const auto edge = static_cast<chip::Tick>((static_cast<double>(count) + place) / rate * clock);
      speed.look(i * look, count, std::max<chip::Tick>(0, edge));
      if (count < 3) continue;
      ASSERT_LE(std::abs(speed.counts_per_second() - rate), speed.error() + 1e-9) << rate;
    }
  }
}

TEST(CountSpeed, TurnsRound) {
  CountSpeed speed(clock);
  for (int i = 0; i <= 50; ++i) speed.look(i * look, i, i * look);
  for (int i = 51; i <= 100; ++i) speed.look(i * look, 100 - i, i * look);
  EXPECT_NEAR(speed.counts_per_second(), -1000.0, 0.1);
}

TEST(CountSpeed, IsSteadyWhereTimesAreKnownToALookAlone) {
  // 667 counts a second, looked at a thousand times: a count between two looks, or none.
  CountSpeed speed(clock, 0.0, 1e-3);
  CountSpeed trusting(clock);
  std::int64_t before = 0;
  chip::Tick changed = 0;
  double least = 1e9;
  double most = 0.0;
  double trusting_most = 0.0;
  for (int look = 1; look < 400; ++look) {
    const auto now = static_cast<chip::Tick>(look * clock * 1e-3);
    const auto count = static_cast<std::int64_t>(std::floor(0.667 * look));
    if (count != before) changed = now - static_cast<chip::Tick>(0.5e-3 * clock);
    before = count;
    speed.look(now, count, changed);
    trusting.look(now, count, changed);
    if (look < 60) continue;
    least = std::min(least, speed.counts_per_second());
    most = std::max(most, speed.counts_per_second());
    trusting_most = std::max(trusting_most, trusting.counts_per_second());
  }
  EXPECT_NEAR(least, 667.0, 0.04 * 667.0);
  EXPECT_NEAR(most, 667.0, 0.04 * 667.0);
  EXPECT_GT(trusting_most, 900.0);
  // Many counts a look: two looks are enough, and a stop is a stop.
  CountSpeed fast(clock, 0.0, 1e-3);
  for (int look = 0; look < 5; ++look) {
    const auto now = static_cast<chip::Tick>(look * clock * 1e-3);
    fast.look(now, 60 * look, now - static_cast<chip::Tick>(0.5e-3 * clock));
  }
  EXPECT_NEAR(fast.counts_per_second(), 60'000.0, 1e-6);
}

}  // namespace
}  // namespace cogstride::count_speed_test
