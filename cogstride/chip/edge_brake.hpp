// How an axis that an edge is to brake comes to rest: so many steps after that edge its ramp begins, so that
// whoever plans knows each of its steps beforehand, and a main program has the time to see to it.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "pulse_run.hpp"
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

/// The gap from a run's last step but one to the last. @param steps  of them, from its begin
inline uint32_t link_last(const NarrowPulseRun& run, uint8_t steps) {
  // It is a gap, so what turns round on the way to it does not matter.
  const uint32_t n = steps == 0 ? 0 : steps - 1;
  return static_cast<uint32_t>(
      run.gap + static_cast<uint32_t>(run.change) * n +
      static_cast<uint32_t>(run.bend * static_cast<int32_t>(n == 0 ? 0 : n * (n - 1) / 2)));
}
/// Ticks of that, 1 at the least.
inline uint32_t link_last_gap(const NarrowPulseRun& run, uint8_t steps) {
  const uint32_t gap = link_last(run, steps);
  const uint32_t ticks = (run.flags & run_slow) != 0 ? gap >> 12 : gap >> 16;
  return ticks == 0 ? 1 : ticks;
}
/// After a last step at that speed: a ramp comes to it from the start speed's square and twice the
/// acceleration.
inline bool may_stand(const ChipLimits& limits, uint32_t speed) {
  return speed <= 65535 && speed * speed <= limits.start_speed * limits.start_speed + 2 * limits.acceleration;
}

}  // namespace chip
}  // namespace cogstride
