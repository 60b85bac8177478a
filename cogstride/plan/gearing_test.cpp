#include "cogstride/plan/gearing.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::gearing_test {
namespace {

using testing_support::demo_rig;

TEST(Gearing, OfTheDemosTraverseIsExact) {
  const Rig rig = demo_rig();
  const Gearing gearing = gearing_of(mechanism_named(rig, "traverse"), mechanism_named(rig, "spindle"));
  // 1.4 mm of a screw of 6 mm and 1600 steps: 1120/3 steps.
  EXPECT_EQ(gearing.per_turn, Ratio(14, 10'000));
  EXPECT_EQ(gearing.steps_per_turn, Ratio(1120, 3));
  EXPECT_EQ(gearing.whole_after, 3);
  ASSERT_TRUE(gearing.counts_per_turn);
  EXPECT_EQ(*gearing.steps_per_count * *gearing.counts_per_turn, Ratio(1120, 3));
  const double leader = mechanism_named(rig, "spindle").limits.speed.base.to_double();
  EXPECT_DOUBLE_EQ(gearing.top_speed, 1.4e-3 * leader);
  EXPECT_NEAR(gearing.top_rate, leader * 1120.0 / 3.0, 1e-9 * gearing.top_rate);
}

TEST(Gearing, NeedsALeaderThatTurns) {
  const Rig rig = demo_rig();
  EXPECT_THROW((void)gearing_of(mechanism_named(rig, "creel"), mechanism_named(rig, "spindle")), RangeError);
  EXPECT_THROW((void)gearing_of(mechanism_named(rig, "traverse"), mechanism_named(rig, "traverse")),
               RangeError);
}

/// What a chip behind a link gears by itself is looked at 250 times a second, whatever the line delays.
TEST(Gearing, BehindALinkIsAsLateAsWhoeverMakesIt) {
  Gearing gearing;
  gearing.steps_per_count = Ratio(28, 125);
  Controller controller = demo_rig().controller;
  EXPECT_EQ(follow_timings(gearing, controller, true).size(), 2u) << "rehearsed and live";
  controller = read_rig(std::string(COGSTRIDE_SOURCE_DIR) + "/demo/lace.rig.toml").controller;
  controller.link.emplace().delay = Time(80, units::ms);
  const FollowTiming by_chip = follow_timings(gearing, controller, true).at(0);
  EXPECT_EQ(by_chip.where, "lag, by chip");
  EXPECT_DOUBLE_EQ(by_chip.looks, 4e-3);
  EXPECT_DOUBLE_EQ(by_chip.lead, 5e-3);
  // Never beyond its leader, or more than a step for a count: planned, there and back.
  const FollowTiming planned = follow_timings(gearing, controller, false).at(0);
  EXPECT_EQ(planned.where, "lag, by link");
  EXPECT_GT(planned.lead, 0.16);
  gearing.steps_per_count = Ratio(9, 8);
  EXPECT_EQ(follow_timings(gearing, controller, true).at(0).lead, planned.lead);
}

/// All arrangements of four places, one by one.
double nearest_by_trying_all(double wanted, const std::vector<std::int64_t>& teeth) {
  double nearest = INFINITY;
  const auto n = teeth.size();
  for (std::size_t a = 0; a < n; ++a)
    for (std::size_t b = 0; b < n; ++b) {
      if (a == b) continue;
      const double one = static_cast<double>(teeth[a]) / static_cast<double>(teeth[b]);
      if (teeth[a] != teeth[b]) nearest = std::min(nearest, std::abs(one / wanted - 1.0));
      for (std::size_t c = 0; c < n; ++c)
        for (std::size_t d = 0; d < n; ++d) {
          if (c == a || c == b || d == a || d == b || c == d) continue;
          nearest = std::min(
              nearest,
              std::abs(one * static_cast<double>(teeth[c]) / static_cast<double>(teeth[d]) / wanted - 1.0));
        }
    }
  return nearest;
}

TEST(ChangeGears, AreTheNearestThatASetHas) {
  const std::vector<std::int64_t> teeth{20, 25, 30, 35, 40, 45, 50, 55, 60, 65};
  for (const Ratio& wanted :
       {Ratio(7, 30), Ratio(1, 3), Ratio(314159, 100000), Ratio(127, 100), Ratio(2, 1)}) {
    const std::vector<ChangeGears> found = nearest_trains(wanted, teeth, 6);
    ASSERT_EQ(found.size(), 6U);
    EXPECT_NEAR(std::abs(found[0].error), nearest_by_trying_all(wanted.to_double(), teeth), 1e-12);
    for (std::size_t i = 0; i < found.size(); ++i) {
      Ratio made(1);
      for (std::size_t k = 0; k < found[i].teeth.size(); k += 2)
        made = made * Ratio(found[i].teeth[k], found[i].teeth[k + 1]);
      EXPECT_EQ(made, found[i].ratio);
      EXPECT_NEAR(found[i].error, made.to_double() / wanted.to_double() - 1.0, 1e-12);
      if (i > 0) {
        EXPECT_GE(std::abs(found[i].error), std::abs(found[i - 1].error));
      }
    }
  }
}

TEST(ChangeGears, SayWhereARatioIsExactWithFewGears) {
  const std::vector<std::int64_t> teeth{20, 30, 40, 60};
  const std::vector<ChangeGears> found = nearest_trains({1, 3}, teeth, 3);
  EXPECT_EQ(found[0].teeth, (std::vector<std::int64_t>{20, 60}));
  EXPECT_EQ(found[0].error, 0.0);
  EXPECT_TRUE(nearest_trains({1, 3}, std::vector<std::int64_t>{20}, 3).empty());
  EXPECT_THROW((void)nearest_trains({-1, 3}, teeth, 3), RangeError);
  EXPECT_THROW((void)nearest_trains({1, 3}, std::vector<std::int64_t>{20, 3}, 3), RangeError);
}

}  // namespace
}  // namespace cogstride::gearing_test
