// Homing on the simulated bench: every kind of sensor, every way in which it can go wrong. Causes are put at
// the lines or into the world behind them, never into the state machine.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <ostream>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::homing_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

Mechanism& part(Rig& rig, const std::string& name) {
  return const_cast<Mechanism&>(mechanism_named(rig, name));
}

OutputPosition degrees(double value) {
  return {OutputKind::rotary, Ratio(std::llround(value * 1e6), 360'000'000)};
}

OutputPosition millimetres(double value) {
  return {OutputKind::linear, Ratio(std::llround(value * 1e6), 1'000'000'000)};
}

std::string homed(SimulatedBench& bench, const std::string& name) {
  auto home = bench.stepper(name).home();
  std::string fault = home.result();
  bench.serve(0.3_s);
  return fault;
}

TEST(Homing, FindsTheCreelsWindowFromAnyAngle) {
  const Rig rig = demo_rig();
  std::mt19937_64 random(5);
  std::uniform_int_distribution<int> tenths(0, 3599);
  for (int i = 0; i < 60; i += testing_support::one_in(7)) {
    // Every third start is in the window or next to it, on either side.
    const double angle = i % 3 == 0 ? -4.0 + 0.13 * i : 0.1 * tenths(random);
    SimulatedBench bench(rig,
                         {.seed = 100u + static_cast<unsigned>(i),
                          .start_positions = {{"creel", degrees(angle)}, {"traverse", millimetres(50)}}});
    ASSERT_EQ(homed(bench, "creel"), "") << "from " << angle;
    EXPECT_EQ(bench.stepper("creel").position(), degrees(0));
    // A full step is 0.14 degrees, of which friction and detent hold the rotor back a part.
    double at = 360.0 * bench.plant("creel").position();
    at -= 360.0 * std::round(at / 360.0);
    EXPECT_NEAR(at, 0.0, 0.21) << "from " << angle;
  }
}

/// Remembers how fast the traverse really went beyond both of its switches, where hard ends are near.
class SpeedAtEnds final : public TraceSink {
 public:
  void begin(const TraceLayout&) override {}
  void edge(Tick, LineId, bool) override {}
  void sample(Tick, std::span<const double> values) override {
    const double made = values[1];
    if (made < -2.0 || made > 120.5) fastest = std::max(fastest, std::abs(values[2]));
    lowest = std::min(lowest, made);
  }
  void event(const TraceEvent&) override {}
  void end(Tick) override {}
  double fastest = 0.0;  // mm/s
  double lowest = 1e9;   // mm
};

struct Failure {
  const char* name;
  double start;  // mm
  std::function<void(Rig&)> actual;
  std::vector<OutsideEvent> events;
  const char* says;
};

void PrintTo(const Failure& failure, std::ostream* out) {
  *out << failure.name;
}

class HomingFailure : public testing::TestWithParam<Failure> {};

TEST_P(HomingFailure, NamesItsCauseAndNeverRunsIntoAnEndFasterThanItHomes) {
  const Failure& failure = GetParam();
  const Rig rig = demo_rig();
  Rig actual = rig;
  if (failure.actual) failure.actual(actual);
  SpeedAtEnds ends;
  SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(failure.start)}},
                             .actual = actual,
                             .events = failure.events,
                             .trace = &ends});
  std::vector<std::string> told;
  bench.on_fault([&](const std::string& why) { told.push_back(why); });
  const std::string fault = homed(bench, "traverse");
  EXPECT_NE(fault.find(failure.says), std::string::npos) << fault;
  EXPECT_FALSE(bench.stepper("traverse").position()) << "nobody knows where it stands";
  ASSERT_FALSE(told.empty());
  EXPECT_EQ(told.front(), fault);
  EXPECT_TRUE(bench.mover("traverse").has_ended());
  // A rotor pressed against an end springs back by whole periods: up to four times as fast as its steps.
  const bool pressed_against_an_end = ends.lowest < -3.4;
  if (!pressed_against_an_end) {
    EXPECT_LE(ends.fastest, 20.0 * 1.05);
  }
}

void exchange_switches(Rig& actual) {
  PlaceSwitch& gate = *part(actual, "traverse").home_switch();
  for (Sensor& sensor : part(actual, "traverse").sensors) {
    auto* const far = std::get_if<PlaceSwitch>(&sensor);
    if (far != nullptr && far->name == "far") std::swap(gate.line, far->line);
  }
}

