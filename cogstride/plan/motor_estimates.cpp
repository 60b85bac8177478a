#include "cogstride/plan/motor_estimates.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr double root_3 = 1.73205080756887729353;

void add_load(RotaryMotorModel& model, const Mechanism& mechanism) {
  const Load& load = mechanism.load;
  model.inertia = most_moved_inertia(mechanism).base();
  model.coulomb = load.coulomb_friction.base();
  model.viscous = load.viscous_friction.in(units::Nm_s_per_rad);
  model.stiction = std::max(load.stiction, load.coulomb_friction).base();
  model.steady = steady_load(mechanism).base();
}

void add_brushed(RotaryMotorModel& model, const BrushedMotor& motor, const HBridge& board) {
  model.torque_per_ampere = motor.torque_constant.base();
  model.emf = model.torque_per_ampere;
  model.board_resistance = board.stage.resistance.base();
  model.resistance = motor.resistance.base() + model.board_resistance;
  model.drop = board.stage.drop.base();
  model.winding_loss = motor.resistance.base();
  if (board.current_limit) model.current_limit = std::min(model.current_limit, board.current_limit->base());
}

void add_brushless(RotaryMotorModel& model, const BrushlessMotor& motor, const SixGateInverter& board) {
  const bool sine = motor.back_emf == BrushlessMotor::BackEmf::sine;
  const double constant = motor.back_emf_constant.in(units::V_s_per_rad);
  const double line = motor.resistance.base();
  model.emf = constant;
  model.board_resistance = 2.0 * board.stage.resistance.base();
  model.drop = board.stage.drop.base();
  model.torque_per_ampere = sine ? root_3 / 2.0 * constant : constant;
  // Line to line the peak of the resistive drop is sqrt 3 R_phase I with sines, R I with six steps.
  model.resistance = (sine ? root_3 / 2.0 : 1.0) * line + model.board_resistance;
  model.winding_loss = (sine ? 0.75 : 1.0) * line;
  if (sine)
    model.reactance_per_rad = root_3 / 2.0 * static_cast<double>(motor.pole_pairs) * motor.inductance.base();
  model.current_limit = std::min(model.current_limit, board.current_limit.base());
}

}  // namespace

RotaryMotorModel model_of(const Mechanism& mechanism) {
  RotaryMotorModel model;
  model.supply = mechanism.supply.voltage.base();
  model.current_limit = std::numeric_limits<double>::infinity();
  if (mechanism.limits.current) model.current_limit = mechanism.limits.current->base();
  add_load(model, mechanism);
  const auto* const brushed = std::get_if<BrushedMotor>(&mechanism.motor);
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  const auto* const brushless = std::get_if<BrushlessMotor>(&mechanism.motor);
  const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board);
  if (brushed != nullptr && bridge != nullptr) {
    add_brushed(model, *brushed, *bridge);
  } else if (brushless != nullptr && inverter != nullptr) {
    add_brushless(model, *brushless, *inverter);
  } else {
    throw RangeError(
        fmt::format("{}: is neither a brushed motor on an H-bridge nor a bare brushless one on an "
                    "inverter",
                    mechanism.name));
  }
  return model;
}

double load_torque(const RotaryMotorModel& model, double rad_per_s) {
  return model.coulomb + model.viscous * rad_per_s + model.steady;
}

double duty_for(const RotaryMotorModel& model, double rad_per_s) {
  const double current = load_torque(model, rad_per_s) / model.torque_per_ampere;
  const double in_step = model.drop + model.emf * rad_per_s + model.resistance * current;
  const double across = model.reactance_per_rad * rad_per_s * current;
  return std::hypot(in_step, across) / model.supply;
}

double torque_left(const RotaryMotorModel& model, double rad_per_s) {
  // The greatest current in step with the back-EMF that full voltage drives: (e + R I)^2 + (X I)^2 = V^2.
  const double volts = model.supply - model.drop;
  const double emf = model.emf * rad_per_s;
  const double x = model.reactance_per_rad * rad_per_s;
  const double square = model.resistance * model.resistance + x * x;
  const double under_root =
      model.resistance * emf * model.resistance * emf - square * (emf * emf - volts * volts);
  const double current = under_root < 0.0 ? 0.0 : (std::sqrt(under_root) - model.resistance * emf) / square;
  return model.torque_per_ampere * std::clamp(current, 0.0, model.current_limit) -
         load_torque(model, rad_per_s);
}

double start_duty(const RotaryMotorModel& model) {
  const double current = (model.stiction + model.steady) / model.torque_per_ampere;
  return (model.drop + model.resistance * current) / model.supply;
}

double spin_down_time(const RotaryMotorModel& model, double rad_per_s, SlowsBy slows_by) {
  double damping = model.viscous;
  if (slows_by == SlowsBy::braking) damping += model.torque_per_ampere * model.emf / model.resistance;
  if (model.coulomb > 0.0 && damping > 0.0)
    return model.inertia / damping * std::log1p(damping * rad_per_s / model.coulomb);
  if (damping > 0.0) return model.inertia / damping * std::log(50.0);  // without friction: until 2 % are left
  return model.coulomb > 0.0 ? model.inertia * rad_per_s / model.coulomb
                             : std::numeric_limits<double>::infinity();
}

double coasted(const RotaryMotorModel& model, double rad_per_s, double seconds) {
  const double slowed = model.viscous * seconds / model.inertia;
  // -expm1(-x)/x is 1 at 0, where the friction is Coulomb's alone.
  const double share = slowed > 0.0 ? -std::expm1(-slowed) / slowed : 1.0;
  return std::max(0.0, rad_per_s * std::exp(-slowed) - model.coulomb * seconds / model.inertia * share);
}

double speed_by_duty(const RotaryMotorModel& model, double duty) {
  // V d - drop = R T/k + K w,  T = T_c + T_s + B w
  const double per_torque = model.resistance / model.torque_per_ampere;
  const double left = model.supply * duty - model.drop - per_torque * (model.coulomb + model.steady);
  return std::max(0.0, left / (model.emf + per_torque * model.viscous));
}

}  // namespace cogstride
