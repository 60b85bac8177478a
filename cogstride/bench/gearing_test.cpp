// Followers on the simulated bench: true physics on both sides of the gear.
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"
#include "support/trials.hpp"

namespace cogstride::gearing_bench_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::demo_rig_without_gate;
using testing_support::has;

constexpr double steps_per_mm = 800.0 / 3.0;

Following behind(const std::string& leader, OutputPosition by, std::optional<OutputPosition> may_fall = {}) {
  Following to;
  to.first.leader = leader;
  to.first.by = by;
  to.may_fall_behind = may_fall;
  return to;
}

Shaft master(OutputSpeed top) {
  Shaft pace;
  pace.name = "pace";
  pace.speed = top;
  pace.acceleration = OutputAcceleration{top.kind, Ratio(20)};
  return pace;
}

Shaft wheel() {
  Shaft wheel;
  wheel.name = "wheel";
  wheel.speed = OutputSpeed{OutputKind::rotary, Ratio(30)};
  wheel.encoder = Encoder{.name = "encoder", .line_a = 40, .line_b = 41, .lines_per_turn = 500};
  return wheel;
}

/// The traverse alone, at 0 from the start, with shafts to follow.
Rig with_shafts() {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse"});
  rig.mechanisms[0].follows.reset();
  rig.shafts = {master(OutputSpeed{OutputKind::rotary, Ratio(30)}), wheel()};
  return rig;
}

/// Of the traverse, from where 1.4 mm a turn of its leader lead by whole numbers.
double steps_off(SimulatedBench& bench, const FollowerHandle& follower) {
  const Ratio belongs = follower.phase() * Ratio(1120, 3);
  const Ratio stands = bench.stepper("traverse").position()->base * Ratio(800'000, 3);
  return std::abs((stands - belongs).to_double());
}

/// Where a triangle between two ends is after so much way.
double folded(double way, double from, double length) {
  const double layers = std::floor(way / length);
  const double into = way - layers * length;
  return static_cast<std::int64_t>(layers) % 2 == 0 ? from + into : from + length - into;
}

TEST(GearedBench, LaysYarnBehindASpindleWithAPitchErrorBelowAStep) {
  SimulatedBench bench{demo_rig()};
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  traverse.move({.to = 12_mm}).wait();
  GearOrder order{.to = behind("spindle", 1.4_mm, 0.1_mm)};
  order.lay = LayOrder{.from = 12_mm, .to = testing_support::trials(40, 92) * 1_mm};
  const double length = order.lay->to.base.to_double() * 1e3 - 12.0;
  auto lay = bench.gear("traverse", order);
  const double began = bench.signal("spindle.made") / 360.0;
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm, .acceleration = OutputAcceleration{OutputKind::rotary, Ratio(6)}});
  double worst = 0.0;
  const double half = 900.0 / 60.0 * 0.1 * 1.4;  // mm: longer than the half of a turn-round
  for (int i = 0; i < testing_support::trials(5'000, 28'000); ++i) {
    bench.serve(1_ms);
    if (i < 200) continue;  // a six-step motor starts roughly
    const double way = 1.4 * (bench.signal("spindle.made") / 360.0 - began);
    const double into = std::fmod(way, length);
    if (way < 0.0 || into < half || into > length - half) continue;
    const double asked = bench.signal("traverse.asked");
    worst = std::max(worst, std::abs(asked - folded(way, 12.0, length)) * steps_per_mm);
  }
  EXPECT_LT(worst, 2.0) << "a step, and the one that it stands on";
  EXPECT_TRUE(lay.goes_along());
  EXPECT_LE(std::abs(lay.lag_in_steps()), 1.0);
  EXPECT_EQ(lay.ratio(), Ratio(14, 75));
  spindle.stop().wait();
  lay.let_go();
  EXPECT_EQ(bench.verdict().of("traverse").complaints, std::vector<std::string>{});
}

