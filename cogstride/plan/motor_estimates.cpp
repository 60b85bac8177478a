#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/drive_figures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr int halvings = 60;
constexpr double slow_sectors = 20.0;  // time constants: their commutations do not count

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
                 const BridgeWiring& wiring, const AirTemperature& air) {
  model.torque_per_ampere = motor.torque_constant.base();
  model.emf = model.torque_per_ampere;
  model.board_resistance = board.stage.resistance.base();
  model.winding_loss = air.copper() * motor.resistance.base();
  model.resistance = model.winding_loss + model.board_resistance;
  model.drop = model.off_drop = board.stage.drop.base();
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
                   const GateWiring& wiring, const AirTemperature& air) {
  const bool sine = motor.back_emf == BrushlessMotor::BackEmf::sine;
  const double constant = motor.back_emf_constant.in(units::V_s_per_rad);
  model.emf = model.torque_per_ampere = sine ? 3.0 / pi * constant : constant;
  model.board_resistance = 2.0 * board.stage.resistance.base();
  model.winding_loss = air.copper() * motor.resistance.base();
  model.resistance = model.winding_loss + model.board_resistance;
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

/// Its drive makes currents that follow the rotor: as a motor of direct current.
void add_bus_drive(RotaryMotorModel& model, const Mechanism& mechanism) {
  const DriveMotorFigures motor = drive_motor_figures(mechanism);
  model.emf = model.torque_per_ampere = motor.torque_constant;
  model.board_resistance = stage_of(mechanism.board).resistance.base();
  model.winding_loss = mechanism.air.copper() * motor.resistance;
  model.resistance = model.winding_loss + model.board_resistance;
  model.inductance = motor.inductance;
  model.period = 5e-5;
  if (!mechanism.limits.current) model.current_limit = motor.rated_current;
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
    add_brushed(model, *brushed, *bridge, std::get<BridgeWiring>(mechanism.wiring), mechanism.air);
  } else if (brushless != nullptr && inverter != nullptr) {
    add_brushless(model, *brushless, *inverter, std::get<GateWiring>(mechanism.wiring), mechanism.air);
  } else if (mechanism.has_bus_drive()) {
    add_bus_drive(model, mechanism);
  } else {
    throw RangeError(
        fmt::format("{}: is neither a brushed motor on an H-bridge, nor a bare brushless one on an "
                    "inverter, nor one with a drive on a bus",
                    mechanism.name));
  }
  return model;
}

RotaryMotorModel with_commutations(const Mechanism& mechanism) {
  RotaryMotorModel model = model_of(mechanism);
  const auto* const motor = std::get_if<BrushlessMotor>(&mechanism.motor);
  if (motor == nullptr || mechanism.has_bus_drive()) return model;
  const auto& board = std::get<SixGateInverter>(mechanism.board);
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  SixStepParts parts;
  parts.resistance = 0.5 * model.winding_loss;
  parts.stage_resistance = board.stage.resistance.base();
  parts.inductance = 0.5 * motor->inductance.base();
  parts.constant = motor->back_emf_constant.in(units::V_s_per_rad);
  parts.is_sine = motor->back_emf == BrushlessMotor::BackEmf::sine;
  parts.pole_pairs = static_cast<double>(motor->pole_pairs);
  parts.supply = model.supply;
  parts.supply_resistance = model.supply_resistance;
  parts.drop = board.stage.drop.base();
  parts.period = model.period;
  parts.dead = model.dead;
  parts.complementary = wiring.complementary;
  parts.both_switched = wiring.switched == SwitchedSide::both;
  model.six_steps = parts;
  return model;
}

double load_torque(const RotaryMotorModel& model, double rad_per_s) {
  return model.coulomb + model.viscous * rad_per_s + model.steady;
}

namespace {

/// A period's current as it comes and goes, from one of its beginnings on. A drop stands against it,
/// whichever way it flows, and holds it at nothing where what drives it is less.
class Period {
 public:
  Period(const RotaryMotorModel& model, double emf) : model_(model), emf_(emf) {}

