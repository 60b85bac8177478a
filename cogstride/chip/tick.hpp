// Time on lines: whole ticks of the controller's timer clock, with a 16-bit fraction where runs are joined.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

/// Ticks of the timer clock since the controller's zero. 63 bits last for 6000 years at 48 MHz.
typedef int64_t Tick;

/// An instant between ticks: `tick + fraction / 65536`.
struct FineTick {
  Tick tick;
  uint16_t fraction;
};

/// The whole tick nearest to an instant, half up.
constexpr Tick nearest_tick(FineTick at) {
  return at.tick + (at.fraction >> 15);
}

}  // namespace chip
}  // namespace cogstride
