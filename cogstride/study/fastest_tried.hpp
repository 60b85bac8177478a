// The fastest move of a stepper with torque to spare, tried on the simulated bench before it is proposed.
#pragma once

#include "cogstride/plan/fastest.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/move_trial.hpp"

namespace cogstride {

struct TriedFastest {
  FastestMove move{};
  MoveTrial trial{};  ///< of that very move: its margin is the one asked for, or more
};

/// What plan/fastest.hpp finds, and where the bench shows less torque to spare than it estimates, what has
/// the margin there: found with more kept back, and softened in the end.
/// @param margin  share of its torque, 0 to most_margin_told
/// @throws RangeError as fastest_move(), or when no figures have that margin on the bench
[[nodiscard]] TriedFastest fastest_tried(const Rig& rig, const Mechanism& mechanism, OutputPosition from,
                                         const MoveOrder& order, double margin);

}  // namespace cogstride
