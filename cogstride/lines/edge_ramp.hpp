// How runs go on that an edge brakes (StopOn::ramp): with the chip's own code, so that whoever plays them
// alike comes to rest on the same step.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// Steps that are made yet when the edge comes.
[[nodiscard]] std::int64_t steps_before_ramp(const chip::ChipLimits& limits, double ticks_per_second);

/// What follows the last of them: none, where it may stand at once.
/// @param place  it is on then @param gap  to that step, Q.16 ticks
[[nodiscard]] std::vector<chip::NarrowPulseRun> ramp_to_rest(std::int64_t place, bool backwards,
                                                             std::uint64_t gap,
                                                             const chip::ChipLimits& limits,
                                                             double ticks_per_second);

}  // namespace cogstride
