// The demo spindle by six steps on the simulated bench.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/commutation.hpp"
#include "cogstride/plan/open_loop_start.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/fault_watch.hpp"
#include "support/gate_watch.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::six_step_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::FaultWatch;
using testing_support::GateWatch;
using testing_support::with_inertia_times;

constexpr double rpm = 2.0 * pi / 60.0;

Rig spindle_rig() {
  return only_with(demo_rig(), {"spindle"});
}

/// The spindle without its sensors.
Rig blind_rig() {
  Rig rig = spindle_rig();
  std::erase_if(rig.mechanisms[0].sensors,
                [](const Sensor& sensor) { return std::holds_alternative<HallSet>(sensor); });
  return rig;
}

TEST(Commutation, OfTheDemoSpindleIsTheTextbooksOnItsLines) {
  const Commutation all = commutation_of(spindle_rig().mechanisms[0]);
  ASSERT_EQ(all.rows.size(), 6u);
  EXPECT_EQ(all.impossible, (std::vector<std::uint8_t>{0, 7}));
  EXPECT_NEAR(all.motor_sector, 60.0 / 7.0, 1e-12);
  // Sector 1: from A to B. High sides are active low, on lines 16, 18, 20; low sides on 17, 19, 21.
  const CommutationRow& row = all.rows[1];
  EXPECT_EQ(row.phases, (std::array{PhaseState::high, PhaseState::low, PhaseState::off}));
  EXPECT_EQ(row.port, (1u << 18) | (1u << 20) | (1u << 19));
  EXPECT_EQ(*row.halls, (std::array{true, false, false}));
  for (const CommutationRow& each : all.rows) EXPECT_EQ(std::count(each.on.begin(), each.on.end(), true), 2);
  EXPECT_THROW((void)commutation_of(mechanism_named(demo_rig(), "feeder")), RangeError);
}

TEST(SixStepSpindle, ComesToItsSpeedByItsHallsAndHoldsIt) {
  SimulatedBench bench(spindle_rig());
  auto spindle = bench.brushless("spindle");
  for (const int speed : {600, 900, 1500}) {
    spindle.spin({.at = OutputSpeed(ExactAngularSpeed(speed, units::rpm))}).wait();
    bench.serve(0.5_s);
    double least = 1e9;
    double most = 0.0;
    for (int i = 0; i < 200; ++i) {
      bench.serve(1_ms);
      const double now = 60.0 * bench.brushless_plant("spindle").speed();
      least = std::min(least, now);
      most = std::max(most, now);
    }
    EXPECT_GT(least, 0.98 * speed);
    EXPECT_LT(most, 1.02 * speed);
  }
  EXPECT_LT(bench.brushless_plant("spindle").highest_current(), 1.3 * 4.0);
  spindle.stop().wait();
  bench.serve(4_s);
  EXPECT_EQ(bench.brushless_plant("spindle").speed(), 0.0);
  EXPECT_TRUE(bench.verdict().is_sound());
}

TEST(SixStepSpindle, TurnsBackwardsToo) {
  SimulatedBench bench(spindle_rig());
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = -900_rpm}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), -900.0, 18.0);
}

