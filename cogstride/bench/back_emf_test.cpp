// The demo spindle without Hall sensors, by the voltages of its terminals, on the simulated bench.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/plan/back_emf_sense.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"
#include "support/fault_watch.hpp"
#include "support/gate_watch.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::back_emf_test {
namespace {

using namespace literals;
using testing_support::FaultWatch;
using testing_support::GateWatch;
using testing_support::with_inertia_times;

/// The spindle with dividers at its terminals instead of Hall sensors.
Rig divided_rig() {
  Rig rig = only_with(testing_support::demo_rig(), {"spindle"});
  rig.controller.analogue->channels = 6;
  std::vector<Sensor>& sensors = rig.mechanisms[0].sensors;
  std::erase_if(sensors, [](const Sensor& sensor) {
    return std::holds_alternative<HallSet>(sensor) || std::holds_alternative<Encoder>(sensor);
  });
  sensors.emplace_back(TerminalVoltages{
      "terminals", {3, 4, 5}, Resistance(10'000.0, units::ohm), Resistance(1'000.0, units::ohm)});
  return rig;
}

std::string start_fault(const SimulatedBench& bench) {
  return ": " + bench.verdict().fault;
}

double rpm_of(SimulatedBench& bench) {
  return 60.0 * bench.brushless_plant("spindle").speed();
}

TEST(BackEmf, IsToldFromTheSpeedOfTheClosedForm) {
  const Rig rig = divided_rig();
  const Mechanism& spindle = rig.mechanisms[0];
  const BackEmfSense sense = back_emf_sense(spindle, *sensor_of<TerminalVoltages>(spindle), rig.controller);
  // 1 V of a phase at 0.06 / sqrt 3 V s/rad; a row is a 42nd of a turn.
  EXPECT_NEAR(sense.hand_over_rate, 1.0 / (0.06 / std::sqrt(3.0)) / (2.0 * pi) * 42.0, 0.01);
  EXPECT_NEAR(sense.volts_per_code, 11.0 * 3.3 / 4095.0, 1e-9);
  const SixStepLimits limits = six_step_limits(spindle, rig.controller);
  EXPECT_TRUE(limits.is_held(42.0 * 5.0));
  EXPECT_FALSE(limits.is_held(42.0 * 4.0));
  EXPECT_NO_THROW(limits.require(OutputSpeed(1500_rpm)));
  EXPECT_NO_THROW(limits.require(OutputSpeed(100_rpm)));
  EXPECT_THROW(limits.require(OutputSpeed(1900_rpm)), RangeError);
}

TEST(BackEmf, StartsFromEveryAngleWithHalfAndTwiceTheInertiaAndIsCaught) {
  int first = 0;
  for (const double inertia : {0.5, 1.0, 2.0}) {
    for (int place = first++ % testing_support::one_in(5); place < 12; place += testing_support::one_in(5)) {
      const Rig actual = with_inertia_times(inertia, divided_rig());
      const int way = place % 2 == 0 ? 1 : -1;
      SimulatedBench bench(
          divided_rig(),
          {.start_positions = {{"spindle", OutputPosition(OutputKind::rotary, Ratio(place, 84))}},
           .actual = actual});
      auto spindle = bench.brushless("spindle");
      const Motion start = spindle.spin({.at = OutputSpeed(ExactAngularSpeed(900 * way, units::rpm))});
      bench.serve(3.5_s);
      EXPECT_EQ(start.status(), MotionStatus::done) << inertia << " " << place << start_fault(bench);
      bench.serve(0.3_s);
      EXPECT_NEAR(rpm_of(bench), 900.0 * way, 18.0) << inertia << " " << place;
    }
  }
}

TEST(BackEmf, KeepsItsSpeedThroughALoadStepAndItsCurrentWithinItsLimit) {
  GateWatch watch(divided_rig().mechanisms[0]);
  SimulatedBench bench(
      divided_rig(),
      {.events = {{.at = 5_s, .what = "spindle.load", .torque = Torque(0.1, units::Nm)}}, .trace = &watch});
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  EXPECT_LT(bench.brushless_plant("spindle").sustained_current(), 4.4);
  bench.serve(Time(5.0, units::s) - bench.now());
  double least = 900.0;
  for (int i = 0; i < 150; ++i) {
    bench.serve(1_ms);
    least = std::min(least, rpm_of(bench));
  }
  EXPECT_GT(least, 0.95 * 900.0);
  for (int i = 0; i < 100; ++i) {
    bench.serve(1_ms);
    EXPECT_NEAR(rpm_of(bench), 900.0, 18.0) << i;
  }
  spindle.spin({.at = 1500_rpm}).wait();
  bench.serve(1_s);
  EXPECT_NEAR(rpm_of(bench), 1500.0, 30.0);
  (void)spindle.stop();
  bench.serve(0.3_s);
  EXPECT_EQ(spindle.duty().base(), 0.0);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_FALSE(watch.both);
  EXPECT_GE(watch.shortest_gap, 39);
}

TEST(BackEmf, CatchesAMotorThatTurnsAlready) {
  SimulatedBench bench(divided_rig());
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 1200_rpm}).wait();
  (void)spindle.stop();
  bench.serve(0.3_s);
  const double turns_at = rpm_of(bench);
  ASSERT_GT(turns_at, 500.0);
  const Motion again = spindle.spin({.at = 900_rpm});
  double least = turns_at;
  while (again.status() == MotionStatus::running) {
    bench.serve(1_ms);
    least = std::min(least, rpm_of(bench));
  }
  EXPECT_EQ(again.status(), MotionStatus::done) << start_fault(bench);
  EXPECT_GT(least, 0.8 * std::min(turns_at, 900.0)) << "it is not brought to rest for it";
}

