// Where a script that only time decides leaves what is driven by duty: the same run with many seeds.
#pragma once

#include <functional>
#include <vector>

#include "cogstride/script/script.hpp"
#include "cogstride/study/results/end_scatter.hpp"

namespace cogstride {

/// @param of  places in the rig of the mechanisms that are asked for; those that are not driven by duty are
/// left out
/// @param seed  of the first run; each has one more @param averaged  as SimulatedBench::Options::average_pwm
/// @param on_done  told how many are done, from any thread; may be empty
[[nodiscard]] std::vector<EndScatter> scatter_ends(const Rig& rig, const Script& script,
                                                   const std::vector<std::size_t>& of, std::size_t count,
                                                   std::uint64_t seed, bool averaged,
                                                   const std::function<void(std::size_t)>& on_done = {});

}  // namespace cogstride