/// The closed form of six steps: at a steady speed the mean current carries the friction, and the duty the
/// back-EMF's mean over a sector and the resistances (continuous current; with gaps in it the duty is less).
TEST(SixStepSpindle, TakesTheDutyOfTheClosedFormUnderLoad) {
  Rig rig = spindle_rig();
  rig.mechanisms[0].load.steady_torque = Torque(0.1, units::Nm);
  SimulatedBench bench(rig);
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  bench.serve(0.5_s);
  double duty = 0.0;
  double torque = 0.0;
  double carried = 0.0;
  double drawn = bench.brushless_plant("spindle").charge();
  for (int i = 0; i < 2000; ++i) {
    bench.serve(Time(253.7, units::us));  // at any instant of its period
    const BrushlessPlant& plant = bench.brushless_plant("spindle");
    duty += spindle.duty().base() / 2000.0;
    torque += plant.torque() / 2000.0;
    carried +=
        std::max({std::abs(plant.current(0)), std::abs(plant.current(1)), std::abs(plant.current(2))}) /
        2000.0;
  }
  // Its torque carries friction and load; 3 / pi of a sine's peak is what a sector's mean is.
  EXPECT_NEAR(torque, 0.115, 0.03 * 0.115);
  EXPECT_NEAR(carried, 0.115 / (0.06 * 3.0 / pi), 0.08 * 2.0);
  drawn = (bench.brushless_plant("spindle").charge() - drawn) / (2000 * 253.7e-6);
  const double emf = 0.06 * 3.0 / pi * 900.0 * rpm;
  const double current = 0.115 / (0.06 * 3.0 / pi);
  const double resistance = 0.42 + 2.0 * 0.03;
  // In the rest of a period a diode takes the current on: its drop counts there.
  const double expected = (emf + resistance * current + 0.7) / (24.0 + 0.7);
  EXPECT_NEAR(duty, expected, 0.04 * expected);
  // What it takes from its supply is what it turns with and loses.
  const double taken = 0.115 * 900.0 * rpm + resistance * current * current;
  EXPECT_NEAR(24.0 * drawn, taken, 0.12 * taken);
}

/// A step of 0.1 N m at 900 rpm.
TEST(SixStepSpindle, ALoadStepDipsItsSpeedALittleAndNotForLong) {
  SimulatedBench bench(spindle_rig(),
                       {.events = {{.at = 2_s, .what = "spindle.load", .torque = Torque(0.1, units::Nm)}}});
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  bench.serve(Time(2.0, units::s) - bench.now());
  double least = 900.0;
  for (int i = 0; i < 150; ++i) {
    bench.serve(1_ms);
    least = std::min(least, 60.0 * bench.brushless_plant("spindle").speed());
  }
  EXPECT_GT(least, 0.95 * 900.0);
  for (int i = 0; i < 200; ++i) {
    bench.serve(1_ms);
    EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), 900.0, 18.0) << i;
  }
}

TEST(SixStepSpindle, AnImpossibleHallCodeTurnsAllGatesOff) {
  // One line of three is stuck at the other level: some code cannot be, or jumps.
  GateWatch watch(spindle_rig().mechanisms[0]);
  Rig actual = spindle_rig();
  for (Sensor& sensor : actual.mechanisms[0].sensors)
    if (auto* const halls = std::get_if<HallSet>(&sensor)) halls->spacing = 60_deg;
  SimulatedBench bench(spindle_rig(), {.actual = actual, .trace = &watch});
  const FaultWatch fault(bench);
  auto spindle = bench.brushless("spindle");
  const Motion spin = spindle.spin({.at = 900_rpm});
  bench.serve(1_s);
  EXPECT_EQ(spin.status(), MotionStatus::faulted);
  EXPECT_LT(static_cast<double>(watch.last_edge) / 48e6, fault.at + 50e-6) << "within a period of its duty";
  EXPECT_NE(fault.what.find("Hall"), std::string::npos) << fault.what;
  const std::int64_t edges = watch.edges;
  bench.serve(0.2_s);
  EXPECT_EQ(watch.edges, edges);
}

