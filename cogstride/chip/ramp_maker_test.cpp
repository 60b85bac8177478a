#include "cogstride/chip/ramp_maker.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <vector>

#include "cogstride/plan/ramp.hpp"

namespace cogstride::chip::ramp_maker_test {
namespace {

constexpr double ticks_per_second = 16e6;

/// What a chip would make of it: the time of each step, s.
struct Made {
  std::vector<double> times{};
  std::int64_t position = 0;
  int ends = 0;
  FineTick at{0, 0};

  void play(const NarrowPulseRun& run) {
    PulsePlayer<NarrowPulseRun> player(at);
    player.load(run);
    while (player.left() > 0) {
      player.advance();
      if (!player.makes_pulses()) continue;
      position += player.is_backwards() ? -1 : 1;
      times.push_back(static_cast<double>(player.tick()) / ticks_per_second);
    }
    at = player.time();
    ends += player.ends() ? 1 : 0;
  }
};

Made all_of(RampMaker& ramp) {
  Made made;
  NarrowPulseRun run;
  while (ramp.next(run)) made.play(run);
  return made;
}

TEST(RampMaker, GoesToItsTargetAsTheHostsRampDoes) {
  struct Case {
    ChipLimits limits;
    std::int32_t target;
  };
  for (const Case& one :
       {Case{{8000, 200, 60'000}, 4000}, Case{{30'000, 1000, 400'000}, -20'000}, Case{{500, 100, 2000}, 300},
        Case{{60'000, 500, 900'000}, 1500}, Case{{50, 50, 1000}, 20}}) {
    RampMaker ramp(16'000'000);
    ramp.limits(one.limits);
    ramp.go_to(one.target);
    const Made made = all_of(ramp);
    EXPECT_EQ(made.position, one.target);
    EXPECT_EQ(made.ends, 1);
    EXPECT_TRUE(ramp.is_at_rest());
    const Ramp host = plan_ramp({}, one.target,
                                {.speed = static_cast<double>(one.limits.speed),
                                 .acceleration = static_cast<double>(one.limits.acceleration),
                                 .start_speed = static_cast<double>(one.limits.start_speed)});
    EXPECT_NEAR(made.times.back(), host.duration(), 0.02 * host.duration() + 1.0 / one.limits.start_speed)
        << one.limits.speed;
  }
}

TEST(RampMaker, KeepsItsLimitsThroughRandomOrders) {
  std::mt19937 random(8);
  const auto any = [&](int least, int most) {
    return std::uniform_int_distribution<int>(least, most)(random);
  };
  for (int round = 0; round < 60; ++round) {
    RampMaker ramp(16'000'000);
    const std::uint32_t speed = static_cast<std::uint32_t>(any(400, 30'000));
    const ChipLimits limits{speed, speed / 20, static_cast<std::uint32_t>(any(4, 60)) * speed};
    ramp.limits(limits);
    Made made;
    std::int32_t target = 0;
    for (int order = 0; order < 6; ++order) {
      target = any(-6000, 6000);
      any(0, 3) == 0 ? ramp.brake() : ramp.go_to(target);
      NarrowPulseRun run;
      for (int runs = any(1, 40); runs > 0 && ramp.next(run); --runs) made.play(run);
    }
    ramp.go_to(target);
    NarrowPulseRun run;
    while (ramp.next(run)) made.play(run);
    EXPECT_EQ(made.position, target);
    EXPECT_EQ(ramp.leads_to(), target);
    for (std::size_t i = 2; i < made.times.size(); ++i) {
      const double now = 1.0 / (made.times[i] - made.times[i - 1]);
      const double before = 1.0 / (made.times[i - 1] - made.times[i - 2]);
      ASSERT_LE(now, 1.005 * speed) << "round " << round << ", step " << i;
      // v2^2 - v1^2 = 2 a; twice that at the joints of runs; each gap is a whole number of ticks; and what
      // may be jumped.
      const double jump = limits.start_speed * 1.5;
      if (now > jump && before > jump) {
        ASSERT_LE(std::abs(now * now - before * before),
                  4.5 * limits.acceleration + 5.0 * now * now * now / ticks_per_second)
            << "round " << round << ", step " << i << ": " << before << " to " << now << " steps/s";
      }
    }
  }
}

TEST(RampMaker, BrakesToRestAndBeginsAgain) {
  RampMaker ramp(16'000'000);
  ramp.limits({4000, 200, 40'000});
  ramp.go_to(INT32_MAX);
  Made made;
  NarrowPulseRun run;
  for (int i = 0; i < 60; ++i) {
    ASSERT_TRUE(ramp.next(run));
    made.play(run);
  }
  ramp.brake();
  while (ramp.next(run)) made.play(run);
  EXPECT_TRUE(ramp.is_at_rest());
  EXPECT_EQ(made.ends, 1);
  EXPECT_EQ(made.position, ramp.leads_to());
  const std::int64_t stood = made.position;
  ramp.go_to(static_cast<std::int32_t>(stood) - 10);
  while (ramp.next(run)) made.play(run);
  EXPECT_EQ(made.position, stood - 10);
}

TEST(RampMaker, KnowsRoots) {
  for (const std::uint32_t of :
       {0U, 1U, 2U, 3U, 4U, 15U, 16U, 65'535U, 65'536U, 4'294'836'225U, 4'294'967'295U})
    EXPECT_EQ(whole_root(of), static_cast<std::uint16_t>(std::sqrt(static_cast<double>(of)))) << of;
}

}  // namespace
}  // namespace cogstride::chip::ramp_maker_test
