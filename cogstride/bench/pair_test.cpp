// The yarn cart on the simulated bench.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::pair_test {
namespace {

using namespace literals;

Rig cart_rig() {
  return read_rig(testing_support::cart_rig_path);
}

double degrees(double radians) {
  return radians * 180.0 / pi;
}

TEST(WheeledPair, GoesStraightTurnsAndRoundsAsAsked) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  cart.drive({.way = {.by = 500_mm}, .speed = 300_mm_per_s}).wait();
  EXPECT_NEAR(bench.cart_pose("cart").x, 0.5, 0.4e-3)
      << "within two counts of 0.14 mm and the gap in the loop";
  EXPECT_NEAR(bench.cart_pose("cart").y, 0.0, 1e-3);
  cart.drive({.way = {.turns = 90_deg}}).wait();
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 90.0, 0.3);
  cart.drive({.way = {.turns = -90_deg, .radius = 300_mm}}).wait();
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 0.0, 0.3);
  EXPECT_NEAR(bench.cart_pose("cart").x, 0.8, 3e-3);
  EXPECT_NEAR(bench.cart_pose("cart").y, 0.3, 3e-3);
  cart.drive({.way = {.by = -200_mm}}).wait();
  EXPECT_NEAR(bench.cart_pose("cart").x, 0.6, 3e-3);
}

TEST(WheeledPair, ThinksItIsWhereItIs) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  for (int side = 0; side < 4; ++side) {
    cart.drive({.way = {.by = 800_mm}, .speed = 300_mm_per_s}).wait();
    cart.drive({.way = {.turns = 90_deg}, .speed = 120_deg_per_s}).wait();
    EXPECT_NEAR(cart.thinks().x, bench.cart_pose("cart").x, 1e-3) << side;
    EXPECT_NEAR(cart.thinks().y, bench.cart_pose("cart").y, 1e-3) << side;
  }
  EXPECT_NEAR(std::hypot(bench.cart_pose("cart").x, bench.cart_pose("cart").y), 0.0, 4e-3) << "it came home";
  EXPECT_NEAR(degrees(cart.thinks().heading), 360.0, 0.2);
}

TEST(WheeledPair, AWayDoesNotDriftOverManyOrders) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  // 0.1 mm is less than a count: none of it may be lost.
  for (int i = 0; i < 60; ++i) cart.drive({.way = {.by = Length(i % 2 == 0 ? 7.1 : -7.0, units::mm)}}).wait();
  EXPECT_NEAR(bench.cart_pose("cart").x, 3e-3, 0.4e-3);
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 0.0, 0.3);
}

/// On the spot the middle between the wheels stays; a wheel of another size turns its way into an arc. The
/// closed form for a side: both wheels roll L as they think, so the turn is (d_r - d_l) / d  L / track.
TEST(WheeledPair, WithUnequalWheelsItGoesOnAnArcAndDoesNotKnow) {
  Rig actual = cart_rig();
  actual.pairs[0].right_wheel = Length(65.65, units::mm);
  SimulatedBench bench(cart_rig(), {.actual = actual});
  auto cart = bench.cart("cart");
  cart.drive({.way = {.by = 1_m}, .speed = 300_mm_per_s}).wait();
  const double turn = 0.01 * 1.0 / 0.18;
  EXPECT_NEAR(bench.cart_pose("cart").heading, turn, 0.004);
  EXPECT_NEAR(bench.cart_pose("cart").y, 0.5 * turn * 1.005, 0.004);
  EXPECT_NEAR(cart.thinks().heading, 0.0, 0.004);
  EXPECT_NEAR(cart.thinks().y, 0.0, 0.002);
}

TEST(WheeledPair, WithAnotherTrackItTurnsTooFarOrTooLittle) {
  Rig actual = cart_rig();
  actual.pairs[0].track = 189_mm;
  SimulatedBench bench(cart_rig(), {.actual = actual});
  auto cart = bench.cart("cart");
  cart.drive({.way = {.turns = 360_deg}}).wait();
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 360.0 * 180.0 / 189.0, 0.4);
  EXPECT_NEAR(degrees(cart.thinks().heading), 360.0, 0.3);
}