TEST(SixStepSpindle, NeverHasBothGatesOfALegOnNorAGapBelowTheDeadTime) {
  std::uint64_t state = 4711;
  const auto random = [&state](std::uint64_t below) {
    state = state * 6364136223846793005u + 1442695040888963407u;
    return (state >> 33) % below;
  };
  enum class Kind { halls, blind, complementary, bootstrapped };
  for (const Kind kind : {Kind::halls, Kind::blind, Kind::complementary, Kind::bootstrapped}) {
    const bool has_halls = kind != Kind::blind;
    Rig rig = has_halls ? spindle_rig() : blind_rig();
    std::get<GateWiring>(rig.mechanisms[0].wiring).complementary = kind == Kind::complementary;
    if (kind == Kind::bootstrapped) {
      std::get<SixGateInverter>(rig.mechanisms[0].board).bootstrap_holds = 2_ms;
      std::get<SixGateInverter>(rig.mechanisms[0].board).bootstrap_refresh = 3_us;
      std::get<GateWiring>(rig.mechanisms[0].wiring).switched = SwitchedSide::low;
    }
    GateWatch watch(rig.mechanisms[0]);
    SimulatedBench bench(rig, {.trace = &watch});
    auto spindle = bench.brushless("spindle");
    for (int i = 0; i < 60; ++i) {
      try {
        if (random(4) == 0) {
          spindle.stop();
        } else {
          const auto speed = static_cast<std::int64_t>(has_halls ? 300 + random(1200) : 100 + random(200));
          spindle.spin({.at = OutputSpeed(ExactAngularSpeed(random(2) == 0 ? speed : -speed, units::rpm))});
        }
      } catch (const RangeError&) {
      }
      bench.serve(Time(1e-6 * static_cast<double>(random(150'000)), units::s));
      if (random(12) == 0) bench.stop();
    }
    EXPECT_FALSE(watch.both);
    EXPECT_FALSE(bench.brushless_plant("spindle").destroyed_at());
    EXPECT_GE(watch.shortest_gap, 39) << "800 ns in ticks of 48 MHz, rounded up";
    EXPECT_GT(watch.edges, 10'000);
  }
}

TEST(SixStepSpindle, AWrongGatePolarityDestroysTheSimulatedBoardAndIsNamed) {
  Rig actual = spindle_rig();
  // Its high sides are really switched on by a high level, which is what the controller's lines rest at.
  auto& board = std::get<SixGateInverter>(actual.mechanisms[0].board);
  board.gate_active[0] = board.gate_active[2] = board.gate_active[4] = ActiveLevel::high;
  SimulatedBench bench(spindle_rig(), {.actual = actual});
  auto spindle = bench.brushless("spindle");
  (void)spindle.spin({.at = 900_rpm});
  bench.serve(0.3_s);
  ASSERT_TRUE(bench.brushless_plant("spindle").destroyed_at());
  const MoverVerdict verdict = bench.verdict().of("spindle");
  EXPECT_FALSE(verdict.is_sound());
  ASSERT_EQ(verdict.moments.size(), 1u);
  EXPECT_NE(verdict.moments[0].what.find("lines 1"), std::string::npos) << verdict.moments[0].what;
  EXPECT_LT(static_cast<double>(verdict.moments[0].at) / 48e6, 0.01);
}

TEST(SixStepSpindle, AJammedShaftEndsItWithAllGatesOffWithinATenthOfASecond) {
  for (const bool has_shunts : {true, false}) {
    Rig rig = spindle_rig();
    if (!has_shunts)
      std::erase_if(rig.mechanisms[0].sensors,
                    [](const Sensor& sensor) { return std::holds_alternative<Shunt>(sensor); });
    GateWatch watch(rig.mechanisms[0]);
    SimulatedBench bench(rig, {.events = {{.at = 2_s, .what = "spindle.jam"}}, .trace = &watch});
    const FaultWatch fault(bench);
    auto spindle = bench.brushless("spindle");
    spindle.spin({.at = 900_rpm}).wait();
    bench.serve(Time(2.0, units::s) - bench.now());
    bench.serve(0.35_s);
    // At 900 rpm its back-EMF is gone at once, and the current tells it before the Halls do.
    EXPECT_NE(fault.what.find(has_shunts ? "far over its limit" : "angle has not counted"), std::string::npos)
        << fault.what;
    EXPECT_LT(fault.at, has_shunts ? 2.01 : 2.1);
    EXPECT_EQ(spindle.duty().base(), 0.0);
    EXPECT_EQ(bench.verdict().fault, fault.what) << "a run that ended so is not sound";
    EXPECT_FALSE(bench.verdict().is_sound());
    const std::int64_t edges = watch.edges;
    bench.serve(0.1_s);
    EXPECT_EQ(watch.edges, edges) << "all gates stay off";
  }
}

TEST(SixStepSpindle, StartsByItsHallsFromEveryAngleWithHalfAndTwiceTheInertia) {
  testing_support::Sampled sampled(11);
  for (const double inertia : {0.5, 1.0, 2.0}) {
    for (int place = 0; place < 24; ++place) {
      if (!sampled.next()) continue;
      const Rig actual = with_inertia_times(inertia, spindle_rig());
      const int way = place % 2 == 0 ? 1 : -1;
      SimulatedBench bench(
          spindle_rig(),
          {.start_positions = {{"spindle", OutputPosition(OutputKind::rotary, Ratio(place, 7 * 24))}},
           .actual = actual});
      auto spindle = bench.brushless("spindle");
      spindle.spin({.at = OutputSpeed(ExactAngularSpeed(900 * way, units::rpm))}).wait();
      bench.serve(0.2_s);
      EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), 900.0 * way, 18.0)
          << inertia << " " << place;
    }
  }
}

TEST(SixStepSpindle, HoldsItsSpeedWhicheverSideIsSwitched) {
  for (const SwitchedSide side : {SwitchedSide::high, SwitchedSide::low, SwitchedSide::both}) {
    Rig rig = spindle_rig();
    std::get<GateWiring>(rig.mechanisms[0].wiring).switched = side;
    SimulatedBench bench(rig);
    auto spindle = bench.brushless("spindle");
    for (const int speed : {400, 1300}) {
      spindle.spin({.at = OutputSpeed(ExactAngularSpeed(speed, units::rpm))}).wait();
      bench.serve(1.5_s);
      EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), speed, 0.02 * speed)
          << static_cast<int>(side);
    }
    EXPECT_TRUE(bench.verdict().is_sound());
  }
}

TEST(SixStepSpindle, ComplementaryGatesBrakeIt) {
  double took[2] = {};
  for (const bool complementary : {false, true}) {
    Rig rig = spindle_rig();
    std::get<GateWiring>(rig.mechanisms[0].wiring).complementary = complementary;
    GateWatch watch(rig.mechanisms[0]);
    SimulatedBench bench(rig, {.trace = &watch});
    auto spindle = bench.brushless("spindle");
    spindle.spin({.at = 1500_rpm}).wait();
    bench.serve(0.5_s);
    const Time from = bench.now();
    (void)spindle.spin({.at = 600_rpm});
    while (60.0 * bench.brushless_plant("spindle").speed() > 620.0) bench.serve(1_ms);
    took[complementary] = (bench.now() - from).in(units::s);
    // Friction alone: 0.015 N m on 2.2e-4 kg m2 takes 92 rad/s in 1.35 s; what is braked comes back.
    if (complementary) {
      EXPECT_GT(bench.brushless_plant("spindle").highest_supply(), 24.5);
      EXPECT_LE(bench.brushless_plant("spindle").highest_supply(), 30.0 + 10.0 * 0.3)
          << "its clamp of 10 ohm takes it";
    }
    bench.serve(0.5_s);
    EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), 600.0, 12.0);
    EXPECT_FALSE(watch.both);
    EXPECT_GE(watch.shortest_gap, 39);
    EXPECT_TRUE(bench.verdict().is_sound());
  }
  EXPECT_NEAR(took[0], 1.35, 0.2);
  // Pumped up, a duty is worth more volts, and brakes less than it would.
  EXPECT_LT(took[1], 0.5);
}

