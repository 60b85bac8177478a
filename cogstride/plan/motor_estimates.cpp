#include "cogstride/plan/motor_estimates.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr int halvings = 60;

/// A, peak to peak, of half duty: V T / 4 L, twice that where the supply stands against it in the rest.
double ripple_most(const RotaryMotorModel& model) {
  return (1.0 + model.off_supply) * model.supply * model.period / (4.0 * model.inductance);
}

void add_load(RotaryMotorModel& model, const Mechanism& mechanism) {
  const Load& load = mechanism.load;
  model.inertia = most_moved_inertia(mechanism).base();
  model.coulomb = load.coulomb_friction.base();
  model.viscous = load.viscous_friction.in(units::Nm_s_per_rad);
  model.stiction = std::max(load.stiction, load.coulomb_friction).base();
  model.steady = steady_load(mechanism).base();
}

/// The board's limit cuts a period short at its highest: its mean is less by what the current ripples.
void add_board_limit(RotaryMotorModel& model, double limit) {
  model.board_limit = limit;
  if (!std::isfinite(limit)) return;
  const double half = model.period > 0.0 ? ripple_most(model) / 2.0 : 0.0;
  model.current_limit = std::min(model.current_limit, std::max(0.0, limit - half));
}

void add_brushed(RotaryMotorModel& model, const BrushedMotor& motor, const HBridge& board,
                 const BridgeWiring& wiring) {
  model.torque_per_ampere = motor.torque_constant.base();
  model.emf = model.torque_per_ampere;
  model.board_resistance = board.stage.resistance.base();
  model.resistance = motor.resistance.base() + model.board_resistance;
  model.drop = model.off_drop = board.stage.drop.base();
  model.winding_loss = motor.resistance.base();
  model.inductance = motor.inductance.base();
  model.period = 1.0 / wiring.pwm_frequency.base().to_double();
  model.dead = board.dead_time.base();
  if (wiring.decay == Decay::fast) {
    model.by_diodes = true;
    model.off_supply = 1.0;
    model.off_drop = 2.0 * diode_drop;
  }
  add_board_limit(
      model, board.current_limit ? board.current_limit->base() : std::numeric_limits<double>::infinity());
}

void add_brushless(RotaryMotorModel& model, const BrushlessMotor& motor, const SixGateInverter& board,
                   const GateWiring& wiring) {
  const bool sine = motor.back_emf == BrushlessMotor::BackEmf::sine;
  const double constant = motor.back_emf_constant.in(units::V_s_per_rad);
  model.emf = model.torque_per_ampere = sine ? 3.0 / pi * constant : constant;
  model.board_resistance = 2.0 * board.stage.resistance.base();
  model.resistance = motor.resistance.base() + model.board_resistance;
  model.winding_loss = motor.resistance.base();
  model.drop = model.off_drop = 2.0 * board.stage.drop.base();
  model.inductance = motor.inductance.base();
  model.period = 1.0 / wiring.pwm_frequency.base().to_double();
  if (wiring.complementary) {
    model.dead = wiring.dead_time.base();
  } else {
    // One diode and the transistor that stays on, or two diodes into the supply.
    const bool both = wiring.switched == SwitchedSide::both;
    model.by_diodes = true;
    model.off_supply = both ? 1.0 : 0.0;
    model.off_drop = both ? 2.0 * diode_drop : diode_drop + board.stage.drop.base();
  }
  // Its limit is for the controller to keep, by a mean.
  model.board_limit = board.current_limit.base();
  model.current_limit = std::min(model.current_limit, model.board_limit);
}

}  // namespace

