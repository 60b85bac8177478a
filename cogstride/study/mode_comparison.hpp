// How quietly a stepper turns in each stepping mode that its board can do, over slow speeds: full steps at
// the natural frequency of the rotor make it oscillate, smaller steps less.
#pragma once

#include <functional>

#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/sweep_result.hpp"

namespace cogstride {

/// Speeds from a quarter of the resonant one to three times it, each held on the simulated bench.
/// @param on_mode  told of each mode as its trials end; may be empty
/// @throws RangeError unless the mechanism is a stepper that can be moved
[[nodiscard]] ModeComparison compare_modes(const Rig& rig, const Mechanism& mechanism,
                                           const std::function<void(const ModeCurve&)>& on_mode = {});

}  // namespace cogstride
