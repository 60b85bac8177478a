// Axes that are geared to an encoder where the lines are: behind a link, whatever it delays.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/chip/follower.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/linked_rig.hpp"

namespace cogstride::linked_gear_test {
namespace {

using namespace literals;
using testing_support::linked_axis;

GearOrder by(OutputPosition way) {
  GearOrder order;
  order.to.first.leader = "wheel";
  order.to.first.by = way;
  return order;
}

/// Up, round and back to rest: 1 turn/s and half of it.
std::vector<OutsideEvent> turned() {
  return {{.at = 0.6_s, .what = "wheel", .speed = OutputSpeed(66_rpm), .in = 0.2_s},
          {.at = 1.8_s, .what = "wheel", .speed = OutputSpeed(-30_rpm), .in = 0.3_s},
          {.at = 3_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 0.2_s}};
}

TEST(LinkedGear, GoesAlongWithinStepsWhateverTheLineDelays) {
  for (const Time delay : {1_ms, 20_ms, 80_ms}) {
    SCOPED_TRACE(delay.in(units::ms));
    SimulatedBench bench(linked_axis("carriage", delay), {.events = turned()});
    auto carriage = bench.stepper("carriage");
    auto geared = bench.gear("carriage", by(1.4_mm));
    double worst = 0.0;
    chip::GearedPlace exact;
    exact.set_grain(125);
    std::int64_t counts = 0;
    for (int i = 0; i < 3600; ++i) {
      bench.serve(1_ms);
      const auto now = static_cast<std::int64_t>(std::floor(bench.signal("wheel.made") / 360.0 * 1000.0));
      (void)exact.go_on((now - counts) * 28);
      counts = now;
      const auto belongs = static_cast<double>(exact.position());
      worst = std::max(worst, std::abs(160.0 * bench.signal("carriage.made") - belongs));
    }
    EXPECT_LT(worst, 3.5);
    EXPECT_TRUE(geared.goes_along());
    geared.let_go();
    bench.wait_for_all();
    const auto steps = static_cast<std::int64_t>((carriage.position()->base * Ratio(160'000)).to_double());
    EXPECT_EQ(steps, exact.position());
    EXPECT_NEAR(160.0 * bench.signal("carriage.made"), static_cast<double>(steps), 1.0);
    // It is its own again.
    EXPECT_EQ(carriage.move({.to = 5_mm}).result(), "");
    EXPECT_NEAR(bench.signal("carriage.made"), 5.0, 0.01);
    EXPECT_EQ(bench.verdict().of("carriage").complaints, std::vector<std::string>{});
  }
}

TEST(LinkedGear, CatchesUpWithALeaderThatTurnsAlreadyAndGoesByAnotherRatio) {
  SimulatedBench bench(linked_axis("carriage", 20_ms),
                       {.events = {{.at = 0.1_s, .what = "wheel", .speed = OutputSpeed(120_rpm), .in = 0.2_s},
                                   {.at = 3_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 0.2_s}}});
  bench.serve(1_s);
  auto geared = bench.gear("carriage", by(1.4_mm));
  bench.serve(0.6_s);
  EXPECT_TRUE(geared.goes_along());
  EXPECT_LT(std::abs(geared.lag_in_steps()), 8.0);
  geared.change(by(0.7_mm).to);
  const double turns_before = bench.signal("wheel.made") / 360.0;
  const double before = bench.signal("carriage.made");
  bench.serve(3_s);
  const double turns = bench.signal("wheel.made") / 360.0 - turns_before;
  const double went = bench.signal("carriage.made") - before;
  EXPECT_GT(turns, 2.5);
  // From the count on that planning knew, some hundredths of a second ago.
  EXPECT_GT(went, 0.7 * turns - 0.7 * 2.0 * 0.06);
  EXPECT_LT(went, 0.7 * turns + 0.02);
  const Ratio stands = bench.stepper("carriage").position()->base;
  EXPECT_NEAR(160.0 * bench.signal("carriage.made"), (stands * Ratio(160'000)).to_double(), 1.0);
  geared.let_go();
  bench.wait_for_all();
  EXPECT_EQ(bench.verdict().of("carriage").complaints, std::vector<std::string>{});
}

TEST(LinkedGear, AnAxisOfCoilsGoesByItsRows) {
  SimulatedBench bench(linked_axis("ring", 20_ms),
                       {.events = {{.at = 0.6_s, .what = "wheel", .speed = OutputSpeed(66_rpm), .in = 1_s},
                                   {.at = 3_s, .what = "wheel", .speed = OutputSpeed(-40_rpm), .in = 2_s},
                                   {.at = 7_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 1_s}}});
  auto geared = bench.gear("ring", by(OutputPosition{OutputKind::rotary, Ratio(1, 64)}));
  double worst = 0.0;
  double farthest = 0.0;
  for (int i = 0; i < 8500; ++i) {
    bench.serve(1_ms);
    const double belongs = bench.signal("wheel.made") / 64.0;  // degrees
    worst = std::max(worst, std::abs(bench.signal("ring.made") - belongs));
    farthest = std::max(farthest, belongs);
  }
  EXPECT_GT(farthest, 10.0);
  EXPECT_LT(worst, 1.0);
  geared.let_go();
  bench.wait_for_all();
  EXPECT_NEAR(bench.signal("ring.made"), bench.signal("wheel.made") / 64.0, 0.3);
  EXPECT_EQ(bench.verdict().of("ring").complaints, std::vector<std::string>{});
}

TEST(LinkedGear, IsRefusedWhereItCannotBe) {
  SimulatedLines::Setup setup;
  setup.lead = 100;
  setup.lines = {{LineId{1}, "wheel.a", {}, LineSetup::Use::input, false, 0, SourceId{1}},
                 {LineId{2}, "wheel.b", {}, LineSetup::Use::input, false, 0, SourceId{2}},
                 {LineId{3}, "x.step", MechanismId{0}, LineSetup::Use::pulses, false, 10},
                 {LineId{4}, "y.step", MechanismId{1}, LineSetup::Use::pulses, false, 10},
                 {LineId{5}, "lamp", {}, LineSetup::Use::level}};
  setup.counters = {{counter_source(1), counter_edge_source(1), LineId{1}, LineId{2}}};
  setup.gears = {{MechanismId{0}, gear_source(MechanismId{0}), LineId{3}, {}, false},
                 {MechanismId{1}, gear_source(MechanismId{1}), LineId{4}, {}, false}};
  SimulatedLines lines(setup);
  CheckedLines front({setup.lines, {}, [](SourceId) { return true; }}, lines);
  chip::CountFollow what;
  what.steps = 1;
  what.limits = {1000, 100, 10'000};
  EXPECT_THROW(front.gear(99, LineId{3}, LineId{1}, what), RangeError) << "too early";
  EXPECT_THROW(front.gear(200, LineId{5}, LineId{1}, what), RangeError) << "no line of steps";
  EXPECT_THROW(front.gear(200, LineId{3}, LineId{5}, what), RangeError) << "no encoder";
  EXPECT_THROW(front.let_go(200, LineId{3}), RangeError) << "it is not geared";
  chip::CountFollow several = what;
  several.steps = 2;
  EXPECT_THROW(front.gear(200, LineId{3}, LineId{1}, several), RangeError) << "more than a step a count";
  EXPECT_TRUE(front.gear(200, LineId{3}, LineId{1}, what));
  EXPECT_FALSE(front.gear(200, LineId{4}, LineId{1}, what)) << "its encoder leads another axis";
  chip::PulseRun run{};
  run.gap = 1000ULL << 16;
  run.steps = 3;
  EXPECT_THROW(front.put(FineTick{5000, 0}, LineId{3}, {&run, 1}, {}), RangeError) << "it is geared";
  front.let_go(1000, LineId{3});
  std::vector<Reading> readings;
  while (front.wait_until(200'000, readings) < 200'000) continue;
  ASSERT_FALSE(readings.empty());
  EXPECT_EQ(readings.back().source, gear_source(MechanismId{0}));
  EXPECT_EQ(readings.back().raw, 1) << "on step 0, and it stands";
  front.put(FineTick{300'000, 0}, LineId{3}, {&run, 1}, {});
  EXPECT_TRUE(front.gear(300'000, LineId{4}, LineId{1}, what)) << "the encoder is free again";
}

}  // namespace
}  // namespace cogstride::linked_gear_test
