// What a timer makes of a frequency: it divides its clock by whole numbers, so that only some can be had.
#pragma once

#include <cstdint>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct TimerChoice {
  std::int64_t counts = 0;  ///< from bottom to top, at least 1
  Ratio frequency{};        ///< that comes, Hz: exact
  double error = 0.0;       ///< of it, as a share of what was asked; below 0: too slow
  double duty_step = 0.0;   ///< smallest change of duty, as a share of the period
  bool fits = true;         ///< false: the timer is too narrow for a period so long, or its clock too slow
};

/// Counts nearest to a frequency. Edge-aligned, a period is counts x prescaler / clock; centre-aligned the
/// timer counts up and down again, twice that. @param wanted  above 0
[[nodiscard]] TimerChoice choose_counts(ExactFrequency clock, const TimerUnit& timer, ExactFrequency wanted,
                                        Alignment alignment);

/// Counts as given: for the neighbours of a choice.
[[nodiscard]] TimerChoice with_counts(ExactFrequency clock, const TimerUnit& timer, ExactFrequency wanted,
                                      Alignment alignment, std::int64_t counts);

}  // namespace cogstride