TEST(WheeledPair, MeasuredFiguresBringItHome) {
  Rig measured = cart_rig();
  measured.pairs[0].right_wheel = Length(65.65, units::mm);
  measured.pairs[0].track = 189_mm;
  SimulatedBench bench(measured, {.actual = measured});
  auto cart = bench.cart("cart");
  for (int side = 0; side < 4; ++side) {
    cart.drive({.way = {.by = 500_mm}}).wait();
    cart.drive({.way = {.turns = 90_deg}}).wait();
  }
  EXPECT_NEAR(std::hypot(bench.cart_pose("cart").x, bench.cart_pose("cart").y), 0.0, 4e-3);
}

/// Alone, one wheel would turn the cart round.
TEST(WheeledPair, ItsWheelsAreItsOwnWhileItDrives) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  auto left = bench.brushed("left");
  Motion way = cart.drive({.way = {.by = 800_mm}});
  bench.serve(500_ms);
  EXPECT_THROW(left.spin({.duty = 50_percent}), RangeError);
  EXPECT_EQ(way.status(), MotionStatus::running);
  EXPECT_THROW(cart.drive({.way = {.by = 100_mm}}), RangeError);

  left.stop().wait();
  EXPECT_EQ(way.status(), MotionStatus::cancelled);
  bench.serve(500_ms);
  EXPECT_NEAR(bench.cart_pose("cart").heading, 0.0, 0.01) << "rad: both have stopped together";

  left.spin({.duty = 30_percent, .lasts = 1_s}).wait();  // its own again
  EXPECT_LT(bench.cart_pose("cart").heading, -0.5);
}

TEST(WheeledPair, StopsWhereOneOfItsWheelsIsLetGo) {
  SimulatedBench bench(cart_rig());
  Motion way = bench.cart("cart").drive({.way = {.by = 800_mm}});
  bench.serve(500_ms);
  bench.brushed("left").brake();
  EXPECT_EQ(way.result(), "left was stopped by itself");
  EXPECT_EQ(way.code(), FaultCode::failed);
  bench.serve(1_s);
  EXPECT_TRUE(bench.mechanism("right").has_ended());
  EXPECT_LT(std::abs(bench.cart_pose("cart").heading), 0.7)
      << "rad, on the way that its right wheel stops in";
}

/// One wheel is held back beyond what its motor has at that speed: the other one slows down with it.
TEST(WheeledPair, BothSlowDownTogetherWhenOneSaturates) {
  const Torque heavy(18.2e-3, units::Nm);  // of the 19.2e-3 that its current limit leaves
  SimulatedBench bench(cart_rig(), {.events = {{.at = 1_s, .what = "left.load", .torque = heavy},
                                               {.at = 2_s, .what = "left.load", .torque = Torque()}}});
  auto cart = bench.cart("cart");
  Motion way = cart.drive({.way = {.by = 1500_mm}});
  double worst = 0.0;
  bool was_slowed = false;
  while (!way.has_ended()) {
    bench.serve(20_ms);
    worst = std::max(worst, std::abs(bench.cart_pose("cart").heading));
    was_slowed = was_slowed || bench.mover_as<PairMover>("cart").pace() < 0.9;
  }
  way.wait();
  EXPECT_TRUE(was_slowed);
  EXPECT_LT(degrees(worst), 1.5) << "it stays on its way";
  EXPECT_NEAR(bench.cart_pose("cart").x, 1.5, 1e-3);
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 0.0, 0.3);
  EXPECT_LT(bench.verdict().of("cart").figure("slowest_pace_share"), 0.9);
}