  /// @return the current at its end
  double run(double current, double on, double volts) {
    flows_ = {};
    const double driven = pass(current, on, volts, model_.drop, false, flows_.driven);
    const double from_supply = flows_.mean;
    const double end = pass(driven, model_.period - on, -model_.off_supply * volts, model_.off_drop,
                            model_.by_diodes, flows_.freewheels);
    flows_.from_supply = from_supply - model_.off_supply * (flows_.mean - from_supply);
    return end;
  }
  [[nodiscard]] SwitchedCurrent flows() const { return flows_.over(model_.period); }

 private:
  /// @param amount  A s, whichever way, added to
  double pass(double current, double seconds, double volts, double drop, bool by_diodes, double& amount) {
    const double constant = model_.inductance / model_.resistance;
    while (seconds > 0.0) {
      const double pull = volts - emf_;
      if (current == 0.0 && (by_diodes || std::abs(pull) <= drop)) return 0.0;
      const double way = current != 0.0 ? current : pull;
      const double goes_to = (pull - std::copysign(drop, way)) / model_.resistance;
      double lasts = seconds;
      double after = goes_to + (current - goes_to) * std::exp(-lasts / constant);
      if (after * current < 0.0) {  // as far as to nothing
        lasts = std::min(lasts, constant * std::log((goes_to - current) / goes_to));
        after = 0.0;
      }
      // Integrals of A + (B - A) exp(-t / constant), and of its square, from B to C.
      const double b = current - goes_to;
      const double c = after - goes_to;
      const double charge = goes_to * lasts + constant * (b - c);
      flows_.mean += charge;
      amount += std::abs(charge);
      flows_.square +=
          goes_to * goes_to * lasts + 2.0 * goes_to * constant * (b - c) + 0.5 * constant * (b * b - c * c);
      flows_.highest = std::max({flows_.highest, current, after});
      seconds -= lasts;
      current = after;
    }
    return current;
  }

  const RotaryMotorModel& model_;
  double emf_;
  SwitchedCurrent flows_{};
};

/// Of a steady period, the supply's voltage at the board being `volts`.
SwitchedCurrent in_a_period(const RotaryMotorModel& model, double duty, double emf, double volts) {
  if (model.period <= 0.0 || model.inductance <= 0.0 || duty >= 1.0) {
    const double goes_to = (volts - model.drop - emf) / model.resistance;
    const double falls_to = -(model.off_supply * volts + model.off_drop + emf) / model.resistance;
    SwitchedCurrent current;
    current.mean = current.highest = duty * goes_to + (1.0 - duty) * falls_to;
    current.square = current.mean * current.mean;
    current.driven = duty * std::abs(current.mean);
    current.freewheels = (1.0 - duty) * std::abs(current.mean);
    current.from_supply = (duty - model.off_supply * (1.0 - duty)) * current.mean;
    return current;
  }
  // What it begins with it ends with: the end goes almost evenly with the beginning.
  Period period(model, emf);
  const double on = duty * model.period;
  double one = 0.0;
  double off_one = period.run(one, on, volts) - one;
  double other = one + off_one;
  for (int i = 0; i < 8; ++i) {
    const double off = period.run(other, on, volts) - other;
    if (std::abs(off) <= 1e-12 * std::max(1.0, std::abs(other)) || off == off_one) break;
    const double next = other - off * (other - one) / (off - off_one);
    one = other;
    off_one = off;
    other = next;
  }
  (void)period.run(other, on, volts);
  return period.flows();
}

/// Share of a period that drives it.
double driven_share(const RotaryMotorModel& model, double duty) {
  if (duty >= 1.0 || model.period <= 0.0) return std::min(1.0, duty);
  return std::max(0.0, duty - model.dead / model.period);
}

}  // namespace

