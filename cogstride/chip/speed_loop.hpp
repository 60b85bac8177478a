// One step of a speed loop on a microcontroller: PI with feed-forward on counts, in integers.
//
//   d = feed + P (n_w - n) + I (place_w - place)      clamped
//
// Duties are in 1/32768 of full, places in 1/256 count, speeds in a unit of the caller's. A gain is a number
// of duty units for each unit of what it weighs, times 2^20. Products have 64 bits: with gains below 2^31 and
// errors below 2^31 nothing wraps. Each product is rounded once, so that a duty is at most 1 1/2 units off
// the one reckoned without rounding, as long as the gains are the same.
//
// Plain C++14 with integers alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

struct SpeedLoopGains {
  int32_t per_speed = 0;  ///< duty units for a unit of speed, times 2^20
  int32_t per_place = 0;  ///< duty units for 1/256 count, times 2^20; above 0
};

struct SpeedLoopStep {
  int32_t duty = 0;    ///< 1/32768 of full
  int32_t beyond = 0;  ///< 1/256 count by which the place wanted is ahead of what the range allows
};

/// An integer's quotient by 2^20, rounded to the nearest (right shifts keep the sign, as on all compilers for
/// such chips).
constexpr int64_t by_2_20(int64_t value) {
  return (value + (static_cast<int64_t>(1) << 19)) >> 20;
}

/// Duty units that a gain gives a value, rounded.
COGSTRIDE_ONCE constexpr int64_t by_gain(int32_t gain, int32_t value) {
  return by_2_20(static_cast<int64_t>(gain) * value);
}

/// @param feed  duty fed forward; @param speed_error  wanted less measured
/// @param place_error  wanted less measured, 1/256 count; @param least, most  duties that may be given
constexpr SpeedLoopStep speed_loop_step(const SpeedLoopGains& gains, int32_t feed, int32_t speed_error,
                                        int32_t place_error, int32_t least, int32_t most) {
  const int64_t asked = feed + by_gain(gains.per_speed, speed_error) + by_gain(gains.per_place, place_error);
  const int64_t given = asked < least ? least : asked > most ? most : asked;
  const int64_t beyond = asked == given ? 0 : (asked - given) * 1048576 / gains.per_place;
  SpeedLoopStep step;
  step.duty = static_cast<int32_t>(given);
  step.beyond = static_cast<int32_t>(beyond);
  return step;
}

}  // namespace chip
}  // namespace cogstride
