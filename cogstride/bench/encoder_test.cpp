// Encoders on the simulated bench: what their lines carry, what is made of it, and what it tells of the
// motor.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plant/encoder_track.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::encoder_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

Rig with_scale() {
  Rig rig = demo_rig();
  rig.mechanisms[0].sensors.push_back(testing_support::scale_on_the_screw());
  return rig;
}

Encoder& scale_of(Rig& rig) {
  return std::get<Encoder>(rig.mechanisms[0].sensors.back());
}

const std::map<std::string, OutputPosition> near_home{{"traverse", 3_mm}};

TEST(EncoderTrack, MakesEachEdgeAtItsPlaceBothWays) {
  Rig rig = with_scale();
  const EncoderTrack track(rig.mechanisms[0], scale_of(rig), 1);
  EncoderTrack::State state = track.settled_at(0.0);
  const double count = 4e-6;  // m
  for (const int way : {1, -1}) {
    int edges = 0;
    for (int i = 0; i < 20'000; ++i) {
      const double place = way > 0 ? i * 1e-8 : (20'000 - i) * 1e-8;
      while (track.beyond(state, place) > 0.0) {
        track.change(state, place);
        ++edges;
        EXPECT_NEAR(std::remainder(place, count), 0.0, 1.1e-8);
        EXPECT_EQ(state.due_count, 1u) << "one track at a time";
      }
    }
    EXPECT_NEAR(edges, 50, 1);
  }
}

TEST(EncoderTrack, PutsItsErrorsWhereItsDiscHasThem) {
  Rig rig = with_scale();
  scale_of(rig).eccentricity = Angle(0.2, units::deg);
  scale_of(rig).line_error = Angle(0.01, units::deg);
  const EncoderTrack track(rig.mechanisms[0], scale_of(rig), 1);
  EncoderTrack::State state = track.settled_at(0.0);
  double worst = 0.0;
  double mean_square = 0.0;
  int edges = 0;
  std::vector<double> first_turn;
  for (double place = 0.0; place < 16e-3; place += 1e-8) {
    while (track.beyond(state, place) > 0.0) {
      track.change(state, place);
      const double off =
          (place - static_cast<double>(state.quarter) * 4e-6) / 8e-3 * 360.0;  // degrees of the screw
      const double sine = 0.2 * std::sin(2.0 * pi * static_cast<double>(state.quarter) / 2000.0);
      worst = std::max(worst, std::abs(off));
      mean_square += (off - sine) * (off - sine);
      if (edges < 2000) first_turn.push_back(off);
      if (edges >= 2000 && edges < 3900) {
        EXPECT_NEAR(off, first_turn[static_cast<std::size_t>(edges - 2000)], 0.001)
            << "every turn meets them again";
      }
      ++edges;
    }
  }
  EXPECT_NEAR(edges, 4000, 3);
  EXPECT_NEAR(worst, 0.2, 0.04);
  EXPECT_NEAR(std::sqrt(mean_square / edges), 0.01, 0.001);
}

TEST(Encoder, CountsWhereTheOutputIsThroughTheTrain) {
  for (const bool backwards : {false, true}) {
    Rig rig = with_scale();
    scale_of(rig).counts_backwards = backwards;
    SimulatedBench bench(rig, {.start_positions = near_home});
    auto traverse = bench.stepper("traverse");
    EXPECT_FALSE(traverse.measured().position);
    traverse.home().wait();
    for (const auto& place : {40_mm, 117_mm, 3.3_mm}) {
      traverse.move({.to = place}).wait();
      bench.serve(0.3_s);
      const Measured measured = traverse.measured();
      ASSERT_TRUE(measured.position);
      EXPECT_NEAR(measured.position->base.to_double(), bench.plant("traverse").position(), 6e-6);
      EXPECT_EQ(measured.encoder, "scale");
    }
  }
}

TEST(Encoder, TellsTheSpeedOfTheOutput) {
  SimulatedBench bench(with_scale(), {.start_positions = near_home});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  for (const auto& speed : {2_mm_per_s, 20_mm_per_s, 60_mm_per_s}) {
    auto move = traverse.move({.to = 110_mm, .speed = speed});
    bench.serve(0.6_s);
    // The rotor itself swings about its steps a little; over a while that evens out.
    double sum = 0.0;
    for (int i = 0; i < 200; ++i) {
      bench.serve(Time(0.002, units::s));
      sum += traverse.measured().speed.base;
    }
    // At a creep it swings by a count or two from step to step.
    const double share = speed == 2_mm_per_s ? 0.15 : 0.02;
    EXPECT_NEAR(sum / 200.0, speed.base().to_double(), share * speed.base().to_double());
    move.cancel();
    bench.wait_for_all();
    bench.serve(0.3_s);
    traverse.move({.to = 0_mm}).wait();
    bench.serve(0.3_s);
  }
}

TEST(Encoder, NoticesStepsThatWereLost) {
  SimulatedBench bench(with_scale(),
                       {.start_positions = near_home,
                        .events = {{4_s, "traverse.jam", true}, {4.1_s, "traverse.jam", false}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  const std::string fault = traverse.move({.to = 110_mm, .speed = 20_mm_per_s}).result();
  EXPECT_NE(fault.find("traverse: steps were lost: scale counts it at"), std::string::npos) << fault;
  EXPECT_LT(bench.now().in(units::s), 4.1);
  EXPECT_FALSE(traverse.position()) << "it is not where it was thought to be";
  bench.serve(0.5_s);
  traverse.home().wait();
  EXPECT_EQ(traverse.move({.to = 10_mm}).result(), "");
}

TEST(Encoder, IsNotDisturbedByShortPulsesThatItsFilterHolds) {
  SimulatedLines::Setup setup;
  for (const int line : {1, 2})
    setup.lines.push_back({static_cast<LineId>(line), "e", MechanismId{}, LineSetup::Use::input, false, 0,
                           static_cast<SourceId>(line)});
  for (const Tick filter : {0, 100}) {
    setup.counters = {{SourceId{100}, SourceId{101}, LineId{1}, LineId{2}, 4, filter}};
    std::vector<LineEdge> edges;
    Tick at = 0;
    for (int quarter = 1; quarter <= 40; ++quarter) {
      at += 1000;
      edges.push_back({at, LineId{quarter % 2 == 1 ? std::uint16_t{1} : std::uint16_t{2}},
                       quarter % 4 == 1 || quarter % 4 == 2});
      // Disturbed in between: both lines jump for 20 ticks and come back.
      const bool a = quarter % 4 == 1 || quarter % 4 == 2;
      const bool b = quarter % 4 == 2 || quarter % 4 == 3;
      edges.push_back({at + 500, LineId{1}, !a});
      edges.push_back({at + 500, LineId{2}, !b});
      edges.push_back({at + 520, LineId{1}, a});
      edges.push_back({at + 520, LineId{2}, b});
    }
    Surroundings world({{LineId{1}, false}, {LineId{2}, false}}, edges);
    SimulatedLines lines(setup);
    lines.attach(world);
    lines.sample(SourceId{100}, at + 900, 0);
    lines.sample(SourceId{101}, at + 901, 0);
    std::vector<Reading> readings;
    lines.wait_until(at + 900, readings);
    ASSERT_EQ(readings.size(), 1u);
    EXPECT_EQ(readings[0].raw, 40);
    lines.wait_until(at + 901, readings);
    if (filter > 0) {
      EXPECT_EQ(readings[1].raw, at) << "the tick of the edge, not of its counting";
    }
  }
}

}  // namespace
}  // namespace cogstride::encoder_test
