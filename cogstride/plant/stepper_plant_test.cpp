#include "cogstride/plant/stepper_plant.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::stepper_plant_test {
namespace {

using namespace literals;

constexpr Tick millisecond = 48'000;
constexpr WindingParts winding{
    .resistance = 1.9, .inductance = 3.4e-3, .supply_voltage = 24.0, .drop = 0.8, .off_time = 15e-6};

TEST(ChoppedWinding, RisesAsResistanceAndInductanceSay) {
  ChoppedWinding coil;
  const double step = 1e-6;
  double time = 0.0;
  while (coil.off_left == 0.0) {
    coil.regulate(step, 1.6, 0.0, winding);
    time += step;
  }
  const double bus = winding.supply_voltage - winding.drop;
  const double closed =
      -winding.inductance / winding.resistance * std::log(1.0 - 1.6 * winding.resistance / bus);
  EXPECT_NEAR(time, closed, 2e-6);
}

TEST(ChoppedWinding, RipplesJustBelowItsTarget) {
  ChoppedWinding coil;
  for (int i = 0; i < 2000; ++i) coil.regulate(1e-6, 1.6, 0.0, winding);
  double low = 10.0;
  double high = 0.0;
  for (int i = 0; i < 500; ++i) {
    coil.regulate(1e-6, 1.6, 0.0, winding);
    low = std::min(low, coil.current);
    high = std::max(high, coil.current);
  }
  EXPECT_LE(high, 1.6);
  EXPECT_GT(high, 1.59);
  const double fall = (1.6 * winding.resistance + winding.drop) / winding.inductance * winding.off_time;
  EXPECT_NEAR(low, 1.6 - fall, 0.002);
}

TEST(ChoppedWinding, NeverGetsMoreThanTheSupplyGives) {
  ChoppedWinding coil;
  for (int i = 0; i < 100'000; ++i) coil.regulate(1e-6, 50.0, 0.0, winding);
  EXPECT_NEAR(coil.current, (winding.supply_voltage - winding.drop) / winding.resistance, 1e-3);
  for (int i = 0; i < 100'000; ++i) coil.regulate(1e-6, 50.0, 12.0, winding);
  EXPECT_NEAR(coil.current, (winding.supply_voltage - winding.drop - 12.0) / winding.resistance, 1e-3);
}

TEST(ChoppedWinding, IsDrivenDownFastAndReleasedToNothing) {
  ChoppedWinding coil;
  coil.current = 1.6;
  coil.regulate(1e-6, -1.6, 0.0, winding);
  EXPECT_NEAR(coil.current, 1.6 - (23.2 + 1.6 * 1.9) / 3.4e-3 * 1e-6, 1e-6);
  for (int i = 0; i < 400; ++i) coil.release(1e-6, 0.0, winding);
  EXPECT_EQ(coil.current, 0.0);
}

/// A traverse without friction, switched on near a place of rest, `off` electrical radians from it.
StepperPlant oscillating(Mechanism mechanism, double off, double detent) {
  mechanism.load.coulomb_friction = {};
  mechanism.load.viscous_friction = {};
  mechanism.stepper().detent_torque = Torque(detent, units::Nm);
  mechanism.sensors.clear();
  mechanism.homing.reset();
  const double turns = off / (2 * pi * 50);
  StepperPlant plant(
      mechanism,
      {.clock = 48_MHz, .start_position = turns / motor_turns_per_base(mechanism.train).to_double()});
  (void)plant.advance(1);
  plant.hear(LineId{2}, false);  // ENABLE
  return plant;
}

double oscillation_frequency(StepperPlant plant) {
  (void)plant.advance(10 * millisecond);  // currents are up
  double last = plant.position();
  double first_crossing = 0.0;
  double last_crossing = 0.0;
  int crossings = -1;
  const Tick start = 10 * millisecond;
  for (Tick at = start; at < start + 500 * millisecond; at += 480) {
    (void)plant.advance(at);
    if (last < 0.0 && plant.position() >= 0.0) {
      const double share = -last / (plant.position() - last);
      last_crossing = (static_cast<double>(at) - 480 * (1 - share)) / 48e6;
      if (++crossings == 0) first_crossing = last_crossing;
    }
    last = plant.position();
  }
  return crossings / (last_crossing - first_crossing);
}

TEST(StepperPlant, SwingsAtTheRootOfStiffnessOverInertia) {
  const Mechanism mechanism = testing_support::demo_rig().mechanisms[0];
  const double inertia = mechanism.load.inertia.base();
  const double torque = mechanism.stepper().torque_constant().base() * 1.6;  // one field vector of 1.6 A
  const double plain = std::sqrt(50 * torque / inertia) / (2 * pi);
  EXPECT_NEAR(oscillation_frequency(oscillating(mechanism, 0.05, 0.0)), plain, 0.01 * plain);
  // At power-up both windings carry the same current; there the detent pushes away from the field's place.
  const double weaker = std::sqrt(50 * (torque - 4 * 0.012) / inertia) / (2 * pi);
  EXPECT_NEAR(oscillation_frequency(oscillating(mechanism, 0.05, 0.012)), weaker, 0.01 * weaker);
  EXPECT_NEAR(weaker / plain, 0.92, 0.005) << "8 % down, as the design says";
}

TEST(StepperPlant, RestsWithinWhatFrictionHolds) {
  Mechanism mechanism = testing_support::demo_rig().mechanisms[0];
  mechanism.stepper().detent_torque = {};
  StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = 59.01e-3});
  (void)plant.advance(1);
  plant.hear(LineId{2}, false);
  (void)plant.advance(1000 * millisecond);
  EXPECT_EQ(plant.speed(), 0.0);
  // Coulomb friction over holding torque of one field vector, in electrical radians: 32 microsteps are a
  // period.
  const double reach = std::asin(0.020 / (0.1989 * 1.6)) / (2 * pi) * 32;
  const double off = std::remainder(plant.rotor_microsteps(), 32.0);
  EXPECT_LE(std::abs(off), reach * 1.05);
}

TEST(StepperPlant, WithoutCurrentStaysWhereItIs) {
  Mechanism mechanism = testing_support::demo_rig().mechanisms[0];
  StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = 50.037e-3});
  (void)plant.advance(1000 * millisecond);
  EXPECT_NEAR(plant.position(), 50.037e-3, 1e-9) << "friction is above the detent";
}

