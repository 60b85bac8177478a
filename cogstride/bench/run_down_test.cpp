// What is said to turn still, against the plant that does: it turns no faster, and does not stand later.
#include "cogstride/motion/speed/run_down.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::run_down_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::trials;

/// A rig with one mechanism, its load somewhere within `most` times what it is and as much below.
Rig random_rig(const char* name, std::mt19937_64& random, double most) {
  const auto times = [&] {
    return std::exp(std::uniform_real_distribution<double>(-std::log(most), std::log(most))(random));
  };
  Rig rig = only_with(demo_rig(), {name});
  Load& load = rig.mechanisms[0].load;
  load.inertia = Inertia::from_base(load.inertia.base() * (0.5 + times()));
  if (load.most_inertia) load.most_inertia = load.inertia;
  load.coulomb_friction = Torque::from_base(load.coulomb_friction.base() * times());
  load.stiction = Torque::from_base(load.coulomb_friction.base() * 1.5);
  load.viscous_friction = ViscousFriction::from_base(load.viscous_friction.base() * times());
  return rig;
}

/// Lines at rest, and then the two speeds (of the output, by size, turns/s) every 50 ms.
/// @return the largest share that is said beyond what is, while it still turns well
double compare(SimulatedBench& bench, const RunDown& said, const std::function<double()>& is) {
  const double ticks_per_second = bench.rig().controller.timer_clock.base().to_double();
  const auto now = [&] { return std::llround(bench.now().in(units::s)*ticks_per_second); };
  bench.stop();
  const double from = std::abs(is());
  if (std::isinf(said.stands_in(now()))) {  // its load may turn it: how fast is not said
    bench.serve(2_s);
    const Load& load = bench.rig().mechanisms[0].load;
    // Friction differs from place to place.
    if (load.stiction.base() * (1.0 + 4.0 * load.friction_spread.base().to_double()) <
        load.steady_torque.base()) {
      EXPECT_GT(std::abs(is()), 0.0);
    }
    return 0.0;
  }
  EXPECT_NEAR(std::abs(said.speed(now())) / from, 1.0, 0.1);
  const double stands_in = said.stands_in(now());
  double worst = 0.0;
  for (int i = 0; i < 40; ++i) {
    bench.serve(50_ms);
    const double made = std::abs(is());
    const double told = std::abs(said.speed(now()));
    EXPECT_LE(made, told + 0.1 * from) << i;
    if (made > 0.3 * from) worst = std::max(worst, told / made - 1.0);
    if (0.05 * (i + 1) > 1.1 * stands_in + 0.05) {
      EXPECT_NEAR(made, 0.0, 0.1 * from) << "said to stand";
    }
  }
  return worst;
}

TEST(RunDown, SaysOfABrushlessMotorWhatItDoes) {
  std::mt19937_64 random(5);
  for (int i = 0; i < trials(6, 60); ++i) {
    SimulatedBench bench(random_rig("spindle", random, 3.0));
    auto spindle = bench.brushless("spindle");
    spindle.spin({.at = OutputSpeed(ExactAngularSpeed(i % 2 == 0 ? 900 : -900, units::rpm))}).wait();
    bench.serve(0.2_s);
    SCOPED_TRACE(i);
    EXPECT_LT(compare(bench, bench.mover_as<SixStepMover>("spindle").run_down(),
                      [&] { return bench.brushless_plant("spindle").speed(); }),
              0.1)
        << i;
  }
}

TEST(RunDown, OfABrushedMotorItIsTheMost) {
  std::mt19937_64 random(6);
  for (int i = 0; i < trials(12, 120); ++i) {
    Rig rig = random_rig("feeder", random, 2.0);
    rig.mechanisms[0].load.slackens = i % 3 == 0;
    SimulatedBench bench(rig);
    bench.brushed("feeder").spin({.duty = i % 2 == 0 ? 50_percent : -50_percent}).wait();
    bench.serve(2_s);
    SCOPED_TRACE(i);
    (void)compare(bench, bench.mover_as<DutyMover>("feeder").run_down(),
                  [&] { return bench.brushed_plant("feeder").speed(); });
  }
}

}  // namespace
}  // namespace cogstride::run_down_test
