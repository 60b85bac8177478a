#include "cogstride/plan/run_shapes.hpp"

#include <gtest/gtest.h>

#include <random>

#include "cogstride/plan/narrow_plan.hpp"

namespace cogstride::run_shapes_test {
namespace {

using chip::NarrowPulseRun;

/// Where runs end, 2^-16 ticks, played step by step.
std::int64_t end_of(const std::vector<NarrowPulseRun>& runs) {
  chip::PulsePlayer<chip::PulseRun> player({0, 0});
  for (const NarrowPulseRun& run : runs) {
    player.load(chip::wide_run(run));
    while (player.left() > 0) player.advance();
  }
  return fine(player.time());
}

NarrowPulseRun random_run(std::mt19937& random) {
  const auto whole = [&](std::int64_t least, std::int64_t most) {
    return std::uniform_int_distribution<std::int64_t>(least, most)(random);
  };
  const bool is_slow = whole(0, 3) == 0;
  const auto steps = static_cast<std::uint8_t>(whole(1, 40));
  // Some are as long as an unslowed gap can be.
  const std::int64_t gap = whole(0, 2) == 0 && !is_slow ? whole(65'200LL << 16, 65'535LL << 16)
                                                        : whole(3'000 << 16, 60'000LL << 16);
  return {static_cast<std::uint32_t>(gap), static_cast<std::int32_t>(-whole(0, 40) * 65536),
          static_cast<std::int16_t>(whole(-50, 50)), steps,
          static_cast<std::uint8_t>(is_slow ? chip::run_slow : 0)};
}

TEST(RunShapes, AddALittleSilenceBeforeARun) {
  std::mt19937 random(7);
  for (int i = 0; i < 20'000; ++i) {
    const NarrowPulseRun run = random_run(random);
    const std::int64_t silence =
        std::uniform_int_distribution<std::int64_t>(1, soonest_run * 65536 - 1)(random);
    std::vector<NarrowPulseRun> runs;
    add_late(runs, run, silence);
    // A slow one is as fine as 16 of them.
    EXPECT_NEAR(static_cast<double>(end_of(runs)), static_cast<double>(end_of({run}) + silence), 16.0);
    ASSERT_EQ(played_ticks(runs).size(), run.steps);
  }
}

TEST(RunShapes, AddSilenceOfAnyLengthAndKnowHowLongARunLasts) {
  std::mt19937 random(8);
  for (int i = 0; i < 5'000; ++i) {
    const std::int64_t silence = std::uniform_int_distribution<std::int64_t>(1, 60'000'000LL * 65536)(random);
    std::vector<NarrowPulseRun> runs;
    add_silence(runs, silence);
    EXPECT_EQ(end_of(runs), silence);
    EXPECT_TRUE(played_ticks(runs).empty());
    const NarrowPulseRun run = random_run(random);
    EXPECT_NEAR(ticks_of(run) * 65536.0, static_cast<double>(end_of({run})), 1.0);
  }
}

}  // namespace
}  // namespace cogstride::run_shapes_test
