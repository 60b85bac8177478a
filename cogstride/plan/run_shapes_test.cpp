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

TEST(RunShapes, BeginARunInTimeAfterAnyPause) {
  std::mt19937 random(9);
  for (int i = 0; i < 20'000; ++i) {
    NarrowPulseRun run = random_run(random);
    // A first step may come soon after its run begins.
    if (i % 2 == 0) run.gap = std::uniform_int_distribution<std::uint32_t>(1, 900U << 16)(random);
    if (i % 2 == 0) run.flags = 0, run.change = 3'000 << 16, run.bend = 0, run.steps = 10;
    const std::int64_t pause = std::uniform_int_distribution<std::int64_t>(0, 200'000LL * 65536)(random);
    const Begun begun = begun_after(run, pause);
    std::vector<NarrowPulseRun> all = begun.silence;
    all.insert(all.end(), begun.runs.begin(), begun.runs.end());
    EXPECT_NEAR(static_cast<double>(end_of(all)), static_cast<double>(end_of({run}) + pause), 16.0);
    ASSERT_EQ(played_ticks(all).size(), run.steps);
    for (const NarrowPulseRun& each : begun.silence) EXPECT_GE(each.gap >> 16, soonest_run);
    if (begun.silence.empty()) continue;
    const NarrowPulseRun& first = begun.runs.front();
    EXPECT_GE(std::int64_t{first.gap} * ((first.flags & chip::run_slow) != 0 ? 16 : 1), soonest_run * 65536);
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
