#include "cogstride/plan/drive_figures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr double least_torque_share = 0.1;  // of its torque, that is left to change its speed at the least

}  // namespace

DriveMotorFigures drive_motor_figures(const Mechanism& mechanism) {
  if (!mechanism.has_bus_drive())
    throw RangeError(
        fmt::format("{}: has a {}, and no drive on a bus", mechanism.name, kind_name(mechanism.board)));
  DriveMotorFigures figures;
  std::optional<Current> rated;
  if (const auto* const brushless = std::get_if<BrushlessMotor>(&mechanism.motor)) {
    figures.torque_constant = brushless->back_emf_constant.in(units::V_s_per_rad);
    figures.resistance = brushless->resistance.base();
    figures.inductance = brushless->inductance.base();
    figures.heat = brushless->heat;
    rated = brushless->rated_current;
  } else if (const auto* const brushed = std::get_if<BrushedMotor>(&mechanism.motor)) {
    figures.torque_constant = brushed->torque_constant.in(units::Nm_per_A);
    figures.resistance = brushed->resistance.base();
    figures.inductance = brushed->inductance.base();
    figures.heat = brushed->heat;
    rated = brushed->rated_current;
  } else {
    throw RangeError(
        fmt::format("{}: a {} motor has no drive on a bus", mechanism.name, kind_name(mechanism.motor)));
  }
  const std::optional<Current>& limit = mechanism.limits.current;
  figures.rated_current = rated ? rated->base() : limit ? limit->base() : 0.0;
  return figures;
}

double drive_most_current(const Mechanism& mechanism) {
  return mechanism.limits.current ? mechanism.limits.current->base()
                                  : drive_motor_figures(mechanism).rated_current;
}

double drive_most_torque(const Mechanism& mechanism) {
  return drive_motor_figures(mechanism).torque_constant * drive_most_current(mechanism);
}

double drive_steepest(const Mechanism& mechanism) {
  const double torque = drive_most_torque(mechanism);
  const double left = std::max(least_torque_share * torque, torque - mechanism.load.coulomb_friction.base() -
                                                                std::abs(steady_load(mechanism).base()));
  const double rad_per_s2 = left / most_moved_inertia(mechanism).base();
  return rad_per_s2 / (2.0 * pi) * static_cast<double>(steps_per_motor_turn(mechanism));
}

OutputAcceleration drive_acceleration(const Mechanism& mechanism) {
  const OutputAcceleration& said = mechanism.limits.acceleration;
  if (Ratio(0) < said.base) return said;
  return {output_kind(mechanism.train),
          Ratio(static_cast<std::int64_t>(drive_steepest(mechanism))) / steps_per_base(mechanism)};
}

double drive_ramp_torque(const Mechanism& mechanism) {
  return drive_limits(mechanism).acceleration / static_cast<double>(steps_per_motor_turn(mechanism)) * 2.0 *
         pi * most_moved_inertia(mechanism).base();
}

RampLimits drive_limits(const Mechanism& mechanism) {
  RampLimits limits;
  limits.speed = steps_per_time(mechanism, mechanism.limits.speed);
  limits.acceleration = steps_per_time(mechanism, drive_acceleration(mechanism));
  if (mechanism.limits.jerk) limits.jerk = steps_per_time(mechanism, *mechanism.limits.jerk);
  return limits;
}

}  // namespace cogstride
