#include "cogstride/study/scatter.hpp"

#include <cmath>

#include "cogstride/lines/noise.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/study/side_by_side.hpp"

namespace cogstride {
namespace {

constexpr std::uint64_t start_source = 0x40000;

/// Anywhere between the hard ends, else over the travel, else on the ring.
OutputPosition random_start(const Mechanism& mechanism, std::uint64_t seed, std::size_t number) {
  double from = 0.0;
  double to = 1.0;
  if (mechanism.hard_ends) {
    from = mechanism.hard_ends->from.base.to_double();
    to = mechanism.hard_ends->to.base.to_double();
  } else if (mechanism.limits.travel_from && mechanism.limits.travel_to) {
    from = mechanism.limits.travel_from->base.to_double();
    to = mechanism.limits.travel_to->base.to_double();
  }
  const double place = from + (to - from) * even_noise(seed, start_source, number);
  return {output_kind(mechanism.train), Ratio(std::llround(place * 1e9), 1'000'000'000)};
}

HomingTrial home_once(const Rig& alone, std::uint64_t seed, std::size_t number) {
  const Mechanism& mechanism = alone.mechanisms[0];
  const double scale = display_units_per_base(output_kind(mechanism.train));
  const OutputPosition start = random_start(mechanism, seed, number);
  SimulatedBench bench(alone, {.seed = seed + number, .start_positions = {{mechanism.name, start}}});
  HomingTrial trial;
  trial.start = scale * start.base.to_double();
  trial.fault = bench.stepper(mechanism.name).home().result();
  if (!trial.fault.empty()) return trial;
  bench.serve(Time(0.4, units::s));
  double error = bench.plant(mechanism.name).position() - mechanism.homing->position.base.to_double();
  if (!mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary)
    error -= std::round(error);
  trial.error = scale * error;
  return trial;
}

double sensor_noise(const Mechanism& mechanism) {
  const PlaceSwitch* const home = mechanism.home_switch();
  return home == nullptr ? 0.0 : home->noise.base.to_double();
}

}  // namespace

ScatterResult scatter_homing(const Rig& rig, const Mechanism& mechanism, std::size_t count,
                             std::uint64_t seed, const std::function<void(std::size_t)>& on_done) {
  require_movable(mechanism);
  (void)homing_goal(mechanism, rig.controller);
  const Rig alone = alone_on(rig, mechanism);
  const double scale = display_units_per_base(output_kind(mechanism.train));
  ScatterResult result;
  result.mechanism = mechanism.name;
  result.guesses = mechanism.guesses;
  result.unit = display_unit(output_kind(mechanism.train), 0);
  result.microstep = scale / std::abs(steps_per_base(mechanism).to_double());
  result.noise = scale * sensor_noise(mechanism);
  result.trials.resize(count);
  std::atomic<std::size_t> done{0};
  side_by_side(count, [&](std::size_t i) {
    result.trials[i] = home_once(alone, seed, i);
    if (on_done) on_done(++done);
  });
  return result;
}

}  // namespace cogstride
