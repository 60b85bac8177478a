// One run of a script on the simulated bench: what plays, what is kept of it, and what it came to.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/session/position_memory.hpp"
#include "cogstride/session/script_run.hpp"

namespace cogstride {

/// What a run came to.
struct Rehearsed {
  Verdict verdict{};
  std::vector<std::string> notes{};      ///< of remembered positions
  std::vector<OutsideEvent> not_come{};  ///< events whose time did not come
  std::vector<TaughtLimit> taught{};
};

/// Plays it to its end, and for a while after it: the swing of the last stop dies away.
/// @param memory  positions from the last run, and for the next where this one ends as it should
/// @param play  plays the script, as play_script() does; whoever calls may show how far it has come
[[nodiscard]] Rehearsed rehearse(const Rig& rig, const Script& script, SimulatedBench::Options options,
                                 PositionMemory& memory,
                                 const std::function<PlayedScript(Bench&, ScriptPlayer&)>& play);

/// A rig of what is really on the bench: the same mechanisms, of the same kinds, in the same order.
/// @param file  of it @param rig_file  of `rig`, for what is said. @throws Error when they are others
[[nodiscard]] Rig read_actual_rig(const std::string& file, const Rig& rig, const std::string& rig_file);

}  // namespace cogstride
