// Closed-form estimates for motors that do not step: brushed and brushless. Figures are those of the motor
// shaft: rad/s, N m, kg m2, s.
//
// Brushed, winding R, torque constant k, supply V, bridge with resistance and drop (Fitzgerald, Kingsley,
// Umans, "Electric Machinery", ch. 7):   V duty - drop = R I + k w,   T = k I
// Brushless by six steps: two phases in series, the back-EMF's mean over a sector; of a sine's peak K that is
// 3/pi K. T = that mean x I, loss R I^2 in R line to line.
//
// In the rest of a period a bridge shorts the motor (slow decay: the mean voltage is what counts), or its
// current flows on through diodes, back into the supply (fast decay) or round (six steps), until there is
// none: then the current of a period is solved as it comes and goes, and the duty for it found by bisection.
#pragma once

#include <optional>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/six_step_cycle.hpp"
#include "cogstride/plan/switched_current.hpp"

namespace cogstride {

/// What a brushed or brushless motor is, behind its board and before its load.
struct RotaryMotorModel {
  double torque_per_ampere = 0.0;  ///< N m/A
  double emf = 0.0;                ///< V s/rad, against the supply
  double resistance = 0.0;         ///< ohm in the current's way against the supply, the board's included
  double drop = 0.0;               ///< V, while it is driven
  double winding_loss = 0.0;       ///< W/A2
  double board_resistance = 0.0;   ///< ohm; its loss is that of one way through it
  double current_limit = 0.0;      ///< A, mean that it may have: limits.current, and what the board's leaves
  double board_limit = 0.0;        ///< A, at which the board cuts a period short; infinite without one
  double inertia = 0.0;            ///< kg m2, the most
  double coulomb = 0.0;
  double viscous = 0.0;  ///< N m s/rad
  double stiction = 0.0;
  double steady = 0.0;
  double supply = 0.0;             ///< V, without load
  double supply_resistance = 0.0;  ///< ohm, inside it
  double inductance = 0.0;         ///< H in the current's way
  double period = 0.0;             ///< s, of the duty; 0: so short that nothing ripples
  double dead = 0.0;               ///< s of each period that a bridge's dead time takes from its drive
  // In the rest of a period, against the current:
  bool by_diodes = false;   ///< it flows through diodes, and stops at nothing; else it may turn round
  double off_supply = 0.0;  ///< share of the supply: 1 where it flows back there
  double off_drop = 0.0;    ///< V
  /// Of six steps, where their commutations are to be followed too (with_commutations()).
  std::optional<SixStepParts> six_steps{};
};

/// What flows with a steady duty at a steady speed.
/// @param duty  0 to 1; @param rad_per_s  at least 0
[[nodiscard]] SwitchedCurrent switched_current(const RotaryMotorModel& model, double duty, double rad_per_s);

/// Duty that gives a mean torque at a speed; above 1: not to be had. Within parts in ten thousand of what
/// switched_current() says of it. @param torque  N m, at least 0
[[nodiscard]] double duty_for_torque(const RotaryMotorModel& model, double torque, double rad_per_s);

/// A speed held against its load: the duty for it, above 1 where it cannot be had, and what flows then.
struct SteadyRun {
  double duty = 0.0;
  SwitchedCurrent current{};
};
[[nodiscard]] SteadyRun steady_run(const RotaryMotorModel& model, double rad_per_s);

/// The same that flows at a speed against its load: at full duty where that does not suffice.
[[nodiscard]] SwitchedCurrent current_at(const RotaryMotorModel& model, double rad_per_s);

/// @throws RangeError for a motor of another kind.
[[nodiscard]] RotaryMotorModel model_of(const Mechanism& mechanism);

/// The same with the commutations of six steps followed (plan/six_step_cycle.hpp), which takes a thousand
/// times as long: for what is told, not for what a mover asks again and again. Of a brushed motor it is the
/// same model.
[[nodiscard]] RotaryMotorModel with_commutations(const Mechanism& mechanism);

/// Torque that friction, weight and tension take at a speed.
[[nodiscard]] double load_torque(const RotaryMotorModel& model, double rad_per_s);

/// Duty (share of the supply) that a speed takes against the load; above 1: not to be had.
[[nodiscard]] double duty_for(const RotaryMotorModel& model, double rad_per_s);

/// Torque left over at a speed, full duty and current limit: below 0, the speed cannot be had.
[[nodiscard]] double torque_left(const RotaryMotorModel& model, double rad_per_s);

/// s, the soonest from rest to a speed, at full duty within its current limit: the integral of J dw / T(w),
/// of all that is left at each speed. Infinite where nothing is.
[[nodiscard]] double run_up_time(const RotaryMotorModel& model, double rad_per_s);

/// The duty at which it breaks loose from rest, by the peak of its current, and goes on turning by its mean.
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