TEST(GearedBench, AFeederTakesWhatABobbinTakes) {
  SimulatedBench bench{demo_rig()};
  auto feeder = bench.gear("feeder", {.to = behind("spindle", 72_deg, 40_deg)});
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 600_rpm, .acceleration = OutputAcceleration{OutputKind::rotary, Ratio(6)}});
  bench.serve(3_s);
  for (int i = 0; i < 200; ++i) {
    bench.serve(1_ms);
    const double off = bench.signal("feeder.made") - bench.signal("spindle.made") / 5.0;
    ASSERT_LE(std::abs(off), 2.0 * 360.0 / 228.0) << "a count, and the one that it stands in";
  }
  feeder.change(behind("spindle", 36_deg));
  const double fed = bench.signal("feeder.made");
  const double spun = bench.signal("spindle.made");
  bench.serve(1_s);
  EXPECT_NEAR(bench.signal("feeder.made") - fed, (bench.signal("spindle.made") - spun) / 10.0, 4.0);
  spindle.stop();
  bench.serve(1_s);
  feeder.let_go();
  EXPECT_FALSE(bench.mechanism("feeder").is_driven());
}

TEST(GearedBench, AMasterSpeedAndAWheelAreAddedUpExactly) {
  SimulatedBench bench{
      with_shafts(),
      {.events = {{.at = 0.3_s, .what = "wheel", .speed = OutputSpeed(60_rpm), .in = 0.2_s},
                  {.at = 1.5_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 0.1_s}}}};
  Following to = behind("pace", 1.4_mm, 5_mm);
  to.also = Leading{.leader = "wheel", .by = OutputPosition(0.5_mm)};
  auto both = bench.gear("traverse", {.to = to});
  bench.shaft("pace").spin({.at = 300_rpm, .by = OutputPosition(7_turn)}).wait();
  bench.serve(1_s);
  const auto counts = static_cast<std::int64_t>(std::floor(bench.signal("wheel.made") / 360.0 * 2000.0));
  const Ratio belongs =
      (Ratio(7) * Ratio(14, 10'000) + Ratio(counts, 2000) * Ratio(5, 10'000)) * Ratio(800'000, 3);
  const Ratio stands = bench.stepper("traverse").position()->base * Ratio(800'000, 3);
  EXPECT_LE(std::abs((stands - belongs).to_double()), 1.0);
  EXPECT_EQ(both.phase(), Ratio(7));
  both.let_go();
}

TEST(GearedBench, OneFollowsAFollowerAndIsNudged) {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse", "creel"});
  rig.mechanisms[0].follows.reset();
  rig.mechanisms[1].homing.reset();
  rig.shafts = {master(OutputSpeed{OutputKind::rotary, Ratio(30)})};
  SimulatedBench bench{rig};
  auto first = bench.gear("traverse", {.to = behind("pace", 2_mm, 5_mm)});
  Following turned = behind("traverse", 4.5_deg, 30_deg);
  turned.first.for_each = OutputPosition(1_mm);
  auto second = bench.gear("creel", {.to = turned});
  bench.shaft("pace").spin({.at = 120_rpm, .by = OutputPosition(10_turn)}).wait();
  bench.serve(3_s);
  EXPECT_EQ(bench.stepper("traverse").position()->base, Ratio(5333, 800'000) * Ratio(3))
      << "20 mm, to the step";
  // 4.5 deg a mm of what the first has made, and the step below.
  const double creel = 360.0 * bench.stepper("creel").position()->base.to_double();
  EXPECT_LE(creel, 90.0);
  EXPECT_GT(creel, 90.0 - 2 * 0.14);
  for (int i = 0; i < 10; ++i) second.nudge(1_deg);
  bench.serve(2_s);
  const double nudged = 360.0 * bench.stepper("creel").position()->base.to_double();
  EXPECT_NEAR(nudged - creel, 10.0, 0.15);
  second.let_go();
  first.let_go();
}

TEST(GearedBench, AnEncoderThatNoCheckReadsIsFollowed) {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse", "spindle"});
  rig.controller.analogue->channels = 6;
  Mechanism& spindle = rig.mechanisms[0].name == "spindle" ? rig.mechanisms[0] : rig.mechanisms[1];
  std::erase_if(spindle.sensors,
                [](const Sensor& sensor) { return std::holds_alternative<HallSet>(sensor); });
  spindle.sensors.emplace_back(TerminalVoltages{
      "terminals", {3, 4, 5}, Resistance(10'000.0, units::ohm), Resistance(1'000.0, units::ohm)});
  SimulatedBench bench{rig};
  auto lay = bench.gear("traverse", {.to = behind("spindle", 1.4_mm)});
  bench.brushless("spindle").spin({.at = 600_rpm});
  bench.serve(4_s);
  const double turns = bench.brushless_plant("spindle").shaft_turns();
  EXPECT_GT(turns, 10.0);
  EXPECT_NEAR(bench.signal("traverse.asked"), 1.4 * turns, 0.05);
}

TEST(GearedBench, PowerLostOnEitherStopsBoth) {
  SimulatedBench bench{demo_rig(), {.events = {{.at = 8_s, .what = "main", .on = false}}}};
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  auto lay = bench.gear("traverse", {.to = behind("spindle", 0.5_mm, 1_mm)});
  bench.brushless("spindle").spin({.at = 300_rpm});
  EXPECT_NE(lay.motion().result().find("main"), std::string::npos);
  EXPECT_FALSE(bench.mechanism("spindle").is_driven());
}

TEST(GearedBench, TellsWhatCannotBe) {
  const auto says = [](const std::function<void(SimulatedBench&)>& order) {
    SimulatedBench bench{demo_rig()};
    try {
      order(bench);
    } catch (const RangeError& error) {
      return std::string(error.what());
    }
    return std::string("nothing is wrong");
  };
  EXPECT_NE(says([](SimulatedBench& b) { b.gear("fan"); }).find("does not say what it follows"),
            std::string::npos);
  EXPECT_NE(says([](SimulatedBench& b) {
              b.gear("fan", {.to = behind("spindle", 1_deg)});
            }).find("cannot follow another"),
            std::string::npos);
  EXPECT_NE(says([](SimulatedBench& b) {
              b.gear("feeder", {.to = behind("fan", 1_deg)});
            }).find("nothing tells where it is"),
            std::string::npos);
  EXPECT_NE(says([](SimulatedBench& b) {
              b.gear("feeder", {.to = behind("feeder", 1_deg)});
            }).find("cannot follow itself"),
            std::string::npos);
  EXPECT_NE(
      says([](SimulatedBench& b) { b.gear("feeder", {.to = behind("spindle", 1_mm)}); }).find("cannot go by"),
      std::string::npos);
  EXPECT_NE(says([](SimulatedBench& b) {
              b.stepper("traverse").home().wait();
              GearOrder order{.to = behind("spindle", 1.4_mm)};
              order.lay = LayOrder{.from = 12_mm, .to = 200_mm};
              b.gear("traverse", order);
            }).find("200 mm lies outside its travel"),
            std::string::npos);
  EXPECT_NE(says([](SimulatedBench& b) { (void)b.shaft("wheel"); }).find("wheel"), std::string::npos);
  // Only the feeder's encoder has a counter: nothing counts the spindle's.
  Rig rig = demo_rig();
  rig.controller.counters->count = 1;
  SimulatedBench bench{rig};
  try {
    (void)bench.gear("feeder", {.to = behind("spindle", 1_deg)});
    FAIL() << "followed an encoder that nobody counts";
  } catch (const RangeError& error) {
    EXPECT_EQ(std::string(error.what()),
              "spindle.turns: no quadrature counter (controller.counters) is left for it, and spindle is to "
              "be followed by it");
  }
}

TEST(GearedBench, ALeaderThatJerksIsCaughtUpWithToTheStep) {
  // Another machine: at once to a speed, at once the other way, at once still.
  SimulatedBench bench{with_shafts(),
                       {.events = {{.at = 0.2_s, .what = "wheel", .speed = OutputSpeed(301_rpm)},
                                   {.at = 1_s, .what = "wheel", .speed = OutputSpeed(-120_rpm)},
                                   {.at = 2_s, .what = "wheel", .speed = OutputSpeed(0_rpm)}}}};
  auto follower = bench.gear("traverse", {.to = behind("wheel", 1.4_mm, 30_mm)});
  bench.serve(3_s);
  EXPECT_LE(steps_off(bench, follower), 1.0);
  EXPECT_NEAR(follower.phase().to_double(), bench.signal("wheel.made") / 360.0, 1.0 / 2000.0);
  EXPECT_EQ(follower.motion().status(), MotionStatus::running);
  follower.let_go();
}

TEST(GearedBench, ALayThatBeginsOutsideItsEndsIsAFault) {
  for (const bool catches_up : {true, false}) {
    SimulatedBench bench{with_shafts(),
                         {.events = {{.at = 0.2_s, .what = "wheel", .speed = OutputSpeed(60_rpm)}}}};
    GearOrder order{.to = behind("wheel", 1.4_mm, 1_mm)};
    order.lay = LayOrder{.from = 12_mm, .to = 92_mm};
    order.catches_up = catches_up;
    auto lay = bench.gear("traverse", order);
    EXPECT_TRUE(
        has(lay.motion().result(), "traverse: it stands outside the ends between which it is to lay"));
  }
}

TEST(GearedBench, ANoisyDiscIsFollowedToTheStepOfItsCount) {
  Rig rig = with_shafts();
  Encoder& encoder = *rig.shafts[1].encoder;
  encoder.line_index = 42;
  encoder.eccentricity = Angle(0.4, units::deg);  // 2.2 counts to and fro in each turn
  encoder.line_error = Angle(0.02, units::deg);
  SimulatedBench bench{
      rig,
      {.events = {{.at = 0.2_s, .what = "wheel", .speed = OutputSpeed(601_rpm), .in = 0.5_s},
                  {.at = 2.2_s, .what = "wheel", .speed = OutputSpeed(-233_rpm), .in = 0.3_s},
                  {.at = 3_s, .what = "wheel", .speed = OutputSpeed(0_rpm)}}}};
  auto follower = bench.gear("traverse", {.to = behind("wheel", 1.4_mm, 1_mm)});
  bench.serve(4_s);
  EXPECT_LE(steps_off(bench, follower), 1.0);
  EXPECT_NEAR(follower.phase().to_double(), bench.signal("wheel.made") / 360.0, 4.0 / 2000.0);
  follower.let_go();
  const MoverVerdict verdict = bench.verdict().of("traverse");
  EXPECT_TRUE(verdict.is_sound()) << testing::PrintToString(verdict.complaints);
  EXPECT_EQ(verdict.looked_at.front(), "the count of its leader against its index");
}

TEST(GearedBench, EdgesThatACounterMissesAreToldByTheIndex) {
  Rig rig = with_shafts();
  rig.shafts[1].encoder->line_index = 42;
  rig.shafts[1].encoder->line_error = Angle(0.008, units::deg);  // at 640 rpm one in a hundred comes too soon
  rig.controller.counters->top_rate = 25_kHz;                    // 12.5 turns a second
  SimulatedBench bench{
      rig,
      {.events = {{.at = 0.2_s, .what = "wheel", .speed = OutputSpeed(300_rpm), .in = 0.5_s},
                  {.at = 1.2_s, .what = "wheel", .speed = OutputSpeed(640_rpm), .in = 0.2_s},
                  {.at = 1.7_s, .what = "wheel", .speed = OutputSpeed(0_rpm), .in = 0.5_s}}}};
  auto follower = bench.gear("traverse", {.to = behind("wheel", 1.4_mm, 1_mm)});
  bench.serve(1.1_s);
  const std::vector<std::string> before = bench.verdict().of("traverse").complaints;
  EXPECT_TRUE(before.empty()) << "slowly enough: " << testing::PrintToString(before);
  bench.serve(1.9_s);
  const double missed = (bench.signal("wheel.made") / 360.0 - follower.phase().to_double()) * 2000.0;
  EXPECT_GT(std::abs(missed), 20.0);
  follower.let_go();
  const MoverVerdict verdict = bench.verdict().of("traverse");
  ASSERT_EQ(verdict.complaints.size(), 1u);
  EXPECT_TRUE(has(verdict.complaints[0], "by its index: edges are missed or counted twice"));
  const double told = std::strtod(
      verdict.complaints[0].c_str() + std::string("the count that it follows was off by ").size(), nullptr);
  EXPECT_NEAR(told, std::abs(missed), 4.0);
}

}  // namespace
}  // namespace cogstride::gearing_bench_test