TEST(WheeledPair, AStuckWheelEndsItAtRest) {
  SimulatedBench bench(cart_rig(), {.events = {{.at = 1_s, .what = "left.jam"}}});
  std::string fault;
  bench.on_fault([&](const std::string& why) { fault = why; });
  auto cart = bench.cart("cart");
  Motion way = cart.drive({.way = {.by = 1_m}});
  EXPECT_NE(way.result(), "");
  EXPECT_LT(bench.now().base(), 1.6);
  EXPECT_NE(fault.find("left"), std::string::npos) << fault;
  bench.serve(1_s);
  EXPECT_EQ(bench.brushed_plant("right").speed(), 0.0);
  EXPECT_LT(std::abs(degrees(bench.cart_pose("cart").heading)), 12.0) << "the other one did not run on";
}

TEST(WheeledPair, StopsOnItsWayAndGoesOnFromThere) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  Motion way = cart.drive({.way = {.by = 1_m}, .speed = 300_mm_per_s});
  bench.serve(1_s);
  cart.stop();
  EXPECT_EQ(way.status(), MotionStatus::cancelled);
  const double at = bench.cart_pose("cart").x;
  EXPECT_GT(at, 0.15);
  EXPECT_LT(at, 0.5);
  EXPECT_NEAR(degrees(bench.cart_pose("cart").heading), 0.0, 1.5);
  cart.drive({.way = {.by = 100_mm}}).wait();
  EXPECT_NEAR(bench.cart_pose("cart").x, at + 0.1, 2e-3);
}

// A wheel that hardly turns stands between two counts: told to stop, it does not creep on to the next one.
TEST(WheeledPair, AWheelThatHardlyTurnsComesToRestAtOnce) {
  for (const std::int64_t ms : {20, 50, 100, 200}) {
    SimulatedBench bench(cart_rig());
    auto cart = bench.cart("cart");
    const Length half_track = Length(0.5 * bench.rig().pairs.front().track.in(units::m) + 0.0005, units::m);
    cart.drive({.way = {.turns = 90_deg, .radius = half_track}});
    bench.serve(Time(static_cast<double>(ms), units::ms));
    const Time before = bench.now();
    cart.stop();  // serves the bench until it stands
    EXPECT_LT((bench.now() - before).in(units::s), 0.3) << ms;
  }
}

TEST(WheeledPair, RefusesWhatItCannotDo) {
  SimulatedBench bench(cart_rig());
  auto cart = bench.cart("cart");
  EXPECT_THROW(cart.drive({.way = {}}), RangeError);
  EXPECT_THROW(cart.drive({.way = {.by = 0_mm}}), RangeError);
  EXPECT_THROW(cart.drive({.way = {.by = 1_m}, .speed = 3_m_per_s}), RangeError);
  EXPECT_THROW(cart.drive({.way = {.by = 1_m}, .speed = 90_deg_per_s}), RangeError);
  EXPECT_THROW(cart.drive({.way = {.turns = 90_deg}, .speed = 300_mm_per_s}), RangeError);
  cart.drive({.way = {.by = 1_m}});
  EXPECT_THROW(cart.drive({.way = {.by = 1_m}}), RangeError) << "it is on its way";
  EXPECT_THROW((void)bench.cart("wagon"), RangeError);
}

TEST(WheeledPair, WantsTwoMotorsWithEncoders) {
  const std::string text = read_text_file(testing_support::cart_rig_path);
  const auto wrong_with = [&](const std::string& from, const std::string& to) {
    std::string changed = text;
    changed.replace(changed.find(from), from.size(), to);
    try {
      (void)parse_rig(changed, "cart.rig.toml");
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_NE(wrong_with("right = \"right\"", "right = \"left\"").find("two wheels want two motors"),
            std::string::npos);
  EXPECT_NE(wrong_with("right = \"right\"", "right = \"rear\"").find("found \"rear\""), std::string::npos);
  EXPECT_NE(wrong_with("track = \"180 mm\"", "track = \"0 mm\"").find("track"), std::string::npos);
  EXPECT_NE(wrong_with("[pair.cart]", "[pair.left]").find("a script could mean either"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::pair_test
