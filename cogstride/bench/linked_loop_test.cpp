// Speeds held and places kept by a loop that stands where the lines are: behind a link, whatever it delays.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"
#include "support/linked_rig.hpp"

namespace cogstride::linked_loop_test {
namespace {

using namespace literals;

/// The bench's feeder, by a small chip behind a line that delays so much.
Rig linked_feeder(Time delay) {
  Rig rig = only_with(testing_support::demo_rig(), {"feeder"});
  rig.whole.reset();
  const Rig lace = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  rig.controller = lace.controller;
  rig.controller.small_chip->serial_baud = 250'000;
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.link->delay = delay;
  rig.hands.clear();
  rig.bindings.clear();
  rig.outputs.clear();
  rig.supplies = lace.supplies;
  testing_support::slow_down_fast_timer(rig);
  Mechanism& feeder = rig.mechanisms[0];
  testing_support::put_on_chip(feeder);
  std::erase_if(feeder.sensors,
                [](const Sensor& sensor) { return !std::holds_alternative<Encoder>(sensor); });
  testing_support::put_on_chip(std::get<Encoder>(feeder.sensors[0]));
  return rig;
}

OutputSpeed rpm(std::int64_t value) {
  return {OutputKind::rotary, Ratio(value, 60)};
}
double real_rpm(SimulatedBench& bench) {
  return 60.0 * bench.brushed_plant("feeder").speed();
}
double mean_rpm(SimulatedBench& bench, Time span) {
  const double before = bench.brushed_plant("feeder").position();
  bench.serve(span);
  return 60.0 * (bench.brushed_plant("feeder").position() - before) / span.in(units::s);
}

TEST(LinkedLoop, HoldsASpeedExactlyWhateverTheLineDelays) {
  for (const Time delay : {1_ms, 20_ms, 80_ms})
    for (const std::int64_t speed : {60, 150, 300, 450, -300}) {
      SCOPED_TRACE(std::to_string(speed) + " rpm, " + std::to_string(delay.in(units::ms)) + " ms");
      SimulatedBench bench(linked_feeder(delay));
      auto feeder = bench.brushed("feeder");
      ASSERT_EQ(feeder.spin(SpeedOrder{.at = rpm(speed)}).result(), "");
      bench.serve(0.5_s);
      EXPECT_NEAR(mean_rpm(bench, 2_s), static_cast<double>(speed), 0.1);
      double worst = 0.0;
      for (int i = 0; i < 100; ++i) {
        bench.serve(5_ms);
        worst = std::max(worst, std::abs(real_rpm(bench) - static_cast<double>(speed)));
      }
      EXPECT_LT(worst, 0.03 * std::abs(static_cast<double>(speed)) + 2.0);
      feeder.stop();
      bench.wait_for_all();
      bench.serve(0.3_s);
      EXPECT_NEAR(real_rpm(bench), 0.0, 0.5);
    }
}

TEST(LinkedLoop, GoesToPlacesAndStaysThere) {
  SimulatedBench bench(linked_feeder(20_ms));
  auto feeder = bench.brushed("feeder");
  const double a_count = 360.0 / (12 * 4 * 19.0 / 4.0);  // degrees of the output
  double commanded = 0.0;
  for (const std::int64_t degrees : {90, 720, 3, -45, 1, 360}) {
    ASSERT_EQ(feeder.move({.by = OutputPosition{OutputKind::rotary, Ratio(degrees, 360)}}).result(), "")
        << degrees;
    commanded += static_cast<double>(degrees);
    bench.serve(0.3_s);
    EXPECT_NEAR(360.0 * bench.brushed_plant("feeder").position(), commanded, 2.5 * a_count) << degrees;
    EXPECT_NEAR(real_rpm(bench), 0.0, 0.1) << degrees;
  }
  feeder.stop().wait();
  EXPECT_EQ(feeder.duty().base(), 0.0);
}

TEST(LinkedLoop, FollowsAnEncoderAndIsLetGo) {
  Rig rig = linked_feeder(20_ms);
  rig.controller.counters = QuadratureCounters{2, ExactFrequency(50, units::kHz)};
  rig.shafts = {testing_support::wheel_at_c(2)};
  SimulatedBench bench(rig,
                       {.events = {{.at = 0.4_s, .what = "wheel", .speed = OutputSpeed(120_rpm), .in = 1_s},
                                   {.at = 3_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 1_s}}});
  GearOrder order;
  order.to.first.leader = "wheel";
  order.to.first.by = OutputPosition{OutputKind::rotary, Ratio(2)};
  auto geared = bench.gear("feeder", order);
  double worst = 0.0;
  for (int i = 0; i < 5000; ++i) {
    bench.serve(1_ms);
    const double off = bench.signal("feeder.made") - 2.0 * bench.signal("wheel.made");
    worst = std::max(worst, std::abs(off));
  }
  const double a_count = 360.0 / (12 * 4 * 19.0 / 4.0);
  EXPECT_LT(worst, 40.0) << "degrees, where it changes its speed";
  EXPECT_NEAR(bench.signal("feeder.made"), 2.0 * bench.signal("wheel.made"), 2.5 * a_count);
  EXPECT_TRUE(geared.goes_along());
  geared.let_go();
  bench.wait_for_all();
  EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0);
  EXPECT_EQ(bench.verdict().of("feeder").complaints, std::vector<std::string>{});
}

TEST(LinkedLoop, IsRefusedWhereNobodyClosesOne) {
  SimulatedLines::Setup setup;
  setup.lead = 100;
  SimulatedLines lines(setup);
  CheckedLines checked({}, lines);
  chip::LoopWanted wanted;
  wanted.gains.per_place = 1;
  wanted.flags = 0;
  EXPECT_THROW(checked.hold(200, MechanismId{0}, wanted), RangeError);
  EXPECT_THROW(lines.hold(200, MechanismId{0}, wanted), RangeError);
  SimulatedLines::Setup with;
  with.lead = 100;
  with.lines = {{LineId{1}, "wheel.a", {}, LineSetup::Use::input, false, 0, SourceId{1}},
                {LineId{2}, "wheel.b", {}, LineSetup::Use::input, false, 0, SourceId{2}},
                {LineId{3}, "wheel.input_a", {}, LineSetup::Use::pwm}};
  with.pwm = {{2048, PwmAlignment::edge, 0, {{LineId{3}, {}}}}};
  with.counters = {{counter_source(1), counter_edge_source(1), LineId{1}, LineId{2}}};
  LoopSetup loop{MechanismId{0}, loop_source(MechanismId{0}), LineId{1}, {}, {}};
  loop.loop.period = 32'000;
  loop.outputs = {{LineId{3}, 2048, 8, LoopSetup::Gives::duty, LoopSetup::Gives::low, LoopSetup::Gives::low}};
  with.loops = {loop};
  CheckedLines::Setup checks{with.lines, with.pwm, [](SourceId) { return true; }};
  checks.loops = with.loops;
  SimulatedLines closes(with);
  CheckedLines front(checks, closes);
  EXPECT_THROW(front.hold(99, MechanismId{0}, wanted), RangeError) << "too early";
  EXPECT_THROW(front.hold(200, MechanismId{1}, wanted), RangeError) << "of another";
  chip::LoopWanted without = wanted;
  without.gains.per_place = 0;
  EXPECT_THROW(front.hold(200, MechanismId{0}, without), RangeError) << "it would divide by its gain";
  // Duties come at its period, rounded to what the timer makes.
  std::vector<std::pair<Tick, bool>> edges;
  closes.on_edge([&](Tick at, LineId, bool high) { edges.emplace_back(at, high); });
  wanted.base = 8200;
  front.hold(200, MechanismId{0}, wanted);
  front.sample(loop_source(MechanismId{0}), 3000, 0);
  std::vector<Reading> readings;
  while (front.wait_until(20'000, readings) < 20'000) continue;
  ASSERT_GE(edges.size(), 4U);
  EXPECT_EQ(edges[0], (std::pair<Tick, bool>{2048, true}));
  EXPECT_EQ(edges[1], (std::pair<Tick, bool>{2048 + 512, false})) << "a quarter, by 8 ticks";
  ASSERT_EQ(readings.size(), 1U);
  EXPECT_EQ(LoopTold::of(readings[0].raw).duty, 8200);
  const LoopTold back = LoopTold::of(LoopTold{-3, -70'000}.raw());
  EXPECT_EQ(back.duty, -3);
  EXPECT_EQ(back.yielded, -70'000);
  // At most so many stretches ahead.
  for (int i = 1; i <= LoopPlayer::room; ++i) front.hold(100'000 * i, MechanismId{0}, wanted);
  EXPECT_THROW(front.hold(1'000'000, MechanismId{0}, wanted), RangeError);
  closes.cut();
  edges.clear();
  readings.clear();
  while (front.wait_until(500'000, readings) < 500'000) continue;
  EXPECT_TRUE(edges.empty()) << "all of it has ended";
}

TEST(LinkedLoop, NoticesWhatHoldsIt) {
  for (const char* what : {"feeder.jam", "feeder.disc", "feeder.winding"}) {
    SimulatedBench::Options options;
    options.events = {{2_s, what, std::string(what) == "feeder.jam"}};
    SimulatedBench bench(linked_feeder(20_ms), options);
    std::string told;
    double told_at = 0.0;
    bench.on_fault([&](const std::string& why) {
      if (told.empty()) told_at = bench.now().in(units::s);
      told += why;
    });
    bench.brushed("feeder").spin(SpeedOrder{.at = rpm(300)});
    bench.serve(5_s);
    EXPECT_NE(told.find("has not counted for 0.2 s"), std::string::npos) << what << ": " << told;
    EXPECT_NEAR(told_at, 2.4, 0.4) << what;
    EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0) << what;
    EXPECT_LT(std::abs(real_rpm(bench)), 1.0) << what;
  }
}

}  // namespace
}  // namespace cogstride::linked_loop_test
