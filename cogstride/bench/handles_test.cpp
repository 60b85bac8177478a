// A motion of each kind of mechanism is taken back on its way; what was ordered after it goes on.
#include "cogstride/bench/handles.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::handles_test {
namespace {

using namespace literals;
using testing_support::cart_rig_path;
using testing_support::demo_rig;

/// Takes it back after a while; wait() comes to the stop's end, and the motion says what became of it.
void take_back(SimulatedBench& bench, Motion motion, Time after) {
  bench.serve(after);
  ASSERT_EQ(motion.status(), MotionStatus::running);
  motion.cancel();
  EXPECT_EQ(motion.result(), "");
  EXPECT_EQ(motion.status(), MotionStatus::cancelled);
  ASSERT_TRUE(motion.duration().has_value());
  EXPECT_GE(motion.duration()->in(units::s), after.in(units::s)-1e-3);
}

TEST(TakenBack, AStepperBrakesAndItsQueueGoesOn) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.mechanism("traverse");
  traverse.home().wait();
  take_back(bench, traverse.move({.to = 110_mm, .speed = 40_mm_per_s}), 1_s);
  EXPECT_GT(traverse.position()->base.to_double(), 0.030);
  EXPECT_LT(traverse.position()->base.to_double(), 0.060);
  traverse.move({.to = 10_mm}).wait();
  EXPECT_EQ(*traverse.position(), OutputPosition(10_mm));
}

TEST(TakenBack, AMotorByDutyGoesDownToNone) {
  SimulatedBench bench(demo_rig());
  auto feeder = bench.brushed("feeder");
  take_back(bench, feeder.spin({.duty = 0.3, .lasts = 20_s}), 0.5_s);
  bench.serve(2_s);
  EXPECT_EQ(feeder.duty(), 0.0);
  EXPECT_NEAR(bench.brushed_plant("feeder").speed(), 0.0, 1e-3);
  feeder.spin({.duty = 0.3, .lasts = 1_s}).wait();
}

TEST(TakenBack, AServoStandsBetweenItsEnds) {
  SimulatedBench bench(demo_rig());
  auto snips = bench.servo("snips");
  snips.swing({.to = 10_deg}).wait();
  take_back(bench, snips.swing({.to = 65_deg, .speed = 60_deg_per_s}), 0.5_s);
  bench.serve(0.5_s);
  ASSERT_TRUE(snips.position().has_value());
  EXPECT_GT(snips.position()->base.to_double(), 30.0 / 360.0);
  EXPECT_LT(snips.position()->base.to_double(), 60.0 / 360.0);
  snips.swing({.to = 10_deg}).wait();
}

TEST(TakenBack, AMotorBehindASpeedControllerStaysArmed) {
  SimulatedBench bench(demo_rig());
  auto fan = bench.speed_controller("fan");
  fan.arm().wait();
  take_back(bench, fan.throttle({.duty = 0.4, .lasts = 20_s}), 0.5_s);
  bench.serve(0.5_s);
  EXPECT_EQ(fan.throttle(), 0.0);
  EXPECT_TRUE(fan.is_armed());
}

TEST(TakenBack, ABareBrushlessMotorRunsDown) {
  SimulatedBench bench(only_with(demo_rig(), {"spindle"}));
  auto spindle = bench.brushless("spindle");
  take_back(bench, spindle.spin({.at = 900_rpm, .lasts = 20_s}), 1_s);
  bench.wait_for_all();
  EXPECT_EQ(spindle.duty(), 0.0);
  spindle.spin({.at = 600_rpm}).wait();
}

TEST(TakenBack, AWheeledPairStandsOnItsWay) {
  SimulatedBench bench(read_rig(cart_rig_path));
  auto cart = bench.pair("cart");
  take_back(bench, cart.drive({.way = {.by = 2_m}, .speed = 300_mm_per_s}), 1_s);
  bench.wait_for_all();
  const double stands = cart.thinks().x;
  EXPECT_GT(stands, 0.1);
  EXPECT_LT(stands, 0.6);
  cart.drive({.way = {.by = -100_mm}}).wait();
  EXPECT_NEAR(cart.thinks().x, stands - 0.1, 0.005);
}

TEST(TakenBack, WhatHasEndedIsNotTakenBack) {
  SimulatedBench bench(demo_rig());
  auto feeder = bench.brushed("feeder");
  Motion spin = feeder.spin({.duty = 0.3});
  spin.wait();
  spin.cancel();
  EXPECT_EQ(spin.status(), MotionStatus::done);
  bench.serve(0.1_s);
  EXPECT_NEAR(feeder.duty(), 0.3, 1e-9) << "it was asked to go on, and does";
}

}  // namespace
}  // namespace cogstride::handles_test
