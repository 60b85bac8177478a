// What the part for small chips (chip/) does there: how fast, how late. Figures of the programs that
// scripts/test-chip runs, which holds them against these.
#pragma once

#include "cogstride/chip/ramp_maker.hpp"
#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/controller.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

struct SmallChipFigures {
  chip::Tick row_comes_later = 0;   ///< ticks from that of a row by port write to the write, in the middle
  chip::Tick row_is_off = 0;        ///< by so much at the most either way
  chip::Tick other_axis_takes = 0;  ///< and so much later while the other axis goes on to its next run
  double shortest_pulse = 0.0;      ///< s that STEP is high at the least
  double rate_of_one = 0.0;         ///< steps/s of one axis
  double rate_of_two = 0.0;         ///< and of each of two that go at once
  chip::Tick run_takes = 0;         ///< ticks that the main program takes to put one at the most
  int runs_ahead = 0;               ///< that wait at the most
};
[[nodiscard]] SmallChipFigures figures_of(const SmallChip& chip, double ticks_per_second);

/// Limits as the chip's own ramps take them: whole numbers, no jerk.
[[nodiscard]] chip::ChipLimits chip_limits(const RampLimits& limits);
/// A chip's ramp to rest knows no limit on jerk: one that takes as long a way from the top speed.
[[nodiscard]] chip::ChipLimits chip_brake(const RampLimits& limits);

}  // namespace cogstride
