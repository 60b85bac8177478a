#include "cogstride/plan/narrow_plan.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/plan/step_times.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride::narrow_plan_test {
namespace {

TEST(NarrowPlan, KeepsEachPulseWithinATickOfItsStep) {
  std::mt19937 random(6);
  const auto by_ratio = [&](double least, double most) {
    return std::exp(std::uniform_real_distribution<double>(std::log(least), std::log(most))(random));
  };
  for (int i = 0; i < 40; ++i) {
    RampLimits limits{.speed = by_ratio(20, 60'000), .acceleration = 0.0};
    limits.acceleration = limits.speed / by_ratio(0.01, 2.0);
    if (i % 2 == 0) limits.jerk = limits.acceleration / by_ratio(0.01, 0.5);
    const Ramp ramp =
        plan_ramp({}, (i % 3 == 0 ? -1 : 1) * static_cast<std::int64_t>(limits.speed * 0.5 + 3), limits);
    const std::vector<chip::NarrowPulseRun> runs = narrow_plan(ramp, 0, 16e6);
    std::vector<double> exact(static_cast<std::size_t>(limits.speed * 0.5 + 8));
    StepTimes times(ramp, 0);
    std::size_t count = 0;
    for (std::size_t more = 1; more > 0; count += more) more = times.fill(std::span(exact).subspan(count));
    const std::vector<chip::Tick> ticks = played_ticks(runs);
    ASSERT_EQ(ticks.size(), count);
    for (std::size_t k = 0; k < count; ++k)
      ASSERT_NEAR(static_cast<double>(ticks[k]), exact[k] * 16e6, 1.0) << "step " << k;
    EXPECT_NE(runs.back().flags & chip::run_ends, 0);
    for (std::size_t k = 0; k + 1 < runs.size(); ++k) EXPECT_EQ(runs[k].flags & chip::run_ends, 0);
  }
}

TEST(NarrowPlan, BridgesLongGapsBySilentRunsNoneOfWhichIsShort) {
  const std::vector<chip::NarrowPulseRun> runs =
      narrow_plan(plan_ramp({}, 5, {.speed = 3, .acceleration = 4}), 0, 16e6);
  int silent = 0;
  for (const chip::NarrowPulseRun& run : runs) {
    EXPECT_GE(run.gap, 30'000U << 16);
    silent += (run.flags & chip::run_silent) != 0 ? 1 : 0;
  }
  EXPECT_GE(silent, 5);
}

TEST(NarrowPlan, RefusesStepsThatTheChipCannotTellApart) {
  const Ramp ramp = plan_ramp({}, 2000, {.speed = 100'000, .acceleration = 3e6});
  EXPECT_THROW((void)narrow_plan(ramp, 0, 16e6, 250.0), RangeError);
  EXPECT_NO_THROW((void)narrow_plan(ramp, 0, 16e6, 150.0));
}

}  // namespace
}  // namespace cogstride::narrow_plan_test