INSTANTIATE_TEST_SUITE_P(
    Causes, HomingFailure,
    testing::Values(
        Failure{
            "NeverActs", 40.0, {}, {{0_s, "traverse.gate", false}}, "the gate (line 3) did not act within"},
        Failure{"StuckOn", 40.0, {}, {{0_s, "traverse.gate", true}}, "the gate (line 3) still acts after"},
        Failure{"SwitchesExchanged",
                20.0,
                exchange_switches,
                {},
                "the far (line 4) at the other end acted on the way to the gate"},
        Failure{"WrongWay",
                100.0,
                [](Rig& actual) { part(actual, "traverse").step_dir_lines().dir.active = ActiveLevel::low; },
                {},
                "the motor turns the wrong way, or the two switches are exchanged"},
        Failure{"GateInverted",
                60.0,
                [](Rig& actual) { part(actual, "traverse").home_switch()->active = ActiveLevel::low; },
                {},
                "or the sensor is stuck or its line inverted"},
        Failure{"BothAct",
                60.0,
                {},
                {{0_s, "traverse.gate", true}, {0_s, "traverse.far", true}},
                "both act, at opposite ends"},
        Failure{
            "NeverSwitchedOn", 30.0, {}, {{0_s, "main", false}}, "the supply main is not up (line 5 is low)"},
        Failure{"SupplyLostOnTheWay",
                60.0,
                {},
                {{1.5_s, "main", false}},
                "the supply main is not up (line 5 is low)"},
        Failure{"HeldFast", 30.0, {}, {{0_s, "traverse.jam", true}}, "nothing moves"},
        Failure{"StepsLostInBetween",
                5.0,
                {},
                {{1.4_s, "traverse.jam", true}, {1.5_s, "traverse.jam", false}},
                "steps were lost in between"},
        Failure{"LooseContact",
                30.0,
                {},
                {{0.7_s, "traverse.gate", true},
                 {0.701_s, "traverse.gate", std::nullopt},
                 {1.3_s, "traverse.gate", true},
                 {1.301_s, "traverse.gate", std::nullopt},
                 {1.9_s, "traverse.gate", true},
                 {1.901_s, "traverse.gate", std::nullopt}},
                "acted and let go again 3 times"}),
    [](const auto& info) { return std::string(info.param.name); });

// Nothing tells of this supply: what the sensor does is all the evidence there is.
TEST(Homing, WithASupplyThatNobodySensesAndThatComesLateSaysThatNothingMoved) {
  Rig rig = demo_rig();
  for (Supply& supply : rig.supplies) supply.power_good_line.reset();
  for (const double up : {2.0, 600.0}) {
    SimulatedBench bench(
        rig, {.start_positions = {{"traverse", millimetres(60.0)}},
              .events = {{0_s, "main", false},
                         {ExactTime::from_base(Ratio(std::llround(up * 10), 10)), "main", true}}});
    EXPECT_NE(homed(bench, "traverse").find("did not act within 124.9 mm: nothing moves (is the supply on?)"),
              std::string::npos);
    EXPECT_FALSE(bench.stepper("traverse").position());
  }
}

TEST(Homing, IsTheSameWithASwitchThatBounces) {
  Rig rig = demo_rig();
  PlaceSwitch& gate = *part(rig, "traverse").home_switch();
  gate.kind = PlaceSwitch::Kind::lever;
  gate.bounce = Time(3.0, units::ms);
  gate.debounce = Time(6.0, units::ms);
  for (int i = 0; i < 12; ++i) {
    const double start = i % 3 == 0 ? -1.2 + 0.02 * i : 9.0 * i;
    SimulatedBench bench(
        rig, {.seed = 7u + static_cast<unsigned>(i), .start_positions = {{"traverse", millimetres(start)}}});
    ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 0.0, 0.006) << "from " << start;
  }
}

TEST(Homing, StartsFromBeyondBothSwitches) {
  const Rig rig = demo_rig();
  for (const double start : {-3.2, -2.0, 119.6, 121.9}) {
    SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(start)}}});
    ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 0.0, 0.006) << "from " << start;
  }
}

TEST(Homing, GoesToTheHighEndAsWell) {
  Rig rig = demo_rig();
  Mechanism& traverse = part(rig, "traverse");
  traverse.homing->sensor = "far";
  traverse.homing->position = 118_mm;
  for (const double start : {0.5, 60.0, 119.6, 121.0}) {
    SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(start)}}});
    ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
    EXPECT_EQ(bench.stepper("traverse").position(), OutputPosition(118_mm));
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 118.0, 0.006) << "from " << start;
  }
}