RotaryMotorModel model_of(const Mechanism& mechanism) {
  RotaryMotorModel model;
  model.supply = mechanism.supply.voltage.base();
  model.supply_resistance = mechanism.supply.resistance.base();
  model.current_limit = std::numeric_limits<double>::infinity();
  if (mechanism.limits.current) model.current_limit = mechanism.limits.current->base();
  add_load(model, mechanism);
  const auto* const brushed = std::get_if<BrushedMotor>(&mechanism.motor);
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  const auto* const brushless = std::get_if<BrushlessMotor>(&mechanism.motor);
  const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board);
  if (brushed != nullptr && bridge != nullptr) {
    add_brushed(model, *brushed, *bridge, std::get<BridgeWiring>(mechanism.wiring));
  } else if (brushless != nullptr && inverter != nullptr) {
    add_brushless(model, *brushless, *inverter, std::get<GateWiring>(mechanism.wiring));
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

namespace {

/// Of one period, the supply's voltage at the board being `volts`; what it gives is counted with its sign.
SwitchedCurrent in_a_period(const RotaryMotorModel& model, double duty, double emf, double volts) {
  const double on_volts = volts - model.drop;
  const double off_volts = model.off_supply * volts + model.off_drop;
  const double goes_to = (on_volts - emf) / model.resistance;  // A, were it always on
  const double falls_to = -(off_volts + emf) / model.resistance;
  const double constant = model.inductance / model.resistance;
  const double on = duty * model.period;
  const double off = model.period - on;
  if (model.period <= 0.0 || constant <= 0.0 || duty >= 1.0) {
    const double mean = duty * goes_to + (1.0 - duty) * falls_to;
    return {mean, mean * mean, mean, (duty - model.off_supply * (1.0 - duty)) * mean};
  }
  const double left_on = std::exp(-on / constant);
  const double left_off = std::exp(-off / constant);
  double lowest =
      (falls_to * (1.0 - left_off) + goes_to * (1.0 - left_on) * left_off) / (1.0 - left_on * left_off);
  double falls_for = off;
  if (model.by_diodes && lowest < 0.0) lowest = 0.0;
  const double highest = goes_to + (lowest - goes_to) * left_on;
  if (highest <= 0.0 && model.by_diodes) return {};
  if (model.by_diodes && lowest == 0.0)
    falls_for = std::min(off, constant * std::log((highest - falls_to) / -falls_to));
  // Integrals of A + (B - A) exp(-t / constant), and of its square, from B to C.
  const auto charge = [&](double a, double b, double c, double t) { return a * t + constant * (b - c); };
  const auto square = [&](double a, double b, double c, double t) {
    return a * a * t + 2.0 * a * constant * (b - c) +
           0.5 * constant * ((b - a) * (b - a) - (c - a) * (c - a));
  };
  const double per_period = 1.0 / model.period;
  const double driven = charge(goes_to, lowest, highest, on) * per_period;
  const double freewheels = charge(falls_to, highest, lowest, falls_for) * per_period;
  SwitchedCurrent current;
  current.mean = driven + freewheels;
  current.square =
      (square(goes_to, lowest, highest, on) + square(falls_to, highest, lowest, falls_for)) * per_period;
  current.highest = highest;
  current.from_supply = driven - model.off_supply * freewheels;
  return current;
}

/// Share of a period that drives it.
double driven_share(const RotaryMotorModel& model, double duty) {
  if (duty >= 1.0 || model.period <= 0.0) return std::min(1.0, duty);
  return std::max(0.0, duty - model.dead / model.period);
}

}  // namespace

SwitchedCurrent switched_current(const RotaryMotorModel& model, double duty, double emf) {
  const double share = driven_share(model, duty);
  SwitchedCurrent current = in_a_period(model, share, emf, model.supply);
  if (model.supply_resistance <= 0.0) return current;
  // What it draws lowers the supply: halved until both agree. It takes nothing back.
  double least = 0.0;
  double most = std::max(0.0, current.from_supply);
  for (int i = 0; i < halvings && most - least > 1e-7 * most; ++i) {
    const double drawn = 0.5 * (least + most);
    current = in_a_period(model, share, emf, model.supply - model.supply_resistance * drawn);
    (current.from_supply > drawn ? least : most) = drawn;
  }
  return current;
}

double duty_for_current(const RotaryMotorModel& model, double current, double emf) {
  const double taken = model.drop + emf + model.resistance * current;
  const double sag = model.supply_resistance * current;
  const double always = taken / (model.supply - sag);
  if (always >= 1.0 || sag >= model.supply) return std::abs(always);  // as if the supply gave more
  if (!model.by_diodes) {
    // d (V - d R_s I - drop) - (1 - d) off = R I + e
    const double volts = model.supply - model.drop + model.off_drop;
    const double in_all = taken - model.drop + model.off_drop;
    return 2.0 * in_all / (volts + std::sqrt(volts * volts - 4.0 * sag * in_all)) +
           (model.period > 0.0 ? model.dead / model.period : 0.0);
  }
  double less = 0.0;
  double enough = 1.0;
  for (int i = 0; i < halvings && enough - less > 1e-9; ++i) {
    const double middle = 0.5 * (less + enough);
    (switched_current(model, middle, emf).mean < current ? less : enough) = middle;
  }
  return enough;
}

SwitchedCurrent current_at(const RotaryMotorModel& model, double rad_per_s) {
  return switched_current(model, std::min(1.0, duty_for(model, rad_per_s)), model.emf * rad_per_s);
}

double duty_for(const RotaryMotorModel& model, double rad_per_s) {
  return duty_for_current(model, std::max(0.0, load_torque(model, rad_per_s)) / model.torque_per_ampere,
                          model.emf * rad_per_s);
}

double torque_left(const RotaryMotorModel& model, double rad_per_s) {
  const double current =
      (model.supply - model.drop - model.emf * rad_per_s) / (model.resistance + model.supply_resistance);
  return model.torque_per_ampere * std::clamp(current, 0.0, model.current_limit) -
         load_torque(model, rad_per_s);
}

double start_duty(const RotaryMotorModel& model) {
  return duty_for_current(model, (model.stiction + model.steady) / model.torque_per_ampere, 0.0);
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
  const auto torque_over = [&](double rad_per_s) {
    return model.torque_per_ampere * switched_current(model, duty, model.emf * rad_per_s).mean -
           load_torque(model, rad_per_s);
  };
  if (torque_over(0.0) <= 0.0) return 0.0;
  double slow = 0.0;
  double fast = model.supply / model.emf;
  for (int i = 0; i < halvings && fast - slow > 1e-9 * fast; ++i) {
    const double middle = 0.5 * (slow + fast);
    (torque_over(middle) > 0.0 ? slow : fast) = middle;
  }
  return 0.5 * (slow + fast);
}

}  // namespace cogstride
