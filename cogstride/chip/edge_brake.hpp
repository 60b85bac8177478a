// How an axis that an edge is to brake comes to rest: so many steps after that edge its ramp begins, so that
// whoever plans knows each of its steps beforehand, and a main program has the time to see to it.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "ramp_maker.hpp"

namespace cogstride {
namespace chip {

/// Ticks in which a main program's slowest turn is over: 2.5 ms, 40000 at the least.
constexpr uint32_t brake_guard(uint32_t ticks_per_second) {
  return ticks_per_second / 400 < 40000 ? 40000 : ticks_per_second / 400;
}
/// Steps that are made yet when the edge comes. @param speed  that it goes at the most, steps/s, to 65535
constexpr uint32_t steps_before_brake(uint32_t speed, uint32_t ticks_per_second) {
  return 2 + speed * (brake_guard(ticks_per_second) / 100) / (ticks_per_second / 100);
}

/// After a last step at that speed: a ramp comes to it from the start speed's square and twice the
/// acceleration.
inline bool may_stand(const ChipLimits& limits, uint32_t speed) {
  return speed <= 65535 && speed * speed <= limits.start_speed * limits.start_speed + 2 * limits.acceleration;
}

}  // namespace chip
}  // namespace cogstride