/// A board whose high sides are fed by capacitors, whichever side is switched, fast and slow.
TEST(SixStepSpindle, RefreshesTheBootstrapsOfItsHighSides) {
  struct Way {
    SwitchedSide switched;
    bool complementary;
  };
  for (const Way way : {Way{SwitchedSide::high, false}, Way{SwitchedSide::low, false},
                        Way{SwitchedSide::both, false}, Way{SwitchedSide::high, true}}) {
    for (const bool by_time : {false, true}) {
      Rig rig = spindle_rig();
      auto& board = std::get<SixGateInverter>(rig.mechanisms[0].board);
      auto& wiring = std::get<GateWiring>(rig.mechanisms[0].wiring);
      board.bootstrap_holds = 2_ms;
      board.bootstrap_refresh = 3_us;
      wiring.switched = way.switched;
      wiring.complementary = way.complementary;
      if (by_time) wiring.commutated_by = CommutatedBy::time;
      GateWatch watch(rig.mechanisms[0]);
      SimulatedBench bench(rig, {.trace = &watch});
      auto spindle = bench.brushless("spindle");
      (void)spindle.spin({.at = by_time ? OutputSpeed(30_rpm) : OutputSpeed(1200_rpm)});
      bench.serve(by_time ? 4_s : 1.5_s);
      const double made = 60.0 * bench.brushless_plant("spindle").speed();
      EXPECT_NEAR(made, by_time ? 30.0 : 1200.0, by_time ? 60.0 : 24.0);
      EXPECT_GT(bench.brushless_plant("spindle").position(), 0.5);
      EXPECT_EQ(bench.brushless_plant("spindle").times_empty(), 0)
          << static_cast<int>(way.switched) << way.complementary << by_time;
      EXPECT_FALSE(watch.both);
      EXPECT_GE(watch.shortest_gap, 39);
      EXPECT_THROW(spindle.spin({.at = 1795_rpm, .lasts = 1_ms}), RangeError);
    }
  }
  // One that holds for less than the rig says goes off by itself, and that is seen.
  Rig rig = spindle_rig();
  auto& board = std::get<SixGateInverter>(rig.mechanisms[0].board);
  std::get<GateWiring>(rig.mechanisms[0].wiring).switched = SwitchedSide::low;
  board.bootstrap_holds = 2_ms;
  board.bootstrap_refresh = 3_us;
  Rig actual = rig;
  std::get<SixGateInverter>(actual.mechanisms[0].board).bootstrap_holds = 20_us;
  SimulatedBench bench(rig, {.actual = actual});
  (void)bench.brushless("spindle").spin({.at = 600_rpm});
  bench.serve(0.3_s);
  EXPECT_GT(bench.brushless_plant("spindle").times_empty(), 10);
  EXPECT_FALSE(bench.verdict().is_sound());
}

