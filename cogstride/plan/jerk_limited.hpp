// Least time with a limit on jerk as well: phases of constant jerk whose acceleration never jumps.
//
// Method: on the way to rest at a target, a motion first changes its speed towards the limit in the target's
// direction, in the least time, and at some instant turns to changing it to the final speed. The place where
// it then ends grows with that instant, so one bracketed root gives the answer; when even the whole way up to
// the limit ends too early, what is left is cruised. From rest to rest the root has a closed form.
// docs/maths/ramps.md, eqs. 5 to 8.
#pragma once

#include "cogstride/plan/ramp.hpp"

namespace cogstride::jerk_limited {

/// From `start` to rest at `target`; limits are sound and `limits.jerk` is above 0.
[[nodiscard]] Ramp to_rest(const MotionState& start, StepPosition target, const RampLimits& limits);

/// From `start` to `speed` (signed, steps/s), which is then held without end.
[[nodiscard]] Ramp to_speed(const MotionState& start, double speed, const RampLimits& limits);

/// Where the shortest way to rest ends, signed way from the start, steps.
[[nodiscard]] double stopping_way(const MotionState& start, const RampLimits& limits);

}  // namespace cogstride::jerk_limited
