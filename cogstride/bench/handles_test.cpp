// What handles and motions promise: taken back, waited for, ended by a fault with its code, closed, gone.
#include "cogstride/bench/handles.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <memory>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::handles_test {
namespace {

using namespace literals;
using testing_support::cart_rig_path;
using testing_support::demo_rig;

// What an order cannot do without has to be said: the compiler refuses it else, and nothing is ambiguous.
template <class Handle>
concept spins_without_saying_how = requires(Handle handle) {
  handle.spin({.lasts = ExactTime()});
};
template <class Handle>
concept spins_at_a_speed = requires(Handle handle) {
  handle.spin({.at = OutputSpeed(), .lasts = ExactTime()});
};
template <class Handle>
concept spins_with_a_duty = requires(Handle handle) {
  handle.spin({.duty = Fraction(), .lasts = ExactTime()});
};
static_assert(!spins_without_saying_how<BrushedHandle> && !spins_without_saying_how<StepperHandle> &&
              !spins_without_saying_how<BrushlessHandle>);
static_assert(spins_at_a_speed<BrushedHandle> && spins_at_a_speed<StepperHandle>);
static_assert(spins_with_a_duty<BrushedHandle> && !spins_with_a_duty<StepperHandle>);

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
  auto traverse = bench.stepper("traverse");
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
  take_back(bench, feeder.spin({.duty = 30_percent, .lasts = 20_s}), 0.5_s);
  bench.serve(2_s);
  EXPECT_EQ(feeder.duty().base(), 0.0);
  EXPECT_NEAR(bench.brushed_plant("feeder").speed(), 0.0, 1e-3);
  feeder.spin({.duty = 30_percent, .lasts = 1_s}).wait();
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
  take_back(bench, fan.throttle({.duty = 40_percent, .lasts = 20_s}), 0.5_s);
  bench.serve(0.5_s);
  EXPECT_EQ(fan.throttle().base(), 0.0);
  EXPECT_TRUE(fan.is_armed());
}

TEST(TakenBack, ABareBrushlessMotorRunsDown) {
  SimulatedBench bench(only_with(demo_rig(), {"spindle"}));
  auto spindle = bench.brushless("spindle");
  take_back(bench, spindle.spin({.at = 900_rpm, .lasts = 20_s}), 1_s);
  bench.wait_for_all();
  EXPECT_EQ(spindle.duty().base(), 0.0);
  spindle.spin({.at = 600_rpm}).wait();
}

TEST(TakenBack, AWheeledPairStandsOnItsWay) {
  SimulatedBench bench(read_rig(cart_rig_path));
  auto cart = bench.cart("cart");
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
  Motion spin = feeder.spin({.duty = 30_percent});
  spin.wait();
  spin.cancel();
  EXPECT_EQ(spin.status(), MotionStatus::done);
  bench.serve(0.1_s);
  EXPECT_NEAR(feeder.duty().base(), 0.3, 1e-9) << "it was asked to go on, and does";
}

/// Whether a handle can be had of a bench that nothing holds.
template <class B>
concept GivesAHandleAndIsGone = requires {
  B(demo_rig()).stepper("traverse");
}
|| requires {
  B(demo_rig()).brushed("feeder");
}
|| requires {
  B(demo_rig()).mechanism("feeder");
};
static_assert(!GivesAHandleAndIsGone<SimulatedBench>);
static_assert(requires(SimulatedBench & bench) { bench.stepper("traverse"); });

TEST(Handles, OfABenchThatIsGoneSaySo) {
  auto bench = std::make_unique<SimulatedBench>(demo_rig());
  auto traverse = bench->stepper("traverse");
  auto feeder = bench->brushed("feeder");
  auto any = bench->mechanism("fan");
  Motion home = traverse.home();
  Motion spin = feeder.spin({.duty = 30_percent});
  spin.wait();
  bench->close();
  bench.reset();
  EXPECT_THROW((void)traverse.position(), RangeError);
  EXPECT_THROW((void)traverse.home(), RangeError);
  EXPECT_THROW((void)feeder.duty().base(), RangeError);
  EXPECT_THROW((void)any.has_ended(), RangeError);
  EXPECT_EQ(spin.wait(), MotionStatus::done) << "what was told of a motion stays";
  EXPECT_EQ(home.code(), FaultCode::closed);
  EXPECT_TRUE(home.duration().has_value() || home.status() == MotionStatus::faulted);
}

TEST(Handles, OfAClosedBenchTakeNoOrdersAndSayWhatWas) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.stepper("traverse");
  auto fan = bench.speed_controller("fan");
  traverse.home().wait();
  Motion move = traverse.move({.to = 100_mm});
  Motion queued = traverse.move({.to = 0_mm});
  bench.serve(1_s);
  bench.close();
  EXPECT_EQ(move.status(), MotionStatus::faulted);
  EXPECT_EQ(move.code(), FaultCode::closed);
  EXPECT_TRUE(queued.has_ended());
  EXPECT_THROW((void)traverse.move({.to = 0_mm}), RangeError);
  EXPECT_THROW((void)traverse.home(), RangeError);
  EXPECT_THROW(traverse.stop(), RangeError);
  EXPECT_THROW((void)fan.arm(), RangeError);
  EXPECT_THROW(bench.serve(1_s), RangeError);
  EXPECT_THROW(bench.wait_for_all(), RangeError);
  EXPECT_THROW(move.wait(), MotionFault);
  EXPECT_FALSE(traverse.position().has_value()) << "it was cut on its way";
}