namespace {

/// Of two phases or a brushed motor, against a back-EMF.
SwitchedCurrent in_series(const RotaryMotorModel& model, double duty, double emf) {
  const double share = driven_share(model, duty);
  SwitchedCurrent current = in_a_period(model, share, emf, model.supply);
  if (model.supply_resistance > 0.0) {
    // What it draws lowers the supply, almost evenly with it. It takes nothing back.
    double drawn = 0.0;
    double off_drawn = std::max(0.0, current.from_supply);
    double next = off_drawn;
    for (int i = 0; i < 6 && off_drawn != 0.0; ++i) {
      current = in_a_period(model, share, emf, model.supply - model.supply_resistance * next);
      const double off = std::max(0.0, current.from_supply) - next;
      const double step = off - off_drawn;
      const double after = step != 0.0 ? next - off * (next - drawn) / step : next;
      drawn = next;
      off_drawn = off;
      if (std::abs(after - next) <= 1e-9 * next) break;
      next = std::max(0.0, after);
    }
  }
  current.torque = model.torque_per_ampere * current.mean;
  return current;
}

/// The least of 0 to `most` at which something holds that holds from there on.
template <class Holds>
double least_that_holds(double most, double fine, const Holds& holds) {
  double less = 0.0;
  double enough = most;
  for (int i = 0; i < halvings && enough - less > fine * most; ++i) {
    const double middle = 0.5 * (less + enough);
    (holds(middle) ? enough : less) = middle;
  }
  return enough;
}

double fineness(const RotaryMotorModel& model) {
  return model.six_steps ? 1e-5 : 1e-9;
}

}  // namespace

SwitchedCurrent switched_current(const RotaryMotorModel& model, double duty, double rad_per_s) {
  if (model.six_steps && rad_per_s > 0.0) {
    const double sector = pi / 3.0 / (model.six_steps->pole_pairs * rad_per_s);
    const double constant = model.inductance / model.resistance;
    const bool counts = sector < slow_sectors * std::max(constant, model.period);
    // Beyond, its rows come faster than the duty or its currents, and no six steps turn it.
    if (counts && sector > 2.0 * model.period && constant < 20.0 * sector) {
      return six_step_cycle(*model.six_steps, duty, rad_per_s);
    }
  }
  return in_series(model, duty, model.emf * rad_per_s);
}

namespace {

double solved_duty(const RotaryMotorModel& model, double torque, double rad_per_s) {
  // The torque grows with the duty, almost evenly: by regula falsi, an end that stays being drawn in (the
  // Illinois method: Dowell and Jarratt, 1971).
  double low = 0.0;
  double high = 1.0;
  double off_low = switched_current(model, low, rad_per_s).torque - torque;
  double off_high = switched_current(model, high, rad_per_s).torque - torque;
  if (off_low >= 0.0) return 0.0;
  for (int i = 0; i < halvings && high - low > fineness(model); ++i) {
    const double between =
        i % 8 == 7 ? 0.5 * (low + high) : high - off_high * (high - low) / (off_high - off_low);
    const double off = switched_current(model, between, rad_per_s).torque - torque;
    if (std::abs(off) <= fineness(model) * torque) return between;
    if (off > 0.0) {
      high = between;
      off_high = off;
      off_low *= 0.5;
    } else {
      low = between;
      off_low = off;
      off_high *= 0.5;
    }
  }
  return high;
}

/// The same again is asked for by each figure that rests on it: the last few are kept.
double remembered_duty(const RotaryMotorModel& model, double torque, double rad_per_s) {
  struct Solved {
    SixStepParts parts{};
    double torque = 0.0;
    double rad_per_s = 0.0;
    double duty = 0.0;
  };
  thread_local std::array<Solved, 4> last{};
  thread_local std::size_t oldest = 0;
  for (const Solved& one : last)
    if (one.torque == torque && one.rad_per_s == rad_per_s && one.parts == *model.six_steps) return one.duty;
  Solved& fresh = last[oldest];
  oldest = (oldest + 1) % last.size();
  fresh = {*model.six_steps, torque, rad_per_s, solved_duty(model, torque, rad_per_s)};
  return fresh.duty;
}

}  // namespace

