#include "cogstride/plan/stepper_torque.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {

double rotor_teeth(const Mechanism& mechanism) {
  return static_cast<double>(mechanism.stepper().full_steps) / 4.0;
}

StepperDrive stepper_drive(const Mechanism& mechanism) {
  constexpr double two_phases = 1.41421356237309504880;
  const StepperWinding winding = mechanism.stepper().winding();
  const double volts = (mechanism.supply.voltage - stage_of(mechanism.board).drop).base();
  StepperDrive drive;
  const auto switched = [&](Stepping stepping) {
    drive.field = stepping == Stepping::full ? two_phases : 1.0;
    drive.coils_held = stepping == Stepping::wave ? 1.0 : 2.0;
    drive.coils_turning = stepping == Stepping::half ? 1.5 : drive.coils_held;
  };
  drive.volts = volts;
  drive.resistance =
      mechanism.air.copper() * winding.resistance.base() + stage_of(mechanism.board).resistance.base();
  drive.current = std::max(0.0, volts / drive.resistance);
  if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
    drive.current = board->current.base();
    drive.is_limited = true;
  } else if (const auto* const dual = std::get_if<DualHBridge>(&mechanism.board)) {
    switched(dual->stepping);
    if (dual->current_limit) {
      drive.current = dual->current_limit->base();
      drive.is_limited = true;
    }
  } else if (const auto* const array = std::get_if<TransistorArray>(&mechanism.board)) {
    switched(array->stepping);
  }
  return drive;
}

double shaft_speed(const Mechanism& mechanism, double output_speed) {
  return 2.0 * pi * motor_turns_per_base(mechanism.train).to_double() * output_speed;
}

double available_torque(const Mechanism& mechanism, double rad_per_s) {
  const StepperDrive drive = stepper_drive(mechanism);
  const StepperWinding winding = mechanism.stepper().winding();
  const double k = winding.torque_constant.base();
  const double reactance = rotor_teeth(mechanism) * rad_per_s * winding.inductance.base();
  const double square = drive.resistance * drive.resistance + reactance * reactance;
  const double current = drive.volts / std::sqrt(square) - k * rad_per_s * drive.resistance / square;
  return drive.field * k * std::clamp(current, 0.0, drive.current);
}

double friction_torque(const Mechanism& mechanism, double rad_per_s) {
  return (mechanism.load.coulomb_friction + steady_load(mechanism)).base() +
         mechanism.load.viscous_friction.in(units::Nm_s_per_rad)*rad_per_s;
}

double usable_share_of_pull_out(double jump_energy, double held_against) {
  const double start = -std::asin(std::clamp(held_against, -1.0, 1.0));
  double sound = 0.0;
  double beyond = 1.0;
  if (jump_energy >= 2.0) return 0.0;  // a free oscillation from rest takes all of it
  for (int i = 0; i < 50; ++i) {
    const double share = 0.5 * (sound + beyond);
    const double x = std::asin(share);
    const double left = std::cos(start) + std::cos(x) - share * (pi - x - start);
    (left > jump_energy ? sound : beyond) = share;
  }
  return sound;
}

double usable_acceleration(const Mechanism& mechanism, double output_speed) {
  const double speed = shaft_speed(mechanism, output_speed);
  const double pull = available_torque(mechanism, speed) - mechanism.stepper().detent_torque.base();
  if (pull <= 0.0) return 0.0;
  const double jump = shaft_speed(mechanism, mechanism.limits.start_speed.base.to_double());
  const double energy = 0.5 * moved_inertia(mechanism).base() * jump * jump;
  const double share = usable_share_of_pull_out(energy * rotor_teeth(mechanism) / pull);
  const double left = share * pull - friction_torque(mechanism, speed);
  const double radians_per_base = shaft_speed(mechanism, 1.0);
  return std::max(0.0, left / moved_inertia(mechanism).base() / radians_per_base);
}

double usable_deceleration(const Mechanism& mechanism, double output_speed) {
  if (const auto* const servo = std::get_if<StepServo>(&mechanism.motor)) {
    const double torque = servo->peak_torque.base() + mechanism.load.coulomb_friction.base() -
                          std::abs(steady_load(mechanism).base());
    return std::max(0.0, torque / moved_inertia(mechanism).base() / shaft_speed(mechanism, 1.0));
  }
  const double speed = shaft_speed(mechanism, std::abs(output_speed));
  const double pull = available_torque(mechanism, speed) - mechanism.stepper().detent_torque.base();
  if (pull <= 0.0) return 0.0;
  const double friction = mechanism.load.coulomb_friction.base();
  const double share = usable_share_of_pull_out(0.0, std::min(1.0, friction_torque(mechanism, speed) / pull));
  const double left = share * pull + friction - std::abs(steady_load(mechanism).base());
  return std::max(0.0, left / moved_inertia(mechanism).base() / shaft_speed(mechanism, 1.0));
}

namespace {
double oscillation_frequency(const Mechanism& mechanism, double torque) {
  const double stiffness = rotor_teeth(mechanism) * std::max(0.0, torque);
  return std::sqrt(stiffness / moved_inertia(mechanism).base()) / (2.0 * pi);
}
}  // namespace

double natural_frequency(const Mechanism& mechanism) {
  return oscillation_frequency(mechanism, available_torque(mechanism, 0.0));
}

double natural_frequency_at(const Mechanism& mechanism, double field_angle) {
  const double detent = mechanism.stepper().detent_torque.base();
  return oscillation_frequency(mechanism,
                               available_torque(mechanism, 0.0) + 4.0 * detent * std::cos(4.0 * field_angle));
}

double pull_in_speed(const Mechanism& mechanism) {
  const double pull = available_torque(mechanism, 0.0) - friction_torque(mechanism, 0.0);
  if (pull <= 0.0) return 0.0;
  const double jump = 2.0 * std::sqrt(pull / (rotor_teeth(mechanism) * moved_inertia(mechanism).base()));
  return jump / shaft_speed(mechanism, 1.0);
}

}  // namespace cogstride
