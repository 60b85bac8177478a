// How far a stepper's rotor lags behind its field on the way of a ramp, and how much torque there is to
// spare.
//
//   RotorLag lag = follow(traverse, plan.ramp);
//   lag.holds;                       // no step is lost
//   lag.worst;                       // electrical degrees behind the command, of which
//   lag.behind_field;                // behind the field: beyond 90 the pull falls again, at 180 it is gone
//   torque_margin(traverse, plan.ramp);   // 0.31: the motor could have 31 % less torque and lose nothing
//
// The rotor and both windings, the board's chopper averaged (Fitzgerald, Kingsley, Umans, "Electric
// Machinery", chs. 5 and 8):
//
//   J w' = k (i_b cos r - i_a sin r) - T_detent sin 4r - friction - steady torque,   r' = teeth w
//   L i' = v - R i - e,   v whatever brings i to its target at once, as far as the supply reaches
//
// integrated over the ramp and the oscillation after it (semi-implicit Euler, 200 steps a natural period or
// more). So a step of acceleration counts with the oscillation it starts, a jump to a start speed with its
// energy, a limited jerk with the oscillation it spares, and a supply that is too low with the torque it
// costs. Long cruises are followed until their oscillation has died away or come to stay.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

struct RotorLag {
  bool holds = true;
  double worst = 0.0;     ///< electrical degrees behind the command, magnitude; until the first loss
  double worst_at = 0.0;  ///< s since the ramp's start
  /// Of it what lies between the rotor and the field that the currents make: they follow their command late,
  /// the more so the nearer the back-EMF comes to the supply.
  double behind_field = 0.0;
};

/// @param ramp          in the mechanism's steps, from rest
/// @param torque_share  of the motor's torque that is there
/// @throws RangeError unless the motor is a stepper
[[nodiscard]] RotorLag follow(const Mechanism& mechanism, const Ramp& ramp, double torque_share = 1.0);

/// What a margin keeps back because currents and field are simpler here than in a motor: on run-ups of the
/// demo rig follow() holds up to 4 % harder ones than its plant does (study/sweep_test.cpp).
inline constexpr double margin_for_what_differs = 0.1;

/// The quick estimate of a margin: share of its torque that the motor could lack on this ramp, begun at rest
/// in its field and at this very speed, and still lose no step. It knows neither the chopper's ripple nor
/// what grows for longer than it looks; study/move_trial.hpp tries the move itself. Less
/// margin_for_what_differs: below 0 when it may lose some, and that much more would be needed. Found to half
/// a percent; below -4 when five times the torque would not do.
[[nodiscard]] double torque_margin(const Mechanism& mechanism, const Ramp& ramp);

/// Of a servo with a loop of its own: the share of its peak torque that the ramp leaves at its worst instant,
/// below 0 when it wants more than there is; and when that is.
struct ServoMargin {
  double share = 0.0;
  double worst_at = 0.0;  ///< s
};
[[nodiscard]] ServoMargin servo_margin(const Mechanism& mechanism, const Ramp& ramp);

}  // namespace cogstride
