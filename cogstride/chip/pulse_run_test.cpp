#include "cogstride/chip/pulse_run.hpp"

#include <gtest/gtest.h>

#include <vector>

namespace cogstride::chip::pulse_run_test {
namespace {

template <class Run>
std::vector<FineTick> play(const std::vector<Run>& runs, FineTick start) {
  PulsePlayer<Run> player(start);
  std::vector<FineTick> times;
  for (const Run& run : runs) {
    player.load(run);
    while (player.left() > 0) {
      player.advance();
      if (player.makes_pulses()) times.push_back(player.time());
    }
  }
  return times;
}

double in_ticks(FineTick at) {
  return static_cast<double>(at.tick) + at.fraction / 65536.0;
}

TEST(PulsePlayer, FollowsTheClosedFormOfARun) {
  const PulseRun run{3000 * 65536ull + 1234, -40'000, 777, 200, 0, 0};
  const std::vector<FineTick> times = play<PulseRun>({run}, {100, 0x8000});
  ASSERT_EQ(times.size(), 200u);
  for (int j = 1; j <= 200; ++j) {
    const double gap = static_cast<double>(run.gap) / 65536;
    const double closed = 100.5 + j * gap + j * (j - 1) / 2.0 * static_cast<double>(run.change) / 65536 +
                          j * (j - 1.0) * (j - 2) / 6.0 * run.bend / 65536;
    ASSERT_NEAR(in_ticks(times[j - 1]), closed, 1e-6) << j;
  }
}

TEST(PulsePlayer, LetsTimePassSilently) {
  const PulseRun wait{1ull << 40, 0, 0, 3, run_silent, 0};
  const PulseRun pulse{65536, 0, 0, 2, 0, 0};
  const std::vector<FineTick> times = play<PulseRun>({wait, pulse}, {0, 0});
  ASSERT_EQ(times.size(), 2u);
  EXPECT_EQ(times[0].tick, 3 * (Tick(1) << 24) + 1);
}

TEST(PulsePlayer, PlaysTheNarrowFormAlike) {
  const PulseRun wide{2000 * 65536ull + 7, -3000, 12, 250, run_backwards, 0};
  const NarrowPulseRun narrow{2000 * 65536u + 7, -3000, 12, 250, run_backwards};
  const auto a = play<PulseRun>({wide, wide}, {5, 9});
  const auto b = play<NarrowPulseRun>({narrow, narrow}, {5, 9});
  ASSERT_EQ(a.size(), b.size());
  for (std::size_t i = 0; i < a.size(); ++i) {
    ASSERT_EQ(a[i].tick, b[i].tick);
    ASSERT_EQ(a[i].fraction, b[i].fraction);
  }
}

TEST(FineTick, RoundsHalfUp) {
  EXPECT_EQ(nearest_tick({7, 0x7fff}), 7);
  EXPECT_EQ(nearest_tick({7, 0x8000}), 8);
}

}  // namespace
}  // namespace cogstride::chip::pulse_run_test
