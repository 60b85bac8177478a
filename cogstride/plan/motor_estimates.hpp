// Closed-form estimates for motors that do not step: brushed and brushless. Figures are those of the motor
// shaft: rad/s, N m, kg m2, s.
//
// Brushed, winding R, torque constant k, supply V, bridge with resistance and drop (Fitzgerald, Kingsley,
// Umans, "Electric Machinery", ch. 7):   V duty - drop = R I + k w,   T = k I
// Brushless with sine back-EMF of K volts peak line to line by speed: phase peak K/sqrt 3, so that a phase
// current of I peak in step with it gives T = (sqrt 3 / 2) K I and loses (3/4) R I^2 in R line to line.
// Six-step with a trapezoid: two phases in series, T = K I, loss R I^2.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// What a brushed or brushless motor is, behind its board and before its load.
struct RotaryMotorModel {
  double torque_per_ampere = 0.0;  ///< N m/A
  double emf = 0.0;                ///< V s/rad, against the supply
  double resistance = 0.0;         ///< ohm in the current's way against the supply, the board's included
  double drop = 0.0;               ///< V
  double reactance_per_rad = 0.0;  ///< ohm s/rad, that turns the voltage out of step (sine only)
  double winding_loss = 0.0;       ///< W/A2
  double board_resistance = 0.0;   ///< ohm; its loss is that of one way through it
  double current_limit = 0.0;      ///< A
  double inertia = 0.0;            ///< kg m2, the most
  double coulomb = 0.0;
  double viscous = 0.0;  ///< N m s/rad
  double stiction = 0.0;
  double steady = 0.0;
  double supply = 0.0;  ///< V
};

/// @throws RangeError for a motor of another kind.
[[nodiscard]] RotaryMotorModel model_of(const Mechanism& mechanism);

/// Torque that friction, weight and tension take at a speed.
[[nodiscard]] double load_torque(const RotaryMotorModel& model, double rad_per_s);

/// Duty (share of the supply) that a speed takes against the load; above 1: not to be had.
[[nodiscard]] double duty_for(const RotaryMotorModel& model, double rad_per_s);

/// Torque left over at a speed, full duty and current limit: below 0, the speed cannot be had.
[[nodiscard]] double torque_left(const RotaryMotorModel& model, double rad_per_s);

/// The duty at which it breaks loose from rest.
[[nodiscard]] double start_duty(const RotaryMotorModel& model);

/// Time until it stands when the drive is taken away at a speed, within 2 % for braking; tension and weight
/// left out. Coasting:  t = J/B ln(1 + B w / T_c).  Braking through its own winding adds k^2/R to B.
[[nodiscard]] double spin_down_time(const RotaryMotorModel& model, double rad_per_s, SlowsBy slows_by);

/// Speed that is left of `rad_per_s` (at least 0) when it has coasted for a time, tension and weight left
/// out; a Coulomb friction below 0 is a load that drives it on: w(t) = (w + T_c/B) exp(-B t/J) - T_c/B, until
/// it stands.
[[nodiscard]] double coasted(const RotaryMotorModel& model, double rad_per_s, double seconds);

/// Speed at which it settles with a duty (share of the supply, at least 0) against its load; 0 when that does
/// not turn it.
[[nodiscard]] double speed_by_duty(const RotaryMotorModel& model, double duty);

}  // namespace cogstride
