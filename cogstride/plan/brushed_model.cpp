#include "cogstride/plan/brushed_model.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {
constexpr double longest_step = 1e-3;  // s
constexpr double still = 1e-6;         // of a step's change, beside what there is
}  // namespace

BrushedModel brushed_model(const Mechanism& mechanism) {
  const auto* const motor = std::get_if<BrushedMotor>(&mechanism.motor);
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  if (motor == nullptr || bridge == nullptr)
    throw RangeError(
        fmt::format("{}: figures are fitted to brushed motors on H-bridges so far; its motor is a "
                    "\"{}\", its board a \"{}\"",
                    mechanism.name, kind_name(mechanism.motor), kind_name(mechanism.board)));
  BrushedModel model;
  model.resistance = motor->resistance.base();
  model.air = mechanism.air;
  model.constant = motor->torque_constant.base();
  model.inductance = motor->inductance.base();
  const Load& load = mechanism.load;
  model.coulomb = load.coulomb_friction.base();
  model.viscous = load.viscous_friction.in(units::Nm_s_per_rad);
  model.stiction = std::max(load.stiction, load.coulomb_friction).base();
  model.steady = steady_load(mechanism).base();
  model.slackens = load.slackens;
  model.inertia = moved_inertia(mechanism).base();
  if (motor->heat.thermal_resistance && motor->heat.heat_capacity) {
    model.to_air = motor->heat.thermal_resistance->base();
    model.capacity = motor->heat.heat_capacity->base();
  }
  model.supply = mechanism.supply.voltage.base();
  model.supply_resistance = mechanism.supply.resistance.base();
  model.bridge_resistance = bridge->stage.resistance.base();
  model.drop = bridge->stage.drop.base();
  model.coasts_at_none = mechanism.limits.slows_by == SlowsBy::coasting;
  model.takes_back = mechanism.supply.charge.has_value();
  model.capacitance = mechanism.supply.capacitance_at_board().base();
  model.clamp = mechanism.supply.clamp_voltage ? mechanism.supply.clamp_voltage->base()
                                               : std::numeric_limits<double>::infinity();
  if (mechanism.supply.clamp_resistance) model.clamp_resistance = mechanism.supply.clamp_resistance->base();
  return model;
}

double BrushedModel::resistance_at(double rise) const {
  return resistance * air.copper(rise);
}

/// A bridge that brakes between gives duty x supply on average, and takes duty x current from it.
BrushedModel::Circuit BrushedModel::circuit(double drive, double rise, double pumped, bool by_duty) const {
  if (!by_duty) return {drive, resistance_at(rise)};
  const double size = std::abs(drive);
  const double volts = std::copysign(std::max(0.0, size * (supply + pumped) - drop), drive);
  const double inside = pumped > 0.0 ? 0.0 : size * size * supply_resistance;
  return {volts, resistance_at(rise) + bridge_resistance + inside};
}

/// What comes back charges the capacitor at the supply, and then goes into the clamp.
void BrushedModel::pump(State& state, double drawn, double seconds) const {
  if (takes_back || (drawn >= 0.0 && state.pumped <= 0.0)) return;
  const double over_clamp = supply + state.pumped - clamp;
  if (over_clamp > 0.0) {
    const double to = -clamp_resistance * drawn;
    state.pumped += (to - over_clamp) * (1.0 - std::exp(-seconds / (clamp_resistance * capacitance)));
  } else {
    state.pumped -= drawn * seconds / capacitance;
  }
  state.pumped = std::max(0.0, state.pumped);
}

void BrushedModel::go_on(State& state, double drive, double seconds, bool by_duty) const {
  const Circuit now = circuit(drive, state.rise, state.pumped, by_duty);
  const bool is_open = by_duty && drive == 0.0 && coasts_at_none;
  if (is_open) state.current = 0.0;
  const double comes_to = (now.volts - constant * state.speed) / now.resistance;
  const double x = seconds * now.resistance / inductance;
  const double left = std::exp(-x);
  const double mean = is_open ? 0.0 : comes_to + (state.current - comes_to) * (1.0 - left) / x;
  if (!is_open) state.current = comes_to + (state.current - comes_to) * left;
  if (by_duty) pump(state, drive * mean, seconds);
  turn(state, constant * mean, seconds);
  warm(state, seconds);
}

/// Friction holds what stands, and stops what turns; it turns nothing round. A yarn pulls one way alone.
void BrushedModel::turn(State& state, double torque, double seconds) const {
  const double forwards = steady;
  const double backwards = slackens ? 0.0 : steady;
  const bool holds = torque <= forwards + stiction && torque >= backwards - stiction;
  if (state.speed == 0.0 && holds) return;
  const double way = state.speed != 0.0 ? std::copysign(1.0, state.speed) : torque > forwards ? 1.0 : -1.0;
  const double push = torque - (way > 0.0 ? forwards : backwards) - way * coulomb;
  const double y = viscous * seconds / inertia;
  const double speed = y > 1e-12 ? push / viscous + (state.speed - push / viscous) * std::exp(-y)
                                 : state.speed + push * seconds / inertia;
  state.speed = speed * way < 0.0 && holds ? 0.0 : speed;
}