TEST(Motion, WaitTellsDoneFromCancelledAndFaulted) {
  SimulatedBench bench(demo_rig(), {.events = {{.at = 20_s, .what = "halt"}}});
  auto traverse = bench.stepper("traverse");
  EXPECT_EQ(traverse.home().wait(), MotionStatus::done);
  Motion taken_back = traverse.move({.to = 100_mm});
  bench.serve(0.5_s);
  taken_back.cancel();
  EXPECT_EQ(taken_back.wait(), MotionStatus::cancelled);
  auto creel = bench.stepper("creel");
  creel.home().wait();
  Motion endless = creel.spin({.at = OutputSpeed(ExactAngularSpeed(20, units::deg_per_s))});
  EXPECT_EQ(endless.wait_for(0.5_s), MotionStatus::running) << "it has no end";
  try {
    endless.wait();
    FAIL() << "somebody pressed the emergency stop";
  } catch (const MotionFault& fault) {
    EXPECT_EQ(fault.code(), FaultCode::emergency_stop) << fault.what();
    EXPECT_NE(std::string(fault.what()).find("halt"), std::string::npos);
  }
}

TEST(Motion, AFaultHasTheCodeOfItsReason) {
  struct Case {
    OutsideEvent event;
    FaultCode code;
  };
  for (const Case& what : {Case{{.at = 6_s, .what = "halt"}, FaultCode::emergency_stop},
                           Case{{.at = 6_s, .what = "traverse.far"}, FaultCode::limit_switch},
                           Case{{.at = 6_s, .what = "main", .on = false}, FaultCode::supply_lost}}) {
    SimulatedBench bench(demo_rig(), {.start_positions = {{"traverse", 3_mm}}, .events = {what.event}});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    Motion lay = traverse.move({.to = 110_mm, .speed = 10_mm_per_s});
    EXPECT_NE(lay.result(), "");
    EXPECT_EQ(lay.code(), what.code) << what.event.what;
    Motion refused = traverse.home();
    (void)refused.result();
    if (what.code != FaultCode::limit_switch) {
      EXPECT_EQ(refused.code(), FaultCode::refused) << what.event.what;
    }
  }
  SimulatedBench bench(demo_rig(), {.events = {{.at = 1_s, .what = "feeder.jam"}}});
  Motion turn = bench.brushed("feeder").spin(SpeedOrder{.at = OutputSpeed(300_rpm), .lasts = 5_s});
  Motion other = bench.brushless("spindle").spin({.at = 900_rpm, .lasts = 20_s});
  EXPECT_NE(turn.result(), "");
  EXPECT_EQ(turn.code(), FaultCode::failed);
  EXPECT_EQ(other.code(), FaultCode::other_failed);
  Motion stopped = bench.servo("snips").swing({.to = 10_deg});
  bench.stop(StopBy::cut, "enough");
  EXPECT_EQ(stopped.code(), FaultCode::stopped);
}

TEST(Handles, OfWhateverKindSayAndStopWhatIsOn) {
  SimulatedBench bench(demo_rig());
  bench.speed_controller("fan").arm().wait();
  bench.stepper("creel").home().wait();
  bench.stepper("creel").spin({.at = OutputSpeed(ExactAngularSpeed(20, units::deg_per_s))});
  bench.brushed("feeder").spin({.duty = 30_percent}).wait();
  bench.brushless("spindle").spin({.at = 900_rpm}).wait();
  bench.speed_controller("fan").throttle({.duty = 30_percent}).wait();
  for (const char* const name : {"creel", "feeder", "spindle", "fan"}) {
    auto any = bench.mechanism(name);
    EXPECT_EQ(any.name(), name);
    ASSERT_NE(any.parts(), nullptr);
    EXPECT_EQ(any.obstacle(), "");
    EXPECT_TRUE(any.is_driven()) << name;
    EXPECT_EQ(any.has_ended(), std::string(name) != "creel") << "a steady spin has ended as an order";
    any.stop();
    EXPECT_TRUE(any.has_ended()) << name;
    EXPECT_FALSE(any.is_driven()) << name;
  }
  EXPECT_THROW((void)bench.mechanism("wagon"), RangeError);
  SimulatedBench floor(read_rig(cart_rig_path));
  EXPECT_EQ(floor.mechanism("cart").parts(), nullptr);
  floor.cart("cart").drive({.way = {.by = 2_m}});
  EXPECT_FALSE(floor.mechanism("cart").has_ended());
  floor.mechanism("cart").stop();
  EXPECT_TRUE(floor.mechanism("cart").has_ended());
}

}  // namespace
}  // namespace cogstride::handles_test
