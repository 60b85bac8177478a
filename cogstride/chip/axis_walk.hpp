// Moves of one axis that the chip plans by itself: to a step, on and on, to rest, to an edge.
//
//   AxisWalk<decltype(axis)> walk(axis, 16000000);
//   walk.go_to(4000, fast);
//   for (;;) walk.serve();                       // the main program: keeps a few runs ahead
//
// A sensor's interrupt that calls axis.end_here() ends a way on the very step; serve() takes note.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "ramp_maker.hpp"

namespace cogstride {
namespace chip {

template <class Axis>
class AxisWalk {
 public:
  /// @param lead  ticks from an order to its first run, enough to make one
  AxisWalk(Axis& axis, uint32_t ticks_per_second, uint16_t lead = 20000)
      : axis_(axis), ramp_(ticks_per_second), lead_(lead) {}

  /// To a step, or to the axis' limit before it; while it moves, too.
  void go_to(int32_t target, const ChipLimits& limits) {
    ramp_.limits(limits);
    ramp_.go_to(target < axis_.least() ? axis_.least() : target > axis_.most() ? axis_.most() : target);
  }
  /// On and on: +1 or -1.
  void go_on(int8_t way, const ChipLimits& limits) { go_to(way > 0 ? INT32_MAX : INT32_MIN, limits); }
  /// To rest on a ramp.
  void brake() { ramp_.brake(); }
  /// Something else has ended it, or named its place: it stands where the axis says.
  void ended() {
    axis_.clear();
    ramp_.stands_at(axis_.position());
  }

  /// How often the next run was not there in time, and it stopped at once: steps may be lost since.
  uint8_t starved() const { return starved_; }

  bool is_busy() const { return axis_.is_playing() || !ramp_.is_at_rest(); }

  /// Puts runs ahead, begins and goes on. @return whether something moves
  COGSTRIDE_ONCE bool serve() {
    if (axis_.is_halted()) {
      if (axis_.starved() && starved_ != 255) ++starved_;
      if (!axis_.is_playing()) ended();
      return false;
    }
    while (axis_.queued() < runs_ahead) {
      NarrowPulseRun run;
      if (!ramp_.next(run)) break;
      axis_.put(run);
    }
    axis_.start(lead_);
    return is_busy();
  }

 private:
  static constexpr uint8_t runs_ahead = 4;

  Axis& axis_;
  RampMaker ramp_;
  uint16_t lead_;
  uint8_t starved_ = 0;
};

}  // namespace chip
}  // namespace cogstride
