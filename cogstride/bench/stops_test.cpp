// What stops a bench: limits, switches, hands, supplies, faults. Each comes in through the lines.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::stops_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

OutputPosition turns(Ratio count) {
  return {OutputKind::rotary, count};
}

const std::map<std::string, OutputPosition> near_home{{"traverse", 3_mm}, {"creel", turns(Ratio(-1, 100))}};

double millimetres(SimulatedBench& bench) {
  return 1e3 * bench.plant("traverse").position();
}

TEST(Stops, AnEmergencyStopPutsEveryLineAtRestAtOnce) {
  for (const bool quick : {false, true}) {
    Rig rig = demo_rig();
    SimulatedBench bench(rig, {.start_positions = near_home, .events = {{6_s, "halt", true}}});
    auto traverse = bench.stepper("traverse");
    auto creel = bench.stepper("creel");
    traverse.home().wait();
    creel.home();
    auto move = traverse.move({.to = 118_mm, .speed = quick ? 20_mm_per_s : 14_mm_per_s});
    auto turn = creel.move({.by = turns(3)});
    std::string told;
    Tick told_at = 0;
    bench.on_fault([&](const std::string& why) {
      told = why;
      told_at = bench.simulated_lines().now();
    });
    EXPECT_NE(move.result().find("the emergency stop halt (line 38) is pressed"), std::string::npos);
    EXPECT_NE(turn.result(), "");
    EXPECT_EQ(told_at, 6 * 48'000'000) << "at the first edge of its contact";
    for (const LineSetup& line : bench.simulated_lines().lines()) {
      if (line.use == LineSetup::Use::input) continue;
      EXPECT_EQ(bench.simulated_lines().level(line.id), line.rest_high) << line.name;
    }
    const double pulses = bench.verdict().movers[0].figure("pulses");
    bench.serve(0.5_s);
    EXPECT_EQ(bench.verdict().movers[0].figure("pulses"), pulses) << "nothing comes after it";
    EXPECT_FALSE(traverse.position()) << "without current it may have gone anywhere";
    EXPECT_NE(traverse.home().result().find("emergency stop"), std::string::npos) << "while it is pressed";
  }
}

