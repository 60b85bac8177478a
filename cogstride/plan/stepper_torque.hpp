// Closed-form estimates of what a stepper behind its board can do. Mechanical figures are
// those of the motor shaft: rad/s, N m, kg m2.
//
//   torque at speed w, p = full steps / 4, electrical speed p w, back-EMF k w, supply V less the stage's
//   drop:
//     T(w) = f k min( I, V / Z - k w R / Z^2 ),  Z = sqrt(R^2 + (p w L)^2),  f = sqrt 2 with two phases on
//   (pull-out of a synchronous machine on a stiff source: Fitzgerald, Kingsley, Umans, "Electric Machinery",
//   ch. 5)
//
// A torque applied as a step takes the rotor past its place: by the equal-area rule 0.725 of it can be used,
// less when the start speed is jumped to.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// Share s of the pull-out torque that a load applied as a step may use, so that the oscillation which it
/// starts is just survived. With sin x = s the work of the field up to the far side equals that of the load
/// and the energy of the jump to the start speed, e (in units of torque / rotor teeth):  1 + cos x - s (pi -
/// x) = e. 0.725 for e = 0.
/// @param held_against  share of the pull-out torque that the rotor already leans the other way with, as when
/// a
///                      motion against friction is braked: it then oscillates from  x0 = -asin(held_against):
///                      cos x0 + cos x - s (pi - x - x0) = e
/// @return 0 when the jump alone is too much
[[nodiscard]] double usable_share_of_pull_out(double jump_energy, double held_against = 0.0);

/// How a board drives the windings of a stepper: microstepping with one current vector, or whole and half
/// steps with one or two phases on.
struct StepperDrive {
  double volts = 0.0;       ///< V left for a winding and its board's resistance
  double resistance = 0.0;  ///< ohm, of both
  double current = 0.0;     ///< A, peak of a winding
  bool is_limited = false;  ///< by the board; else by the resistance alone
  double field = 1.0;       ///< vector sum of the phases that are on: sqrt 2 of two; the least
  /// Coils that carry `current` at a time: where it stands with the most of them, and on average while it
  /// turns. Of a sine the squares of both always make one.
  double coils_held = 1.0;
  double coils_turning = 1.0;
};
/// @throws RangeError unless it is a stepper
[[nodiscard]] StepperDrive stepper_drive(const Mechanism& mechanism);

/// Rotor teeth: electrical turns for a turn of the shaft. @throws RangeError unless it is a stepper
[[nodiscard]] double rotor_teeth(const Mechanism& mechanism);

/// Torque that the windings give at a shaft speed, detent not taken off. N m, never below 0.
[[nodiscard]] double available_torque(const Mechanism& mechanism, double rad_per_s);

/// Friction, weight and tension at a shaft speed, N m.
[[nodiscard]] double friction_torque(const Mechanism& mechanism, double rad_per_s);

/// Acceleration of the output from rest up to a speed that loses no steps, base units (m or turns) a second
/// squared; 0 when friction alone is too much.
[[nodiscard]] double usable_acceleration(const Mechanism& mechanism, double output_speed);

/// Deceleration of the output from a speed to rest that loses no steps: what the motor can do at its hardest,
/// helped by friction, base units a second squared.
[[nodiscard]] double usable_deceleration(const Mechanism& mechanism, double output_speed);

/// Speed that may be reached at once from rest, base units a second: the rotor's oscillation after the jump
/// may just reach the top of the torque curve, so that its electrical speed is twice the natural frequency at
/// the most.
[[nodiscard]] double pull_in_speed(const Mechanism& mechanism);

/// Frequency of small oscillations about a place of rest, Hz; detent left out, whose effect is even on the
/// way.
[[nodiscard]] double natural_frequency(const Mechanism& mechanism);

/// The same where the field stands at `field_angle` (electrical radians, 0 with coil A alone): the root of
/// stiffness over inertia,  k = teeth (T + 4 T_detent cos 4 angle). Detent stiffens the places with one phase
/// on, and softens those with two; 0 where it is the stronger one.
[[nodiscard]] double natural_frequency_at(const Mechanism& mechanism, double field_angle);

/// Shaft speed for an output speed in base units a second.
[[nodiscard]] double shaft_speed(const Mechanism& mechanism, double output_speed);

}  // namespace cogstride