/// The traverse with a reed in mid-travel as its zero, and the gate as the switch to turn round at.
TEST(Homing, FindsAWindowInsideATravelFromEitherSide) {
  Rig rig = demo_rig();
  Mechanism& traverse = part(rig, "traverse");
  PlaceSwitch reed;
  reed.name = "middle";
  reed.kind = PlaceSwitch::Kind::reed;
  reed.line = 40;
  reed.is_window = true;
  reed.window_from = 57_mm;
  reed.window_to = 61_mm;
  reed.hysteresis = 0.3_mm;
  reed.bounce = Time(1.0, units::ms);
  traverse.sensors.push_back(reed);
  traverse.homing->sensor = "middle";
  traverse.homing->position = 50_mm;
  for (const double start : {-1.5, 10.0, 56.9, 57.2, 59.0, 61.1, 100.0, 120.0}) {
    SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(start)}}});
    ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 50.0, 0.006) << "from " << start;
  }
  traverse.sensors.erase(traverse.sensors.begin());  // without the gate nothing says on which side it stands
  SimulatedBench bench(rig);
  EXPECT_THROW(bench.stepper("traverse").home(), RangeError);
}

TEST(Homing, PressesGentlyAgainstAHardEndThatAnEncoderNotices) {
  Rig rig = demo_rig();
  Mechanism& traverse = part(rig, "traverse");
  traverse.sensors = {testing_support::scale_on_the_screw()};
  traverse.homing->sensor = "scale";
  for (const bool low : {true, false}) {
    traverse.homing->goes_to = low ? HomesTo::low_end : HomesTo::high_end;
    traverse.homing->position = low ? 0_mm : 118_mm;
    for (const double start : {0.0, 33.0, 118.0}) {
      SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(start)}}});
      ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
      // As well as the encoder tells: a count, the give of the end and a rotor held within half a microstep.
      EXPECT_NEAR(1e3 * bench.plant("traverse").position(), low ? 0.0 : 118.0, 0.02) << "from " << start;
    }
  }
  Rig actual = rig;
  std::get<Encoder>(part(actual, "traverse").sensors[0]).counts_backwards = true;
  SimulatedBench bench(rig, {.actual = actual});
  EXPECT_NE(homed(bench, "traverse").find("it counts the wrong way, or the motor goes the other way"),
            std::string::npos);
}

TEST(Homing, TakesTheIndexNextToASwitch) {
  Rig rig = demo_rig();
  Mechanism& traverse = part(rig, "traverse");
  Encoder scale = testing_support::scale_on_the_screw();
  scale.line_index = 43;
  traverse.sensors.push_back(scale);
  traverse.homing->then_index_of = "scale";
  traverse.homing->index_at = 0_mm;  // one a turn of the screw: at 0, 8, 16 mm ...
  for (const double start : {-1.4, 0.0, 44.0, 118.0}) {
    SimulatedBench bench(rig, {.start_positions = {{"traverse", millimetres(start)}}});
    ASSERT_EQ(homed(bench, "traverse"), "") << "from " << start;
    EXPECT_NEAR(1e3 * bench.plant("traverse").position(), 0.0, 0.006) << "from " << start;
  }
  SimulatedBench bench(rig, {.events = {}, .trace = nullptr});
  Rig unplugged = rig;
  unplugged.outputs.clear();  // its wire is on the line of the lamp
  std::get<Encoder>(part(unplugged, "traverse").sensors.back()).line_index = 39;
  SimulatedBench without(rig, {.actual = unplugged});
  EXPECT_NE(homed(without, "traverse").find("the scale index (line 43) did not come within"),
            std::string::npos);
}

TEST(Homing, FindsTheIndexOfARing) {
  Rig rig = demo_rig();
  Mechanism& creel = part(rig, "creel");
  Encoder disc;
  disc.name = "disc";
  disc.line_a = 41;
  disc.line_b = 42;
  disc.line_index = 43;
  disc.lines_per_turn = 500;
  disc.after_stages = 4;  // on the ring itself
  creel.sensors = {disc};
  creel.homing->sensor = "disc";
  for (const double start : {-0.4, 0.1, 2.0, 90.0, 359.0}) {
    SimulatedBench bench(rig, {.start_positions = {{"creel", degrees(start)}}});
    ASSERT_EQ(homed(bench, "creel"), "") << "from " << start;
    double at = 360.0 * bench.plant("creel").position();
    at -= 360.0 * std::round(at / 360.0);
    EXPECT_NEAR(at, 0.0, 0.21) << "from " << start;
  }
}

}  // namespace
}  // namespace cogstride::homing_test
