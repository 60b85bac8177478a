#include "cogstride/link/tick_clock.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cogstride::tick_clock_test {
namespace {

constexpr std::int64_t second = 1'000'000'000;

/// A chip's timer that has been on for a while, faster than it says by a share that wanders.
struct Timer {
  double drift = 0.0;
  [[nodiscard]] double tick_at(std::int64_t ns) const {
    return 4e9 + 16e-3 * static_cast<double>(ns) * (1.0 + drift);
  }
};

TEST(TickClock, KnowsTheTickWithinWhatItSays) {
  std::mt19937 random(4);
  for (const double drift : {0.0, 80e-6, -500e-6, 1.8e-3}) {
    const Timer timer{drift};
    TickClock clock(16e6);
    double worst = 0.0;
    for (std::int64_t ns = 0; ns < 120 * second; ns += 20'000'000) {
      // A question that takes 1 to 30 ms there and back, anyhow shared.
      const auto there = static_cast<std::int64_t>(500'000 + random() % 15'000'000);
      const auto back = static_cast<std::int64_t>(500'000 + random() % 15'000'000);
      const auto tick = static_cast<std::int64_t>(timer.tick_at(ns + there));
      clock.take(ns, ns + there + back, static_cast<std::uint32_t>(tick));
      const std::int64_t now = ns + there + back;
      const double off =
          std::abs(static_cast<double>(clock.at(now) - clock.whole(static_cast<std::uint32_t>(
                                                           static_cast<std::int64_t>(timer.tick_at(now))))));
      ASSERT_LE(off, static_cast<double>(clock.error(now)) + 1.0)
          << drift << " at " << 1e-9 * static_cast<double>(ns);
      if (ns > 100 * second) worst = std::max(worst, off);
    }
    EXPECT_LT(worst / 16.0, 1500.0) << "us, drift " << drift;
    EXPECT_NEAR(clock.rate(), 1.0 + drift, 60e-6);
  }
}

TEST(TickClock, KnowsItOverAnHourOfAClockThatWarmsUp) {
  std::mt19937 random(5);
  TickClock clock(16e6);
  double tick = 1e9;
  double worst = 0.0;
  std::int64_t last = 0;
  for (std::int64_t ns = 0; ns < 3600 * second; ns += 100'000'000) {
    // From 0 to 60 ppm in ten minutes, as a quartz does.
    const double drift = 60e-6 * std::min(1.0, static_cast<double>(ns) / (600.0 * second));
    tick += 16e-3 * static_cast<double>(ns - last) * (1.0 + drift);
    last = ns;
    const auto there = static_cast<std::int64_t>(400'000 + random() % 3'000'000);
    const double at_question = tick + 16e-3 * static_cast<double>(there);
    clock.take(ns, ns + 2 * there, static_cast<std::uint32_t>(static_cast<std::int64_t>(at_question)));
    const double off = std::abs(static_cast<double>(
        clock.at(ns) - clock.whole(static_cast<std::uint32_t>(static_cast<std::int64_t>(tick)))));
    if (ns > 5 * second) worst = std::max(worst, off);
  }
  std::printf("an hour: within %.0f us\n", worst / 16.0);
  EXPECT_LT(worst / 16.0, 1000.0) << "us";
}

TEST(TickClock, GoesOnOverTheTurnOfThirtyTwoBits) {
  TickClock clock(16e6);
  std::int64_t tick = 0xffff0000LL;
  for (std::int64_t ns = 0; ns < 2 * second; ns += 50'000'000, tick += 800'000)
    clock.take(ns, ns, static_cast<std::uint32_t>(tick));
  EXPECT_GT(clock.at(2 * second), 0xffffffffLL);
  EXPECT_NEAR(static_cast<double>(clock.at(2 * second)), static_cast<double>(tick), 4.0);
  EXPECT_NEAR(static_cast<double>(clock.ns_of(tick)), 2e9, 1000.0);
}

}  // namespace
}  // namespace cogstride::tick_clock_test
