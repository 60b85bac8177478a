// A planned move in the form that small chips play: runs of 12 bytes, long gaps as silent runs.
//
//   for (const chip::NarrowPulseRun& run : narrow_plan(plan.ramp, plan.from_step, 16e6)) put(run);
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

/// Each pulse lies within a tick of the exact time of its step. The last run says that nothing follows.
/// @param made  the step the output stands on; @param ticks_per_second  of the chip's timer
/// @throws RangeError when two steps come closer than `least_gap` ticks, which the chip's player takes for
/// one
[[nodiscard]] std::vector<chip::NarrowPulseRun> narrow_plan(const Ramp& ramp, std::int64_t made,
                                                            double ticks_per_second, double least_gap = 1.0);

/// One that RunFitter has made in the form for chips.
[[nodiscard]] chip::NarrowPulseRun narrow_run(const chip::PulseRun& run);

/// The ticks at which such runs make their pulses, from 0 on: what a chip's compare output does.
[[nodiscard]] std::vector<chip::Tick> played_ticks(const std::vector<chip::NarrowPulseRun>& runs);

}  // namespace cogstride