double duty_for_torque(const RotaryMotorModel& model, double torque, double rad_per_s) {
  const double current = torque / model.torque_per_ampere;
  const double taken = model.drop + model.emf * rad_per_s + model.resistance * current;
  const double sag = model.supply_resistance * current;
  const double always = taken / (model.supply - sag);
  if (model.six_steps) {
    if (switched_current(model, 1.0, rad_per_s).torque < torque) return std::max(1.0 + 1e-9, always);
  } else {
    if (always >= 1.0 || sag >= model.supply) return std::abs(always);  // as if the supply gave more
    const bool is_even = model.drop == 0.0 && model.off_drop == 0.0;
    if (!model.by_diodes && (is_even || current > 0.5 * ripple_most(model))) {
      // Its current never comes to nothing:  d (V - d R_s I - drop) - (1 - d) off = R I + e
      const double volts = model.supply - model.drop + model.off_drop;
      const double in_all = taken - model.drop + model.off_drop;
      return 2.0 * in_all / (volts + std::sqrt(volts * volts - 4.0 * sag * in_all)) +
             (model.period > 0.0 ? model.dead / model.period : 0.0);
    }
  }
  return model.six_steps ? remembered_duty(model, torque, rad_per_s) : solved_duty(model, torque, rad_per_s);
}

SteadyRun steady_run(const RotaryMotorModel& model, double rad_per_s) {
  const double duty = duty_for(model, rad_per_s);
  return {duty, switched_current(model, std::min(1.0, duty), rad_per_s)};
}

SwitchedCurrent current_at(const RotaryMotorModel& model, double rad_per_s) {
  return steady_run(model, rad_per_s).current;
}

double duty_for(const RotaryMotorModel& model, double rad_per_s) {
  return duty_for_torque(model, std::max(0.0, load_torque(model, rad_per_s)), rad_per_s);
}

double torque_left(const RotaryMotorModel& model, double rad_per_s) {
  double torque = 0.0;
  if (model.six_steps && rad_per_s > 0.0) {
    torque = switched_current(model, 1.0, rad_per_s).torque;
  } else {
    const double current =
        (model.supply - model.drop - model.emf * rad_per_s) / (model.resistance + model.supply_resistance);
    torque = model.torque_per_ampere * current;
  }
  return std::clamp(torque, 0.0, model.torque_per_ampere * model.current_limit) -
         load_torque(model, rad_per_s);
}

double run_up_time(const RotaryMotorModel& model, double rad_per_s) {
  constexpr int parts = 64;  // Simpson: the limit on the current makes a corner, no pole
  double sum = 0.0;
  for (int i = 0; i <= parts; ++i) {
    const double left = torque_left(model, rad_per_s * i / parts);
    if (left <= 0.0) return std::numeric_limits<double>::infinity();
    sum += (i == 0 || i == parts ? 1.0 : i % 2 == 1 ? 4.0 : 2.0) / left;
  }
  return model.inertia * rad_per_s / parts / 3.0 * sum;
}

double start_duty(const RotaryMotorModel& model) {
  const double loose = (model.stiction + model.steady) / model.torque_per_ampere;
  const double goes_on = (model.coulomb + model.steady) / model.torque_per_ampere;
  const double always = (model.drop + (model.resistance + model.supply_resistance) * loose) / model.supply;
  if (always >= 1.0) return always;
  if (loose <= 0.0) return 0.0;  // its load turns it
  return least_that_holds(1.0, 1e-9, [&](double duty) {
    const SwitchedCurrent current = in_series(model, duty, 0.0);
    return current.highest >= loose && current.mean >= goes_on;
  });
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
  const auto is_settled = [&](double rad_per_s) {
    return switched_current(model, duty, rad_per_s).torque <= load_torque(model, rad_per_s);
  };
  if (is_settled(0.0)) return 0.0;
  return least_that_holds(model.supply / model.emf, fineness(model), is_settled);
}

}  // namespace cogstride
