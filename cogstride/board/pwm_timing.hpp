// How the timer of a mechanism makes the frequency of its PWM, in ticks.
#pragma once

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct PwmTiming {
  Tick period = 1;
  Tick grain = 1;  ///< steps in which an on-time can be set

  /// `at`, or the first period that begins after it.
  [[nodiscard]] Tick begins(Tick at) const { return (at + period - 1) / period * period; }
};

/// By the timer that the rig names for the mechanism; where it names none, by counting ticks.
/// @throws RangeError when that timer cannot make the frequency
[[nodiscard]] PwmTiming pwm_timing(const Mechanism& mechanism, const Controller& controller,
                                   ExactFrequency frequency, Alignment alignment);

[[nodiscard]] constexpr PwmAlignment pwm_alignment(Alignment alignment) {
  return alignment == Alignment::centre ? PwmAlignment::centre : PwmAlignment::edge;
}

}  // namespace cogstride
