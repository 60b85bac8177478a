#include "cogstride/plan/lay_path.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <random>

#include "cogstride/quantity/error.hpp"

namespace cogstride::lay_path_test {
namespace {

const RampLimits limits{16'000.0, 400'000.0, 0.0, 10'666'667.0};
const Lay bobbin{Ratio(3'200), Ratio(73'600, 3)};  // 12 to 92 mm at 800/3 steps/mm
const Ratio layer(64'000, 3);

/// The obvious way: one layer after the other.
Ratio folded(const Lay& lay, Ratio way) {
  Ratio at = lay.low;
  for (std::int64_t k = 0;; ++k) {
    const Ratio k_(k);
    const Ratio to = k % 2 == 0 ? lay.high + k_ * lay.high_moves : lay.low + k_ * lay.low_moves;
    const Ratio length = to < at ? at - to : to - at;
    if (way < length) return to < at ? at - way : at + way;
    way -= length;
    at = to;
    if (lay.layers && k + 1 == *lay.layers) return at;
    if (way < lay.dwell) return at;
    way -= lay.dwell;
  }
}

TEST(LayPath, FoldsTheWayExactly) {
  std::mt19937_64 random(1);
  Lay cone = bobbin;
  cone.low_moves = Ratio(400, 3);
  cone.high_moves = Ratio(-500, 7);
  cone.layers = 40;
  Lay resting = bobbin;
  resting.dwell = Ratio(560, 3);
  Lay wandering = bobbin;
  wandering.low_moves = wandering.high_moves = Ratio(53, 3);
  for (const Lay& lay : {bobbin, cone, resting, wandering}) {
    LayPath path(lay);
    path.begin(lay.low);
    Ratio way(0);
    for (int i = 0; i < 400; ++i) {
      // On and on, with reversals.
      way += Ratio(std::uniform_int_distribution<std::int64_t>(-40'000, 60'000)(random), 7);
      if (way < Ratio(0)) way = Ratio(0);
      if (Ratio(700'000) < way) way = Ratio(5);
      ASSERT_EQ(path.place(way), folded(lay, way));
    }
  }
}

TEST(LayPath, SevenLayersAreExactlyFourHundredTurns) {
  Lay seven = bobbin;
  seven.layers = 7;
  LayPath path(seven);
  path.begin(seven.low);
  const Ratio turn(1'120, 3);  // 1.4 mm
  EXPECT_EQ(path.layers_done(Ratio(400) * turn - Ratio(1, 1'000)), 6);
  EXPECT_EQ(path.layers_done(Ratio(400) * turn), 7);
  EXPECT_EQ(path.place(Ratio(400) * turn), seven.high);
  EXPECT_EQ(path.place(Ratio(500) * turn), seven.high) << "there it stays";
}

TEST(LayPath, AConeEndsWhereItsEndsMeet) {
  Lay cone = bobbin;
  cone.low_moves = Ratio(2'000);
  cone.high_moves = Ratio(-1'000);
  LayPath path(cone);
  path.begin(cone.low);
  // 21333 1/3 steps apart, 3000 closer each layer: the eighth would be longer than nothing by 333 1/3.
  ASSERT_TRUE(path.ends_meet_after());
  EXPECT_EQ(*path.ends_meet_after(), 8);
  const Ratio end = path.place(Ratio(1'000'000));
  EXPECT_EQ(path.place(Ratio(2'000'000)), end);
  EXPECT_FALSE(LayPath(bobbin).ends_meet_after());
}

/// Along the rounded path at a constant speed: what it takes, by differences.
struct Taken {
  double acceleration = 0.0;
  double jerk = 0.0;
  double off_before = 0.0;  // of the fold, where no turn-round is on
};
Taken along(LayPath& path, const Lay& lay, double speed, double seconds, double from_way) {
  const double dt = 2e-5;
  const double half = 0.5 * turn_round(limits, speed).way;
  std::array<double, 4> y{};
  Taken taken;
  for (int i = 0; i * dt < seconds; ++i) {
    const double way = from_way + speed * dt * i;
    const auto whole = static_cast<std::int64_t>(way);
    y = {path.rounded(Ratio(whole), way - static_cast<double>(whole), speed, limits), y[0], y[1], y[2]};
    const double into = std::fmod(way, layer.to_double());
    if (lay.dwell == Ratio(0) && into > half && into < layer.to_double() - half)
      taken.off_before = std::max(taken.off_before, std::abs(y[0] - folded(lay, Ratio(whole)).to_double()));
    if (i > 3) {
      taken.acceleration = std::max(taken.acceleration, std::abs(y[0] - 2 * y[1] + y[2]) / dt / dt);
      taken.jerk = std::max(taken.jerk, std::abs(y[0] - 3 * y[1] + 3 * y[2] - y[3]) / dt / dt / dt);
    }
  }
  return taken;
}

TEST(LayPath, TurnsRoundInsideTheLimitsAndIsOnTheFoldBetween) {
  for (const double speed : {500.0, 5'600.0, 12'000.0}) {
    LayPath path(bobbin);
    path.begin(bobbin.low);
    const Taken taken = along(path, bobbin, speed, 1.2 * layer.to_double() / speed, 0.7 * layer.to_double());
    EXPECT_LE(taken.acceleration, LayPath::used_share * limits.acceleration * 1.01);
    EXPECT_LE(taken.jerk, LayPath::used_jerk * limits.jerk * 1.05);
    EXPECT_LE(taken.off_before, 1.01) << "the fold itself was asked at whole steps";
  }
  Lay resting = bobbin;
  resting.dwell = Ratio(2'000);
  LayPath path(resting);
  path.begin(resting.low);
  const Taken taken = along(path, resting, 5'600.0, 2.0 * layer.to_double() / 5'600.0, 0.0);
  EXPECT_LE(taken.acceleration, LayPath::used_share * limits.acceleration * 1.01);
}

TEST(LayPath, ATurnRoundTakesWhatWasToldBeforehand) {
  const double speed = 15'000.0;
  const TurnRound told = turn_round(limits, speed);
  // A change of 2 v at 0.8 a, and the rise of the acceleration: 2 v / 0.8 a + a / j.
  EXPECT_NEAR(told.seconds, 2.0 * speed / 320'000.0 + 320'000.0 / (0.6 * 10'666'667.0), 1e-9);
  LayPath path(bobbin);
  path.begin(bobbin.low);
  const double corner = layer.to_double();
  double most = 0.0;
  for (double way = corner - told.way; way < corner + told.way; way += 0.25) {
    const auto whole = static_cast<std::int64_t>(way);
    const double at = path.rounded(Ratio(whole), way - static_cast<double>(whole), speed, limits);
    most = std::max(most, at);
    const double fold = bobbin.high.to_double() - std::abs(way - corner);
    if (std::abs(way - corner) > 0.5 * told.way) {
      ASSERT_NEAR(at, fold, 1e-6);
    } else {
      ASSERT_LE(at, fold + 1e-6) << "inside the ends";
    }
  }
  EXPECT_NEAR(bobbin.high.to_double() - most, told.short_by, 0.05);
  // Without a limit on jerk: v^2 / 2 a.
  EXPECT_NEAR(turn_round({16'000.0, 400'000.0}, speed).short_by, speed * speed / (2.0 * 320'000.0), 1e-9);
}

TEST(LayPath, EndsAreChangedWithoutAJump) {
  LayPath path(bobbin);
  path.begin(bobbin.low);
  const Ratio way(10'000);
  const Ratio at = path.place(way);
  path.change_ends(way, Ratio(4'000), Ratio(20'000));
  EXPECT_EQ(path.place(way), at);
  EXPECT_EQ(path.place(Ratio(16'800)), Ratio(20'000)) << "it goes on to the new end";
  EXPECT_EQ(path.place(Ratio(16'900)), Ratio(19'900));
  path.change_ends(Ratio(16'900), Ratio(19'950), Ratio(20'500));
  EXPECT_EQ(path.place(Ratio(16'900)), Ratio(19'900)) << "behind it already: it turns at once";
  EXPECT_EQ(path.place(Ratio(17'500)), Ratio(20'500));
  path.shift(Ratio(7));
  EXPECT_EQ(path.place(Ratio(17'500)), Ratio(20'507));
}

TEST(LayPath, RefusesEndsThatAreNone) {
  EXPECT_THROW(LayPath({Ratio(5), Ratio(5)}), RangeError);
  EXPECT_THROW(LayPath({Ratio(0), Ratio(5), {}, {}, Ratio(-1)}), RangeError);
  Lay none = bobbin;
  none.layers = 0;
  EXPECT_THROW(LayPath{none}, RangeError);
  LayPath path(bobbin);
  EXPECT_THROW(path.begin(Ratio(0)), RangeError);
  EXPECT_THROW(path.change_ends(Ratio(0), Ratio(5), Ratio(4)), RangeError);
}

}  // namespace
}  // namespace cogstride::lay_path_test