TEST(StepperPlant, GoesBackToWhereItWasKept) {
  const Mechanism mechanism = testing_support::demo_rig().mechanisms[0];
  StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = -0.905e-3});
  (void)plant.advance(1);
  plant.hear(LineId{2}, false);
  (void)plant.advance(millisecond);
  plant.keep();
  std::vector<LineEdge> first;
  std::vector<LineEdge> second;
  for (auto* edges : {&first, &second}) {
    plant.go_back();
    for (int i = 0; i < 5; ++i) {
      if (const auto edge = plant.advance(100 * millisecond)) edges->push_back(*edge);
    }
  }
  ASSERT_FALSE(first.empty()) << "it oscillates through the gate's edge";
  ASSERT_EQ(first.size(), second.size());
  for (std::size_t i = 0; i < first.size(); ++i) EXPECT_EQ(first[i].at, second[i].at);
}

/// Steps the motor forwards at `rate` for `steps`, from standing.
void step_along(StepperPlant& plant, Tick& at, double rate, int steps,
                std::vector<LineEdge>* edges = nullptr) {
  const auto interval = static_cast<Tick>(48e6 / rate);
  const auto advance = [&](Tick until) {
    while (const auto edge = plant.advance(until)) {
      if (edges != nullptr) edges->push_back(*edge);
    }
  };
  for (int i = 0; i < steps; ++i) {
    advance(at);
    plant.hear(LineId{0}, true);
    advance(at + 150);
    plant.hear(LineId{0}, false);
    at += interval;
  }
}

TEST(StepperPlant, LosesWholeElectricalPeriodsWhenStartedTooFast) {
  Mechanism mechanism = testing_support::demo_rig_without_gate().mechanisms[0];
  StepperPlant plant(mechanism, {.clock = 48_MHz});
  (void)plant.advance(1);
  plant.hear(LineId{2}, false);
  Tick at = 200 * millisecond;
  plant.hear(LineId{1}, true);  // DIR
  step_along(plant, at, 12'000, 3000);
  (void)plant.advance(at + 500 * millisecond);
  EXPECT_EQ(plant.counts().pulses, 3000);
  EXPECT_GT(plant.lost_microsteps(), 0);
  EXPECT_EQ(plant.lost_microsteps() % 32, 0);
  EXPECT_NEAR(plant.rotor_microsteps(), static_cast<double>(3000 - plant.lost_microsteps()), 1.0)
      << "counted from the angle";
  ASSERT_FALSE(plant.slips().empty());
  EXPECT_NEAR(plant.slips()[0].step_rate, 12'000, 1.0);
}

TEST(StepperPlant, StopsAtItsHardEnd) {
  Mechanism mechanism = testing_support::demo_rig_without_gate().mechanisms[0];
  StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = 122.4e-3});
  (void)plant.advance(1);
  plant.hear(LineId{2}, false);
  Tick at = 200 * millisecond;
  plant.hear(LineId{1}, true);
  step_along(plant, at, 500, 400);
  EXPECT_LT(plant.position(), 122.55e-3);
  EXPECT_GT(plant.lost_microsteps(), 0);
}

TEST(StepperPlant, LocatesItsGatesEdgeInTime) {
  Mechanism mechanism = testing_support::demo_rig().mechanisms[0];
  mechanism.home_switch()->noise = {OutputKind::linear, 0};
  const auto edge_time = [&](double step) {
    StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = -1.2e-3, .coarsest_step = step});
    (void)plant.advance(1);
    plant.hear(LineId{2}, false);
    Tick at = 300 * millisecond;
    while (plant.advance(at)) {
    }
    plant.hear(LineId{1}, true);
    std::vector<LineEdge> edges;
    step_along(plant, at, 1000, 200, &edges);
    EXPECT_EQ(edges.size(), 1u);
    EXPECT_NEAR(plant.position(), -1.2e-3 + 200 * 3.75e-6, 30e-6);
    return edges.empty() ? 0.0 : static_cast<double>(edges[0].at) / 48e6;
  };
  EXPECT_NEAR(edge_time(5e-6), edge_time(0.5e-6), 20e-6);
}

}  // namespace
}  // namespace cogstride::stepper_plant_test
