// Starting a brushless motor without sensors: it is held in one row until it stands there, then taken on from
// row to row in ever shorter steps, as fast as torque and inertia allow.
//
// Held by a current I the rotor oscillates about its place with  w = sqrt(p k I / J);  friction T_c takes T_c
// / (k I) of a radian off each quarter of an oscillation (Coulomb damping: J. P. Den Hartog, "Mechanical
// Vibrations", 1956, ch. 8). A row pulls with k I at its best and with half of that where the next one takes
// over: what is left of that half after friction, shared with a reserve, accelerates.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {

struct OpenLoopStart {
  double current = 0.0;        ///< A, that it is aligned and taken on with
  double align_duty = 0.0;     ///< share of the supply that gives that current at rest
  double align_seconds = 0.0;  ///< until its oscillation has died away
  double acceleration = 0.0;   ///< rows/s2
  double top_rate = 0.0;       ///< rows/s, at the most that its supply leaves

  /// The share of the supply at a rate of rows: the back-EMF's and the current's.
  [[nodiscard]] double duty_at(double rate) const { return align_duty + emf_per_rate * rate; }
  double emf_per_rate = 0.0;  ///< duty a row/s
  // A PI loop that keeps the current by a shunt, looked at once a period of the duty; its bandwidth lies
  // well below where a period and a half of delay would matter.
  double per_ampere = 0.0;         ///< duty an ampere that is missing
  double per_ampere_second = 0.0;  ///< duty an ampere and second
};

/// By shunts its current is kept as it is meant; without them the duty alone must never drive too much.
/// @throws RangeError when friction alone is more than the current limit leaves
[[nodiscard]] OpenLoopStart open_loop_start(const Mechanism& mechanism, const RotaryMotorModel& model);

}  // namespace cogstride
