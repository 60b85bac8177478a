// How well homing finds its zero again: many homings on the simulated bench, each from another place, another
// electrical phase of the rotor and with other noise.
#pragma once

#include <functional>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/study/results/scatter_result.hpp"

namespace cogstride {

/// @param count    of homings
/// @param on_done  told how many are done, from any thread; may be empty
/// @throws RangeError when the mechanism cannot be homed
[[nodiscard]] ScatterResult scatter_homing(const Rig& rig, const Mechanism& mechanism, std::size_t count,
                                           std::uint64_t seed,
                                           const std::function<void(std::size_t)>& on_done = {});

}  // namespace cogstride
