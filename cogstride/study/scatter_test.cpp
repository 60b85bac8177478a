#include "cogstride/study/scatter.hpp"

#include <gtest/gtest.h>

#include <algorithm>

#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/trials.hpp"

namespace cogstride::scatter_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

TEST(Scatter, StaysWithinTheGatesNoiseAndOneMicrostep) {
  const Rig rig = demo_rig();
  const ScatterResult result =
      scatter_homing(rig, rig.mechanisms[0], static_cast<std::size_t>(testing_support::trials(24, 60)), 11);
  EXPECT_EQ(result.failures(), 0u);
  EXPECT_NEAR(result.microstep, 0.00375, 1e-9);
  EXPECT_NEAR(result.noise, 0.0004, 1e-9);
  // From least to most: what 60 draws of the noise span, and a microstep.
  EXPECT_LT(result.spread(), 6.0 * result.noise + result.microstep);
  EXPECT_LT(std::abs(result.mean()), result.microstep);
  const auto [least, most] =
      std::minmax_element(result.trials.begin(), result.trials.end(),
                          [](const auto& a, const auto& b) { return a.start < b.start; });
  EXPECT_LT(least->start, 20.0) << "from everywhere";
  EXPECT_GT(most->start, 100.0);
}

TEST(Scatter, GrowsWithTheNoiseOfTheSensor) {
  Rig rig = demo_rig();
  rig.mechanisms[0].home_switch()->noise = 20_um;
  const ScatterResult noisy = scatter_homing(rig, rig.mechanisms[0], 40, 11);
  EXPECT_GT(noisy.rms(), 0.010) << "mm, of 0.020 rms";
  EXPECT_LT(noisy.rms(), 0.032);
}

TEST(Scatter, IsTheSameEveryTimeAndTellsOfFailures) {
  Rig rig = demo_rig();
  const ScatterResult once = scatter_homing(rig, rig.mechanisms[0], 8, 5);
  const ScatterResult again = scatter_homing(rig, rig.mechanisms[0], 8, 5);
  for (std::size_t i = 0; i < 8; ++i) {
    EXPECT_EQ(once.trials[i].start, again.trials[i].start);
    EXPECT_EQ(once.trials[i].error, again.trials[i].error);
  }
  rig.mechanisms[0].home_switch()->acts_at = -3.6_mm;  // behind the hard end: it cannot be reached
  rig.mechanisms[0].home_switch()->releases_at = -3.55_mm;
  std::size_t told = 0;
  const ScatterResult broken =
      scatter_homing(rig, rig.mechanisms[0], 4, 5, [&](std::size_t done) { told = std::max(told, done); });
  EXPECT_EQ(broken.failures(), 4u);
  EXPECT_EQ(told, 4u);
  EXPECT_NE(broken.trials[0].fault.find("did not act within"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::scatter_test
