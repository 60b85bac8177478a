// What follows from a rig's figures for a drive on a bus: its units, its limits in them, and its motor seen
// as one of direct current.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

struct DriveMotorFigures {
  double torque_constant = 0.0;  ///< N m/A, and V s/rad: the back-EMF constant, line to line
  double resistance = 0.0;       ///< ohm, line to line
  double inductance = 0.0;       ///< H, line to line
  double rated_current = 0.0;    ///< A; the limit of its current where no label says it
  MotorHeat heat{};
};
/// @throws RangeError when it is no motor for a drive on a bus
[[nodiscard]] DriveMotorFigures drive_motor_figures(const Mechanism& mechanism);

/// A of its motor, that it may be given at the most.
[[nodiscard]] double drive_most_current(const Mechanism& mechanism);

/// Its limits in counts and seconds: the acceleration of the rig, else what its current gives beside its
/// load.
[[nodiscard]] RampLimits drive_limits(const Mechanism& mechanism);
/// The acceleration of those, as an amount of its output.
[[nodiscard]] OutputAcceleration drive_acceleration(const Mechanism& mechanism);
/// N m at the motor that its ramp takes beside its load.
[[nodiscard]] double drive_ramp_torque(const Mechanism& mechanism);
/// N m of its motor that its current gives.
[[nodiscard]] double drive_most_torque(const Mechanism& mechanism);
/// counts/s^2 that its current gives beside what its load takes: how steeply it may stop.
[[nodiscard]] double drive_steepest(const Mechanism& mechanism);

}  // namespace cogstride