TEST(Stops, AnEmergencyStopMayRampDownInstead) {
  Rig rig = demo_rig();
  rig.stops.emergency = StopBy::steepest_ramp;
  rig.hands.back().cuts.clear();  // the supply stays on
  SimulatedBench bench(rig,
                       {.start_positions = near_home, .events = {{4_s, "halt", true}, {6_s, "halt", false}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  auto move = traverse.move({.to = 118_mm, .speed = 20_mm_per_s});
  EXPECT_NE(move.result(), "");
  bench.serve(3_s);
  ASSERT_TRUE(traverse.position()) << "braked on a ramp it knows where it stands";
  EXPECT_NEAR(millimetres(bench), 1e3 * traverse.position()->base.to_double(), 0.004);
  EXPECT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0);
  traverse.move({.to = 118_mm}).wait();
  EXPECT_NEAR(millimetres(bench), 118.0, 0.03) << "and goes on";
}

TEST(Stops, ALimitSwitchOutsideHomingStopsEverything) {
  const Rig rig = demo_rig();
  SimulatedBench other(rig, {.start_positions = near_home, .events = {{9_s, "traverse.far", true}}});
  auto lay = other.stepper("traverse");
  auto ring = other.stepper("creel");
  lay.home();
  ring.home();
  auto turn = ring.move({.by = turns(10)});
  auto move = lay.move({.to = 118_mm, .speed = 10_mm_per_s});
  const std::string fault = move.result();
  EXPECT_NE(fault.find("the switch far of traverse (line 4) acts where"), std::string::npos) << fault;
  EXPECT_NE(fault.find("it does not stand where it was thought to"), std::string::npos) << fault;
  EXPECT_NE(turn.result(), "") << "the creel stops too";
  other.serve(0.5_s);
  EXPECT_FALSE(lay.position()) << "the switch says that it is not where it was thought to be";
  ASSERT_TRUE(ring.position()) << "the creel stopped on a ramp";
  EXPECT_EQ(other.verdict().movers[1].figure("lost_microsteps"), 0);
}

TEST(Stops, ASwitchThatCutsASupplyTakesItFromAllThatItFeeds) {
  Rig rig = demo_rig();
  rig.mechanisms[1].supply = rig.mechanisms[0].supply;  // the creel too hangs on it
  for (Sensor& sensor : rig.mechanisms[0].sensors)
    if (name_of(sensor) == "far") std::get<PlaceSwitch>(sensor).cuts = {"main"};
  const std::vector<OutsideEvent> caught{{9_s, "traverse.far", true}, {10_s, "traverse.far", {}}};
  SimulatedBench bench(rig, {.start_positions = near_home, .events = caught});
  auto traverse = bench.stepper("traverse");
  auto creel = bench.stepper("creel");
  traverse.home();
  creel.home();
  creel.spin({.at = OutputSpeed{OutputKind::rotary, Ratio(1, 20)}});
  auto move = traverse.move({.to = 118_mm, .speed = 10_mm_per_s});
  bench.serve(9.05_s);
  EXPECT_NE(move.result(), "");
  const LineId up{5};
  EXPECT_FALSE(bench.simulated_lines().level(up)) << "its line says so";
  for (const char* const name : {"traverse", "creel"}) {
    EXPECT_NEAR(bench.plant(name).current_a(), 0.0, 0.03) << name;
    EXPECT_NEAR(bench.plant(name).current_b(), 0.0, 0.03) << name;
    EXPECT_FALSE(bench.stepper(name).position()) << name << " may have gone anywhere";
  }
  bench.serve(2_s);
  EXPECT_TRUE(bench.simulated_lines().level(up)) << "let go, it feeds again";
  traverse.home().wait();
  traverse.move({.to = 10_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(millimetres(bench), 10.0, 0.004);
}

TEST(Stops, ALostSupplyIsAFaultAndThePositionIsNotBelieved) {
  const Rig rig = demo_rig();
  SimulatedBench bench(rig,
                       {.start_positions = near_home, .events = {{5_s, "main", false}, {6_s, "main", true}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const std::string fault = traverse.move({.to = 118_mm, .speed = 20_mm_per_s}).result();
  EXPECT_NE(fault.find("the supply main is not up (line 5 is low)"), std::string::npos) << fault;
  EXPECT_FALSE(traverse.position());
  EXPECT_THROW(traverse.move({.to = 10_mm}), RangeError) << "not before it is homed again";
  bench.serve(2_s);
  traverse.home().wait();
  traverse.move({.to = 10_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(millimetres(bench), 10.0, 0.004);
}

TEST(Stops, ABoardsFaultOutputStopsTheMotion) {
  Rig rig = demo_rig();
  rig.mechanisms[0].common.fault = SensedLine{45, ActiveLevel::low};
  SimulatedBench bench(rig, {.start_positions = near_home, .events = {{4_s, "traverse.fault", true}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const std::string fault = traverse.move({.to = 118_mm, .speed = 20_mm_per_s}).result();
  EXPECT_NE(fault.find("the board of traverse reports a fault (line 45)"), std::string::npos) << fault;
  EXPECT_FALSE(traverse.position());
  EXPECT_LT(bench.now().in(units::s), 4.2);
}

/// Random commands with random stops: whatever is asked, soft limits hold and the position stays true.
TEST(Stops, RandomCommandsNeverPassASoftLimitAndLeaveATruePosition) {
  Rig rig = demo_rig();
  rig.mechanisms[0].limits.acceleration = 800_mm_per_s2;
  std::mt19937_64 random(41);
  const auto pick = [&](int most) { return static_cast<int>(random() % static_cast<unsigned>(most)); };
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const double low = 1e3 * rig.mechanisms[0].limits.travel_from->base.to_double();
  const double high = 1e3 * rig.mechanisms[0].limits.travel_to->base.to_double();
  std::vector<Motion> motions;
  int refused = 0;
  int kind = 0;
  int taken = 0;
  const int orders = testing_support::trials(100, 400);
  for (int i = 0; i < orders; ++i) {
    try {
      const OutputPosition place(OutputKind::linear, Ratio(pick(130'000) - 5'000, 1'000'000));
      const OutputSpeed speed(OutputKind::linear, Ratio(1 + pick(70), 1000));
      const bool back = pick(2) == 0;
      kind = pick(6);
      switch (kind) {
        case 0:
          motions.push_back(traverse.move({.to = place, .speed = speed}));
          break;
        case 1:
          motions.push_back(traverse.move(
              {.by = OutputPosition(OutputKind::linear, Ratio(pick(80'000) - 40'000, 1'000'000))}));
          break;
        case 2:
          motions.push_back(traverse.spin({.at = back ? OutputSpeed{speed.kind, -speed.base} : speed}));
          break;
        case 3:
          motions.push_back(traverse.redirect(MoveOrder{.to = place}));
          break;
        case 4:
          motions.push_back(
              traverse.redirect(SpeedOrder{.at = back ? OutputSpeed{speed.kind, -speed.base} : speed}));
          break;
        default:
          if (!motions.empty()) motions.back().cancel(back ? Braking::steepest : Braking::on_a_ramp);
          break;
      }
      ++taken;
    } catch (const RangeError&) {
      ++refused;
    }
    // Let some time pass, and look where it really is while it does.
    for (int k = pick(6); k > 0; --k) {
      bench.serve(0.04_s);
      ASSERT_GT(millimetres(bench), low - 0.03);
      ASSERT_LT(millimetres(bench), high + 0.03);
      ASSERT_TRUE(traverse.position());
      ASSERT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0) << "i " << i << " kind " << kind;
    }
    if (pick(8) == 0) {
      bench.wait_for_all();
      bench.serve(0.3_s);
      ASSERT_NEAR(millimetres(bench), 1e3 * traverse.position()->base.to_double(), 0.004) << "after " << i;
    }
  }
  bench.wait_for_all();
  EXPECT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0);
  EXPECT_GT(taken, orders / 3);
  EXPECT_GT(refused, orders / 8);
}

}  // namespace
}  // namespace cogstride::stops_test