TEST(SixStepSpindle, SteppedByTimeItsHallsTellThatItDoesNotFollow) {
  Rig rig = spindle_rig();
  std::get<GateWiring>(rig.mechanisms[0].wiring).commutated_by = CommutatedBy::time;
  SimulatedBench bench(rig, {.events = {{.at = 3_s, .what = "spindle.jam"}}});
  const FaultWatch fault(bench);
  auto spindle = bench.brushless("spindle");
  (void)spindle.spin({.at = 120_rpm});
  bench.serve(Time(3.0, units::s) - bench.now());
  EXPECT_TRUE(fault.what.empty()) << fault.what;
  EXPECT_NEAR(60.0 * spindle.wanted_speed().base, 120.0, 1.0);
  bench.serve(0.5_s);
  EXPECT_NE(fault.what.find("behind its field"), std::string::npos) << fault.what;
  EXPECT_LT(fault.at, 3.1);
  EXPECT_EQ(spindle.duty().base(), 0.0);
}

TEST(SixStepSpindle, ACurrentFarOverItsLimitEndsIt) {
  // The motor on the bench has a quarter of the resistance that the rig was given: a model alone would let
  // four times the current flow.
  Rig actual = spindle_rig();
  auto& motor = std::get<BrushlessMotor>(actual.mechanisms[0].motor);
  motor.resistance = Resistance(0.05, units::ohm);
  std::get<SixGateInverter>(actual.mechanisms[0].board).stage.resistance = Resistance(0.005, units::ohm);
  SimulatedBench bench(spindle_rig(), {.actual = actual});
  const FaultWatch fault(bench);
  (void)bench.brushless("spindle").spin({.at = 1500_rpm});
  bench.serve(1_s);
  EXPECT_NE(fault.what.find("far over its limit of 4 A"), std::string::npos) << fault.what;
  EXPECT_EQ(bench.brushless("spindle").duty().base(), 0.0);
}

