// An axis that the chip gears to an encoder: where it stands, how far it is behind, and that it keeps its
// limits.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <vector>

#include "cogstride/chip/follower.hpp"
#include "cogstride/chip/step_follow.hpp"

namespace cogstride::step_follow_test {
namespace {

using chip::CountFollow;
using chip::NarrowPulseRun;
using chip::StepFollow;

constexpr double clock = 16e6;

/// What came of it.
struct Followed {
  std::int64_t place = 0;
  double worst = 0.0;    // steps by which it was off, of where it belonged
  double fastest = 0.0;  // steps/s
  std::vector<double> times{};
  std::vector<int> ways{};
};

/// Plays its runs, looks as a chip looks. @param counts  by time, s
Followed follow(const CountFollow& what, double lasts, const std::function<double(double)>& counts) {
  chip::RampMaker ramp(static_cast<std::uint32_t>(clock));
  StepFollow follower(static_cast<std::uint32_t>(clock));
  follower.begin(ramp, what, what.place, 0, 0);
  chip::GearedPlace exact;
  exact.set_grain(what.counts);
  Followed all;
  all.place = what.place;
  struct Step {
    double at;
    int way;
  };
  std::vector<Step> queued;
  double ends = 0.0;  // of what is queued, ticks
  std::int64_t count = 0;
  double counted_at = 0.0;
  for (double now = 0.0; now < lasts * clock; now += 1600.0) {
    const auto is = static_cast<std::int64_t>(std::floor(counts(now / clock)));
    if (is != count) {
      (void)exact.go_on((is - count) * what.steps);
      count = is;
      counted_at = now;
    }
    while (!queued.empty() && queued.front().at <= now) {
      all.place += queued.front().way;
      all.times.push_back(queued.front().at / clock);
      all.ways.push_back(queued.front().way);
      queued.erase(queued.begin());
    }
    const auto tick = static_cast<std::uint32_t>(static_cast<std::uint64_t>(now));
    if (follower.is_due(tick))
      follower.look(static_cast<std::uint16_t>(count),
                    static_cast<std::uint32_t>(static_cast<std::uint64_t>(counted_at)), tick,
                    static_cast<std::uint32_t>(std::max(0.0, ends - now)));
    NarrowPulseRun run{};
    while (ends - now < follower.ahead() && follower.next(run)) {
      if (ends < now) ends = now + 2000.0;
      const int way = (run.flags & chip::run_silent) != 0      ? 0
                      : (run.flags & chip::run_backwards) != 0 ? -1
                                                               : 1;
      double gap = run.gap;
      for (int i = 0; i < run.steps; ++i, gap += run.change) {
        ends += gap / 65536.0;
        if (way != 0) queued.push_back({ends, way});
      }
    }
    const auto belongs = static_cast<double>(what.place + exact.position());
    all.worst = std::max(all.worst, std::abs(static_cast<double>(all.place) - belongs));
  }
  for (std::size_t i = 1; i < all.times.size(); ++i)
    if (all.ways[i] == all.ways[i - 1])
      all.fastest = std::max(all.fastest, 1.0 / (all.times[i] - all.times[i - 1]));
  return all;
}

CountFollow gear(int steps, int counts, std::uint32_t speed = 4000, std::uint32_t acceleration = 20'000) {
  CountFollow what;
  what.steps = steps;
  what.counts = counts;
  what.place = 100;
  what.limits = {speed, 100, acceleration};
  return what;
}

/// From rest to a speed, and back to rest: counts by time.
double there(double t, double speed, double ramp, double lasts) {
  if (t <= 0.0) return 0.5;
  const double a = speed / ramp;
  if (t < ramp) return 0.5 + 0.5 * a * t * t;
  if (t < lasts) return 0.5 + 0.5 * speed * ramp + speed * (t - ramp);
  const double left = std::max(0.0, lasts + ramp - t);
  return 0.5 + speed * lasts - 0.5 * a * left * left;
}

TEST(StepFollow, GoesAlongWithinAFewStepsAndStandsOnTheStepOfTheRatio) {
  for (const auto& [steps, counts] : {std::pair{224, 1000}, {-224, 1000}, {1, 1}, {7, 25}}) {
    const CountFollow what = gear(steps, counts);
    const double ratio = static_cast<double>(steps) / counts;
    for (const double speed : {20.0, 200.0, 1000.0}) {  // steps/s
      const double leader = speed / std::abs(ratio);
      const Followed all = follow(what, 2.2, [&](double t) { return there(t - 0.1, leader, 0.3, 1.2); });
      const double went = std::floor(0.5 + leader * 1.2);
      EXPECT_EQ(all.place - 100, static_cast<std::int64_t>(std::trunc(went * steps / counts)))
          << steps << "/" << counts << " at " << speed;
      EXPECT_LE(all.worst, 3.0 + std::abs(ratio) + 0.012 * speed)
          << steps << "/" << counts << " at " << speed;
      EXPECT_LE(all.fastest, 1.3 * speed + 80.0) << steps << "/" << counts;
    }
  }
}

TEST(StepFollow, KeepsItsLimitsBehindALeaderThatLeaps) {
  // 2000 steps/s at once, and no more than 800 are allowed: it falls behind, and catches up.
  const CountFollow what = gear(1, 2, 800, 4000);
  const Followed all =
      follow(what, 4.0, [](double t) { return 0.5 + 4000.0 * std::clamp(t - 0.1, 0.0, 0.4); });
  EXPECT_EQ(all.place, 100 + 800);
  EXPECT_LE(all.fastest, 801.0);
  EXPECT_GT(all.worst, 400.0);
  // Its speed as it goes up, over tenths of a second: 400 steps/s each, from its start speed of 100.
  double last = 0.0;
  for (std::size_t i = 1; i < all.times.size(); ++i) {
    const double speed = 1.0 / (all.times[i] - all.times[i - 1]);
    if (i > 8) {
      EXPECT_LE(speed, last * 1.35 + 1.0) << i;
    }
    last = speed;
  }
}

TEST(StepFollow, TurnsRoundWithItsLeaderAndNeverInAHurry) {
  const CountFollow what = gear(28, 125);
  const Followed all = follow(what, 4.0, [](double t) { return 0.5 + 900.0 * std::sin(2.0 * t); });
  EXPECT_LE(all.worst, 12.0) << "its leader begins at 403 steps/s";
  int turns = 0;
  for (std::size_t i = 1; i < all.times.size(); ++i)
    if (all.ways[i] != all.ways[i - 1]) {
      ++turns;
      EXPECT_GT(all.times[i] - all.times[i - 1], 0.002) << "DIR has to settle";
    }
  EXPECT_EQ(turns, 2);
}

TEST(StepFollow, ComesToRestWhenItIsLetGoAndGoesByAnotherRatioWithoutALeap) {
  chip::RampMaker ramp(static_cast<std::uint32_t>(clock));
  StepFollow follower(static_cast<std::uint32_t>(clock));
  const CountFollow what = gear(1, 1);
  follower.begin(ramp, what, 100, 0, 0);
  double ends = 0.0;
  std::int64_t place = 100;
  const auto run = [&](double from, double to, double per_second) {
    for (double now = from * clock; now < to * clock; now += 1600.0) {
      const auto tick = static_cast<std::uint32_t>(now);
      const double count = std::floor(now / clock * per_second);
      const auto at = static_cast<std::uint32_t>(std::ceil(count / per_second * clock));
      if (follower.is_due(tick))
        follower.look(static_cast<std::uint16_t>(count), at, tick,
                      static_cast<std::uint32_t>(std::max(0.0, ends - now)));
      NarrowPulseRun run{};
      while (ends - now < follower.ahead() && follower.next(run)) {
        if (ends < now) ends = now + 2000.0;
        double gap = run.gap;
        for (int i = 0; i < run.steps; ++i, gap += run.change) ends += gap / 65536.0;
        if ((run.flags & chip::run_silent) == 0) place += run.steps;
      }
    }
  };
  run(0.0, 1.0, 500.0);
  EXPECT_NEAR(static_cast<double>(place), 600.0, 6.0);
  // From here on half as many: it is where it was.
  CountFollow half = gear(1, 2);
  half.count = 500;
  half.place = 600;
  follower.go_by(half);
  run(1.0, 2.0, 500.0);
  EXPECT_NEAR(static_cast<double>(place), 850.0, 6.0);
  follower.stop();
  const std::int64_t before = place;
  run(2.0, 3.0, 500.0);
  EXPECT_TRUE(follower.is_at_rest());
  EXPECT_NEAR(static_cast<double>(place - before), 250.0 * 250.0 / 2.0 / 20'000.0, 3.0) << "v^2 / 2a";
  EXPECT_EQ(follower.leads_to(), place);
}

}  // namespace
}  // namespace cogstride::step_follow_test
