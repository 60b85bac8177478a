#include "cogstride/plan/wheel_ways.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride::wheel_ways_test {
namespace {

using namespace literals;

constexpr double track = 0.18;

TEST(WheelWays, AreTheTextbooks) {
  const WheelWays straight = wheel_ways({.by = 800_mm}, track);
  EXPECT_DOUBLE_EQ(straight.left, 0.8);
  EXPECT_DOUBLE_EQ(straight.right, 0.8);
  const WheelWays spot = wheel_ways({.turns = 90_deg}, track);
  EXPECT_NEAR(spot.right, pi / 2.0 * 0.09, 1e-15);
  EXPECT_NEAR(spot.left, -spot.right, 1e-15);
  const WheelWays arc = wheel_ways({.turns = 90_deg, .radius = 300_mm}, track);
  EXPECT_NEAR(arc.left, pi / 2.0 * 0.21, 1e-15);
  EXPECT_NEAR(arc.right, pi / 2.0 * 0.39, 1e-15);
  const WheelWays right = wheel_ways({.turns = -90_deg, .radius = 300_mm}, track);
  EXPECT_NEAR(right.left, arc.right, 1e-15);
  EXPECT_NEAR(right.right, arc.left, 1e-15);
  const WheelWays tight = wheel_ways({.turns = 90_deg, .radius = 40_mm}, track);
  EXPECT_LT(tight.left, 0.0) << "inside the track the inner wheel goes back";
}

TEST(WheelWays, OfNothingThatACartDoesAreRefused) {
  EXPECT_THROW((void)wheel_ways({}, track), RangeError);
  EXPECT_THROW((void)wheel_ways({.by = 1_m, .turns = 90_deg}, track), RangeError);
  EXPECT_THROW((void)wheel_ways({.by = 1_m, .radius = 1_m}, track), RangeError);
  EXPECT_THROW((void)wheel_ways({.turns = 90_deg, .radius = -1_m}, track), RangeError);
}

/// Many small straight pieces, each turned a little: slower, and obviously right.
CartPose by_small_pieces(const WheelWays& ways) {
  constexpr int pieces = 200'000;
  CartPose pose;
  const double turn = (ways.right - ways.left) / track / pieces;
  const double way = 0.5 * (ways.right + ways.left) / pieces;
  for (int i = 0; i < pieces; ++i) {
    pose.x += way * std::cos(pose.heading + 0.5 * turn);
    pose.y += way * std::sin(pose.heading + 0.5 * turn);
    pose.heading += turn;
  }
  return pose;
}

TEST(CartPose, OfWhatItsWheelsRolledIsThatOfSmallPieces) {
  for (const CartWay& way :
       {CartWay{.by = 800_mm}, CartWay{.turns = 90_deg}, CartWay{.turns = -270_deg, .radius = 300_mm},
        CartWay{.turns = 720_deg, .radius = 40_mm}}) {
    const WheelWays ways = wheel_ways(way, track);
    const CartPose small = by_small_pieces(ways);
    const CartPose whole = CartPose{}.rolled(ways.left, ways.right, track);
    EXPECT_NEAR(whole.x, small.x, 1e-8) << way_text(way);
    EXPECT_NEAR(whole.y, small.y, 1e-8) << way_text(way);
    EXPECT_NEAR(whole.heading, small.heading, 1e-9);
    // The turn is the one that was asked for.
    if (way.turns) {
      EXPECT_NEAR(whole.heading, 2.0 * pi * way.turns->base(), 1e-12);
    }
  }
}

TEST(CartPose, ACircleComesHome) {
  const WheelWays ways = wheel_ways({.turns = 360_deg, .radius = 300_mm}, track);
  CartPose pose;
  for (int i = 0; i < 7; ++i) pose = pose.rolled(ways.left / 7, ways.right / 7, track);
  EXPECT_NEAR(std::hypot(pose.x, pose.y), 0.0, 1e-12);
  EXPECT_NEAR(pose.heading, 2.0 * pi, 1e-12);
}

}  // namespace
}  // namespace cogstride::wheel_ways_test