TEST(SixStepSpindle, CoggingHoldsItAtItsPlacesAndRipplesItsSpeed) {
  Rig rig = spindle_rig();
  auto& motor = std::get<BrushlessMotor>(rig.mechanisms[0].motor);
  motor.cogging_torque = Torque(0.05, units::Nm);
  motor.cogging_per_turn = 84;
  // Let go a third of a place from one, it rolls to where friction holds it against what is left.
  SimulatedBench at_rest(
      rig, {.start_positions = {{"spindle", OutputPosition(OutputKind::rotary, Ratio(1, 3 * 84))}}});
  at_rest.serve(1_s);
  const double left = 0.05 * std::sin(2.0 * pi * 84.0 * at_rest.brushless_plant("spindle").position());
  EXPECT_LE(std::abs(left), 0.0151);
  EXPECT_LT(at_rest.brushless_plant("spindle").position(), 0.25 / 84.0);
  SimulatedBench bench(rig);
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), 900.0, 18.0);
}

TEST(SixStepSpindle, HoldsItsSpeedWithASalientRotorToo) {
  for (const double saliency : {0.0, 0.3}) {
    Rig rig = spindle_rig();
    std::get<BrushlessMotor>(rig.mechanisms[0].motor).saliency =
        ExactFraction::from_base(saliency > 0.0 ? Ratio(3, 10) : Ratio(0));
    SimulatedBench bench(rig);
    auto spindle = bench.brushless("spindle");
    spindle.spin({.at = 900_rpm}).wait();
    bench.serve(0.5_s);
    EXPECT_NEAR(60.0 * bench.brushless_plant("spindle").speed(), 900.0, 18.0) << saliency;
    EXPECT_TRUE(bench.verdict().is_sound());
  }
}

TEST(SixStepSpindle, StartsOpenLoopFromEveryAngleWithHalfAndTwiceTheInertia) {
  int first = 0;
  for (const double inertia : {0.5, 1.0, 2.0}) {
    for (int place = first++ % testing_support::one_in(5); place < 12; place += testing_support::one_in(5)) {
      const Rig actual = with_inertia_times(inertia, blind_rig());
      SimulatedBench bench(
          blind_rig(),
          {.start_positions = {{"spindle", OutputPosition(OutputKind::rotary, Ratio(place, 84))}},
           .actual = actual});
      auto spindle = bench.brushless("spindle");
      const Motion start = spindle.spin({.at = 300_rpm});
      bench.serve(3_s);
      EXPECT_EQ(start.status(), MotionStatus::done) << inertia << " " << place;
      double turned = bench.brushless_plant("spindle").position();
      bench.serve(1_s);
      turned = bench.brushless_plant("spindle").position() - turned;
      EXPECT_NEAR(turned, 5.0, 0.05) << inertia << " " << place << ": it goes with its field";
      EXPECT_LT(bench.brushless_plant("spindle").sustained_current(), 1.25 * 2.0) << "kept by its shunts";
    }
  }
}

TEST(SixStepSpindle, RefusesWhatItCannotHave) {
  SimulatedBench bench(demo_rig());
  auto spindle = bench.brushless("spindle");
  EXPECT_THROW(spindle.spin({.at = 1900_rpm}), RangeError) << "over its limits";
  EXPECT_THROW(spindle.spin({.at = 20_rpm}), RangeError) << "its Halls count too rarely";
  EXPECT_THROW(spindle.spin({.at = 900_rpm, .lasts = 1_ms}), RangeError);
  EXPECT_THROW((void)bench.brushless("feeder"), RangeError);
  // Without shunts what makes up for its back-EMF would drive too much, were it across its field.
  Rig without_shunts = blind_rig();
  std::erase_if(without_shunts.mechanisms[0].sensors,
                [](const Sensor& sensor) { return std::holds_alternative<Shunt>(sensor); });
  SimulatedBench blind(without_shunts);
  EXPECT_THROW(blind.brushless("spindle").spin({.at = 900_rpm}), RangeError);
}

}  // namespace
}  // namespace cogstride::six_step_test
