// The demo spindle by six steps on the simulated bench.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/plan/commutation.hpp"
#include "cogstride/plan/open_loop_start.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride {
namespace {

using namespace literals;
using testing_support::demo_rig;

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

/// Keeps the six gates in sight: whether both of a leg were on, and the shortest gap from one off to the
/// other on, in ticks.
class GateWatch final : public TraceSink {
 public:
  explicit GateWatch(const Mechanism& mechanism) {
    const auto& wiring = std::get<GateWiring>(mechanism.wiring);
    for (std::size_t i = 0; i < 6; ++i) {
      gates_[static_cast<LineId>(wiring.gates[i].number)] = i;
      active_high_[i] = wiring.gates[i].active == ActiveLevel::high;
    }
  }
  bool both = false;
  Tick shortest_gap = never;
  std::int64_t edges = 0;

  void begin(const TraceLayout& layout) override {
    for (const TracedLine& line : layout.lines) edge(0, line.id, line.starts_high);
  }
  void edge(Tick at, LineId line, bool high) override {
    const auto found = gates_.find(line);
    if (found == gates_.end()) return;
    ++edges;
    const std::size_t i = found->second;
    const bool on = high == active_high_[i];
    if (on && !on_[i] && went_off_[i ^ 1U] >= 0)
      shortest_gap = std::min(shortest_gap, at - went_off_[i ^ 1U]);
    if (!on && on_[i]) went_off_[i] = at;
    on_[i] = on;
    both = both || (on && on_[i ^ 1U]);
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

 private:
  std::map<LineId, std::size_t> gates_;
  std::array<bool, 6> active_high_{};
  std::array<bool, 6> on_{};
  std::array<Tick, 6> went_off_{-1, -1, -1, -1, -1, -1};
};

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
  EXPECT_THROW((void)commutation_of(mechanism_named(demo_rig(), "letoff")), RangeError);
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
  EXPECT_TRUE(bench.tally().is_sound());
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
  double drawn = bench.brushless_plant("spindle").charge();
  for (int i = 0; i < 500; ++i) {
    bench.serve(1_ms);
    duty += spindle.duty() / 500.0;
  }
  drawn = (bench.brushless_plant("spindle").charge() - drawn) / 0.5;
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
                       {.stimuli = {{.at = 2_s, .what = "spindle.load", .torque = Torque(0.1, units::Nm)}}});
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
  Rig real = spindle_rig();
  for (Sensor& sensor : real.mechanisms[0].sensors)
    if (auto* const halls = std::get_if<HallSet>(&sensor)) halls->spacing = 60_deg;
  SimulatedBench bench(spindle_rig(), {.real = real, .trace = &watch});
  std::string fault;
  bench.on_fault([&](const std::string& why) { fault = why; });
  auto spindle = bench.brushless("spindle");
  const Motion spin = spindle.spin({.at = 900_rpm});
  bench.serve(1_s);
  EXPECT_EQ(spin.status(), MotionStatus::faulted);
  EXPECT_NE(fault.find("Hall"), std::string::npos) << fault;
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
  for (const bool has_halls : {true, false}) {
    const Rig rig = has_halls ? spindle_rig() : blind_rig();
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
  Rig real = spindle_rig();
  // Its high sides are really switched on by a high level, which is what the controller's lines rest at.
  auto& board = std::get<SixGateInverter>(real.mechanisms[0].board);
  board.gate_active[0] = board.gate_active[2] = board.gate_active[4] = ActiveLevel::high;
  SimulatedBench bench(spindle_rig(), {.real = real});
  auto spindle = bench.brushless("spindle");
  (void)spindle.spin({.at = 900_rpm});
  bench.serve(0.3_s);
  ASSERT_TRUE(bench.brushless_plant("spindle").destroyed_at());
  const BrushlessTally tally = bench.tally().brushless[0];
  EXPECT_FALSE(tally.is_sound());
  EXPECT_NE(tally.destroyed_by.find("lines 1"), std::string::npos) << tally.destroyed_by;
  EXPECT_LT(*tally.destroyed_at, 0.01);
}

TEST(SixStepSpindle, AJammedShaftEndsItWithAllGatesOff) {
  GateWatch watch(spindle_rig().mechanisms[0]);
  SimulatedBench bench(spindle_rig(), {.stimuli = {{.at = 2_s, .what = "spindle.jam"}}, .trace = &watch});
  std::string fault;
  bench.on_fault([&](const std::string& why) { fault = why; });
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  bench.serve(Time(2.0, units::s) - bench.now());
  bench.serve(0.35_s);
  EXPECT_NE(fault.find("spindle"), std::string::npos) << fault;
  EXPECT_EQ(spindle.duty(), 0.0);
  const std::int64_t edges = watch.edges;
  bench.serve(0.1_s);
  EXPECT_EQ(watch.edges, edges) << "all gates stay off";
}

TEST(SixStepSpindle, StartsOpenLoopFromEveryAngleWithHalfAndTwiceTheInertia) {
  for (const double inertia : {0.5, 1.0, 2.0}) {
    for (int place = 0; place < 6; ++place) {
      Rig real = blind_rig();
      real.mechanisms[0].load.inertia = Inertia(2.2e-4 * inertia, units::kg_m2);
      real.mechanisms[0].load.most_inertia.reset();
      SimulatedBench bench(
          blind_rig(),
          {.start_positions = {{"spindle", OutputPosition(OutputKind::rotary, Ratio(place, 43))}},
           .real = real});
      auto spindle = bench.brushless("spindle");
      const Motion start = spindle.spin({.at = 300_rpm});
      bench.serve(6_s);
      EXPECT_EQ(start.status(), MotionStatus::done) << inertia << " " << place;
      double turned = bench.brushless_plant("spindle").position();
      bench.serve(1_s);
      turned = bench.brushless_plant("spindle").position() - turned;
      EXPECT_NEAR(turned, 5.0, 0.05) << inertia << " " << place << ": it goes with its field";
    }
  }
}

TEST(SixStepSpindle, RefusesWhatItCannotHave) {
  SimulatedBench bench(demo_rig());
  auto spindle = bench.brushless("spindle");
  EXPECT_THROW(spindle.spin({.at = 1900_rpm}), RangeError) << "over its limits";
  EXPECT_THROW(spindle.spin({.at = 20_rpm}), RangeError) << "its Halls count too rarely";
  EXPECT_THROW(spindle.spin({.at = 900_rpm, .lasts = 1_ms}), RangeError);
  EXPECT_THROW((void)bench.brushless("letoff"), RangeError);
  SimulatedBench blind(blind_rig());
  EXPECT_THROW(blind.brushless("spindle").spin({.at = 1790_rpm}), RangeError);
}

}  // namespace
}  // namespace cogstride
