#include "cogstride/plan/small_chip.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {

SmallChipFigures figures_of(const SmallChip&, double ticks_per_second) {
  // Cycles of the 8-bit AVR, which are its timer's ticks.
  SmallChipFigures figures;
  figures.row_comes_later = 145;
  figures.row_is_off = 41;
  figures.other_axis_takes = 400;
  figures.shortest_pulse = 40.0 / ticks_per_second;
  figures.rate_of_one = 64'000.0;
  figures.rate_of_two = 30'000.0;
  figures.run_takes = 3'000;
  figures.runs_ahead = 15;
  return figures;
}

chip::ChipLimits chip_limits(const RampLimits& limits) {
  const auto whole = [](double value, double most) {
    return static_cast<std::uint32_t>(std::clamp(std::floor(value + 1e-9), 1.0, most));
  };
  chip::ChipLimits own{whole(limits.speed, 65535.0), 0, whole(limits.acceleration, 16'777'216.0)};
  own.start_speed = limits.start_speed < 1.0 ? 0 : whole(limits.free_speed(), own.speed);
  return own;
}

chip::ChipLimits chip_brake(const RampLimits& limits) {
  RampLimits plain = limits;
  const double free = limits.free_speed();
  const double way = way_to_rest(limits, limits.speed);
  if (limits.jerk > 0.0 && way > 0.0)
    plain.acceleration =
        std::min(limits.acceleration, (limits.speed * limits.speed - free * free) / (2.0 * way));
  return chip_limits(plain);
}

}  // namespace cogstride
