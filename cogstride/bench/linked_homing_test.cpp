// Homing behind a link: where it stops does not depend on what the line delays.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/linked_rig.hpp"

namespace cogstride::linked_homing_test {
namespace {

using namespace literals;

/// The lace winder's carriage with its gate and its hard ends.
Rig linked_carriage(Time delay, bool has_jerk = true) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {"carriage"});
  rig.whole.reset();
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.link->delay = delay;
  if (!has_jerk) rig.mechanisms[0].limits.jerk.reset();
  return rig;
}

SimulatedBench::Options starting_at(OutputPosition place) {
  SimulatedBench::Options options;
  options.start_positions["carriage"] = place;
  return options;
}

struct Homed {
  double lowest = 1e9;  ///< mm
  std::vector<std::string> complaints{};
};

Homed home(Time delay, bool has_jerk) {
  SimulatedBench bench(linked_carriage(delay, has_jerk), starting_at(12_mm));
  Homed homed;
  auto carriage = bench.stepper("carriage");
  auto homing = carriage.home();
  while (!homing.has_ended()) {
    bench.serve(1_ms);
    homed.lowest = std::min(homed.lowest, bench.signal("carriage.made"));
  }
  EXPECT_EQ(homing.result(), "");
  EXPECT_EQ(carriage.move({.to = 5_mm}).result(), "");
  EXPECT_NEAR(bench.signal("carriage.made"), 5.0, 0.01);
  homed.complaints = bench.verdict().of("carriage").complaints;
  return homed;
}

TEST(LinkedHoming, GoesNoFartherBeyondItsGateWhateverTheLineDelays) {
  for (const bool has_jerk : {true, false}) {
    SCOPED_TRACE(has_jerk);
    const Homed near = home(1_ms, has_jerk);
    // The gate acts at -1.01 mm; 15 mm/s go on for the steps of 2.5 ms and two of 1/160 mm, then on a ramp of
    // 800 mm/s2, or one as long as that with its jerk of 20000 mm/s3 is. The rotor is a part of a full step
    // behind on the way, and not at rest.
    const double ramp = has_jerk ? 15.0 * std::sqrt(15.0 / 20'000.0) : 15.0 * 15.0 / 1600.0;
    EXPECT_NEAR(near.lowest, -1.01 - (0.05 + ramp), 0.06);
    EXPECT_EQ(near.complaints, std::vector<std::string>{});
    for (const Time delay : {20_ms, 80_ms}) {
      SCOPED_TRACE(delay.in(units::ms));
      const Homed far = home(delay, has_jerk);
      EXPECT_NEAR(far.lowest, near.lowest, 0.01);
      EXPECT_EQ(far.complaints, std::vector<std::string>{});
    }
  }
}

/// Told to stop while the edge is braking it, or before anybody has heard of that: it comes to rest where the
/// lines bring it, and is homed as ever after.
TEST(LinkedHoming, MayBeStoppedWhenever) {
  for (int i = 0; i < 24; ++i) {
    SCOPED_TRACE(i);
    SimulatedBench bench(linked_carriage(20_ms), starting_at(3_mm));
    auto carriage = bench.stepper("carriage");
    auto homing = carriage.home();
    while (bench.signal("carriage.made") > -1.0 && !homing.has_ended()) bench.serve(1_ms);
    bench.serve(Time(2.0 + 6.0 * i, units::ms));
    homing.cancel();
    bench.wait_for_all();
    EXPECT_GT(bench.signal("carriage.made"), -2.0);
    EXPECT_EQ(carriage.home().result(), "");
    EXPECT_EQ(carriage.move({.to = 5_mm}).result(), "");
    EXPECT_NEAR(bench.signal("carriage.made"), 5.0, 0.01);
    EXPECT_EQ(bench.verdict().of("carriage").complaints, std::vector<std::string>{});
  }
}

}  // namespace
}  // namespace cogstride::linked_homing_test
