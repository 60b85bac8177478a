// Where a stepper begins to lose steps: found by bisection on the simulated bench, and as predicted from its
// parts.
//
//   SweepResult sweep = sweep_limit(rig, traverse, SweepOf::acceleration);
//   sweep.found;        // 2521 mm/s2: held on the bench; one percent more was not
//   sweep.predicted;    // 2606 mm/s2: by plan/rotor_lag.hpp
//
// Each trial runs the mechanism up from rest, alone and free of ends and from three phases of its field, and
// holds the speed for 25 natural periods. What is found is the highest value below which all of them held.
// Accelerations are swept without the jerk limit, up to the rig's speed; speeds are swept with the rig's own
// ramps.
#pragma once

#include <functional>

#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/sweep_result.hpp"

namespace cogstride {

/// @param on_trial  told of each trial on the bench as it ends; may be empty
/// @throws RangeError unless the mechanism is a stepper that can be moved, or when it cannot move at all
[[nodiscard]] SweepResult sweep_limit(const Rig& rig, const Mechanism& mechanism, SweepOf of,
                                      const std::function<void(const SweepTrial&)>& on_trial = {});

}  // namespace cogstride