/// Where it comes to at a drive that stays, as warm as it is: turning on where it turns already.
BrushedModel::State BrushedModel::settled(double drive, double rise, bool by_duty) const {
  const Circuit now = circuit(drive, rise, 0.0, by_duty);
  const double way = drive < 0.0 ? -1.0 : 1.0;
  const double against = coulomb + (way > 0.0 ? steady : slackens ? 0.0 : -steady);
  // k (v - k w)/R = T + B w
  const double speed = (constant * std::abs(now.volts) / now.resistance - against) /
                       (constant * constant / now.resistance + viscous);
  if (speed <= 0.0) return {0.0, now.volts / now.resistance, rise, 0.0};
  return {way * speed, (now.volts - constant * way * speed) / now.resistance, rise, 0.0};
}

/// At rest, or settled at what it is given, whichever it looks like.
BrushedModel::State BrushedModel::start(const MeasuredTable::Row& first, bool by_duty) const {
  const double rise = first.rise.value_or(0.0);
  const State turning = settled(first.drive, rise, by_duty);
  const double speed = first.speed.value_or(first.drive == 0.0 ? 0.0 : turning.speed);
  if (std::abs(speed) < std::abs(speed - turning.speed) || first.drive == 0.0) {
    const bool at_rest = std::abs(speed) * constant < 0.02 * supply;
    return {at_rest ? 0.0 : speed, 0.0, rise, 0.0};
  }
  return turning;
}

/// A while with a drive that stays, beyond what is left of any swing.
void BrushedModel::rest_of(State& state, double drive, double seconds, bool by_duty) const {
  const int steps =
      to_air > 0.0 ? std::clamp(static_cast<int>(50.0 * seconds / (to_air * capacity)), 1, 1000) : 1;
  const double each = seconds / steps;
  for (int i = 0; i < steps; ++i) {
    if (state.speed == 0.0) {
      const Circuit now = circuit(drive, state.rise, 0.0, by_duty);
      state.current = now.volts / now.resistance;
    } else {
      const State now = settled(drive, state.rise, by_duty);
      state.speed = now.speed;
      state.current = now.current;
    }
    warm(state, each);
  }
}

void BrushedModel::warm(State& state, double seconds) const {
  if (to_air <= 0.0 || capacity <= 0.0) return;
  const double final_rise = state.current * state.current * resistance_at(state.rise) * to_air;
  state.rise = final_rise + (state.rise - final_rise) * std::exp(-seconds / (to_air * capacity));
}

/// A while in which what is given goes evenly.
void BrushedModel::pass(State& state, double from, double to, double lasts, bool by_duty) const {
  const double steps = std::ceil(lasts / longest_step);
  const double each = lasts / std::max(1.0, steps);
  for (double done = 0.0; done < steps; done += 1.0) {
    const State was = state;
    go_on(state, from + (done + 0.5) / steps * (to - from), each, by_duty);
    const bool is_steady = from == to && state.pumped <= 0.0 &&
                           std::abs(state.speed - was.speed) <= still * std::abs(state.speed) &&
                           std::abs(state.current - was.current) <= still * std::abs(state.current);
    if (!is_steady) continue;
    rest_of(state, to, lasts - (done + 1.0) * each, by_duty);
    return;
  }
}

bool begins_or_ends(const MeasuredTable::Row& from, const MeasuredTable::Row& to) {
  return (from.drive == 0.0) != (to.drive == 0.0);
}

namespace {

/// What is given changes by so much a second between two rows; by nothing where it begins or ends.
double slope(const MeasuredTable::Row& from, const MeasuredTable::Row& to) {
  return begins_or_ends(from, to) ? 0.0 : (to.drive - from.drive) / (to.time - from.time);
}

}  // namespace

/// Up to row `i`, from the one before.
void BrushedModel::pass_to(State& state, const MeasuredTable& table, std::size_t i, double jump) const {
  const bool by_duty = !table.is_voltage;
  const std::vector<MeasuredTable::Row>& rows = table.rows;
  const MeasuredTable::Row& from = rows[i - 1];
  const MeasuredTable::Row& to = rows[i];
  const double lasts = to.time - from.time;
  if (!begins_or_ends(from, to)) {
    const double late = delay * slope(from, to);
    pass(state, from.drive - late, to.drive - late, lasts, by_duty);
    return;
  }
  // Before and after it goes on as it did and will.
  const double before = i > 1 ? slope(rows[i - 2], from) : 0.0;
  const double after = i + 1 < rows.size() ? slope(to, rows[i + 1]) : 0.0;
  const double first = jump * lasts;
  const double rest = lasts - first;
  pass(state, from.drive, from.drive + before * first, first, by_duty);
  pass(state, to.drive - after * rest, to.drive, rest, by_duty);
}

std::vector<MeasuredTable::Row> BrushedModel::run(const MeasuredTable& table) const {
  const bool by_duty = !table.is_voltage;
  std::vector<MeasuredTable::Row> rows;
  rows.reserve(table.rows.size());
  State state;
  std::size_t jump = 0;
  for (std::size_t i = 0; i < table.rows.size(); ++i) {
    const MeasuredTable::Row& row = table.rows[i];
    if (!table.has_time) {
      state = settled(row.drive, 0.0, by_duty);
    } else if (i == 0) {
      state = start(row, by_duty);
    } else {
      double share = 0.5;
      if (begins_or_ends(table.rows[i - 1], row) && jump < jumps.size())
        share = std::clamp(jumps[jump++], 0.0, 1.0);
      pass_to(state, table, i, share);
    }
    rows.push_back({row.time, row.drive, state.speed, state.current, state.rise});
  }
  return rows;
}

}  // namespace cogstride
