#include "cogstride/lines/edge_ramp.hpp"

#include <algorithm>

#include "cogstride/chip/edge_brake.hpp"

namespace cogstride {

std::int64_t steps_before_ramp(const chip::ChipLimits& limits, double ticks_per_second) {
  return chip::steps_before_brake(limits.speed, static_cast<std::uint32_t>(ticks_per_second));
}

std::vector<chip::NarrowPulseRun> ramp_to_rest(std::int64_t place, bool backwards, std::uint64_t gap,
                                               const chip::ChipLimits& limits, double ticks_per_second) {
  const auto ticks = static_cast<std::uint32_t>(ticks_per_second);
  chip::ChipLimits now = limits;
  now.speed = ticks / static_cast<std::uint32_t>(std::max<std::uint64_t>(1, gap >> 16));
  std::vector<chip::NarrowPulseRun> runs;
  if (chip::may_stand(now, now.speed)) return runs;
  chip::RampMaker ramp(ticks);
  ramp.brake_from(static_cast<std::int32_t>(place), backwards ? -1 : 1, now);
  chip::NarrowPulseRun run{};
  while (ramp.next(run)) runs.push_back(run);
  return runs;
}

}  // namespace cogstride
