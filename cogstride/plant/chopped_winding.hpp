// One winding of a stepper behind a current-chopping output stage.
//
// The stage drives the winding towards its target current with all the voltage there is; on reaching it the
// winding is shorted for a fixed off-time (slow decay). When the current still stands above a falling target,
// the stage drives it down (fast decay). Instants of reaching the target are located inside the step.
#pragma once

#include <algorithm>
#include <cmath>

namespace cogstride {

struct WindingParts {
  double resistance = 0.0;         ///< ohm
  double inductance = 0.0;         ///< H
  double supply_voltage = 0.0;     ///< V
  double supply_resistance = 0.0;  ///< ohm
  double drop = 0.0;               ///< V, of the output stage, against the current
  double off_time = 0.0;           ///< s
};

struct ChoppedWinding {
  double current = 0.0;   ///< A
  double off_left = 0.0;  ///< s of slow decay still to come

  /// `seconds` with the stage on, towards `target` amperes, against `back_emf` volts.
  void regulate(double seconds, double target, double back_emf, const WindingParts& parts) {
    // Each pass ends at an instant of switching; a stage that could switch without end takes off_time a turn.
    while (seconds > 0.0) {
      const double error = target - current;
      if (off_left > 0.0 || error == 0.0) {
        const double span = off_left > 0.0 ? std::min(seconds, off_left) : seconds;
        decay(span, back_emf, parts);
        off_left = std::max(0.0, off_left - span);
        seconds -= span;
        continue;
      }
      const double way = error > 0.0 ? 1.0 : -1.0;
      const double bus = parts.supply_voltage - parts.drop - parts.supply_resistance * std::abs(current);
      const double slope = (way * bus - parts.resistance * current - back_emf) / parts.inductance;
      const double reached = error / slope;
      if (slope * way <= 0.0 || reached >= seconds) {
        current += slope * seconds;
        return;
      }
      current = target;
      seconds -= reached;
      off_left = parts.off_time;
    }
  }

  /// `seconds` with the stage off: the current flows back into the supply through the diodes until it is
  /// gone.
  void release(double seconds, double back_emf, const WindingParts& parts) {
    off_left = 0.0;
    if (current == 0.0) return;
    const double way = current > 0.0 ? 1.0 : -1.0;
    const double slope =
        (-way * parts.supply_voltage - parts.resistance * current - back_emf) / parts.inductance;
    const double next = current + slope * seconds;
    current = next * way > 0.0 ? next : 0.0;
  }

 private:
  void decay(double seconds, double back_emf, const WindingParts& parts) {
    const double way = current > 0.0 ? 1.0 : (current < 0.0 ? -1.0 : 0.0);
    const double slope = (-way * parts.drop - parts.resistance * current - back_emf) / parts.inductance;
    const double next = current + slope * seconds;
    // Crossing zero inside a step would let the drop push the current on: it only ever brakes.
    current = way != 0.0 && next * way < 0.0 ? 0.0 : next;
  }
};

}  // namespace cogstride
