// A planned move played from its pulse runs, held against the exact times of its steps.
#pragma once

#include <cstddef>

#include "cogstride/plan/move.hpp"

namespace cogstride {

/// How a planned move is stored and played.
struct PlayedPlan {
  std::size_t pulses = 0;
  std::size_t runs = 0;            ///< pulse runs, 24 bytes each
  double worst_error_ticks = 0.0;  ///< largest distance of a pulse from the exact time of its step
  double first_pulse = 0.0;        ///< s after the ramp's start
  double shortest_interval = 0.0;  ///< s between pulses; 0 with fewer than two
};

/// Fits the plan's pulse runs and plays them against the exact step times.
/// @param grain  ticks, as of step_grain()
[[nodiscard]] PlayedPlan play_plan(const MovePlan& plan, ExactFrequency clock, std::int64_t grain = 1);

}  // namespace cogstride