TEST(BackEmf, AJamIsNoticedWithinATenthOfASecondAtAnyStage) {
  // Aligned and stepped open loop, just before it is let go, and held at its speed.
  for (const int at_ms : {500, 1200, 1800, 3000, 4000}) {
    const double at = 1e-3 * at_ms;
    GateWatch watch(divided_rig().mechanisms[0]);
    SimulatedBench bench(
        divided_rig(),
        {.events = {{.at = ExactTime(at_ms, units::ms), .what = "spindle.jam"}}, .trace = &watch});
    const FaultWatch fault(bench);
    auto spindle = bench.brushless("spindle");
    const Motion spin = spindle.spin({.at = 900_rpm});
    bench.serve(Time(at, units::s) - bench.now());
    const double before = rpm_of(bench);
    bench.serve(3_s);
    EXPECT_EQ(spin.status() == MotionStatus::faulted || !fault.what.empty(), true) << at;
    // Where its back-EMF can be told at all.
    if (before > 150.0) {
      EXPECT_LT(fault.at - at, 0.1) << at << " at " << before << ": " << fault.what;
    }
    EXPECT_NE(fault.what.find("back-EMF"), std::string::npos) << fault.what;
    EXPECT_EQ(spindle.duty().base(), 0.0);
    const std::int64_t edges = watch.edges;
    bench.serve(0.1_s);
    EXPECT_EQ(watch.edges, edges) << "all gates stay off";
    EXPECT_FALSE(watch.both);
  }
}

TEST(BackEmf, AJamIsNoticedThoughARotorIsSalient) {
  // What the windings of a salient rotor induce in the free phase is several times the back-EMF here.
  testing_support::Sampled sampled(4);
  for (const std::int64_t percent : {0, 8, 20}) {
    Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/skein.rig.toml");
    auto& motor = std::get<BrushlessMotor>(rig.mechanisms[0].motor);
    motor.saliency = ExactFraction(percent, units::percent);
    const bool is_sine = percent == 20;
    if (is_sine) motor.back_emf = BrushlessMotor::BackEmf::sine;
    for (const int at_ms : {2420, 2510, 2600, 2690, 2780}) {
      if (!sampled.next()) continue;
      SimulatedBench bench(rig, {.events = {{.at = ExactTime(at_ms, units::ms), .what = "reel.jam"}}});
      const FaultWatch fault(bench);
      (void)bench.brushless("reel").spin({.at = 300_rpm});
      bench.serve(3.2_s);
      EXPECT_LT(fault.at - 1e-3 * at_ms, 0.1) << percent << " " << at_ms << ": " << fault.what;
      EXPECT_NE(fault.what.find("its back-EMF"), std::string::npos) << fault.what;
    }
  }
}

TEST(BackEmf, ASalientRotorThatTurnsIsNotTakenForAJammedOne) {
  testing_support::Sampled sampled(5);
  for (const std::int64_t percent : {20, 35}) {
    Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/skein.rig.toml");
    std::get<BrushlessMotor>(rig.mechanisms[0].motor).saliency = ExactFraction(percent, units::percent);
    for (int place = 0; place < 6; ++place) {
      if (!sampled.next()) continue;
      SimulatedBench bench(
          rig, {.start_positions = {{"reel", OutputPosition(OutputKind::rotary, Ratio(place, 72))}}});
      const Motion start =
          bench.brushless("reel").spin({.at = OutputSpeed(ExactAngularSpeed(300, units::rpm))});
      bench.serve(4.5_s);
      EXPECT_EQ(start.status(), MotionStatus::done) << percent << " " << place << start_fault(bench);
    }
  }
}

TEST(BackEmf, WhatItCannotDoIsRefused) {
  SimulatedBench bench(divided_rig());
  auto spindle = bench.brushless("spindle");
  EXPECT_THROW(spindle.spin({.at = 1900_rpm}), RangeError);
  spindle.spin({.at = 900_rpm}).wait();
  EXPECT_THROW(spindle.reverse(), RangeError);
  EXPECT_THROW(spindle.spin({.at = -900_rpm}), RangeError);
  EXPECT_THROW(spindle.spin({.at = 100_rpm}), RangeError) << "that is stepped open loop, from rest alone";
  EXPECT_NO_THROW(spindle.slower(OutputSpeed(300_rpm)));
  Rig dumb = divided_rig();
  dumb.controller.analogue.reset();
  EXPECT_THROW(SimulatedBench{dumb}, RangeError);
}

}  // namespace
}  // namespace cogstride::back_emf_test
