#include "cogstride/plant/brushed_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace cogstride {
namespace {

constexpr double least_dead_time = 1e-12;  // s
constexpr double retry_after = 5e-5;       // s, of a limited bridge that sees no new period
constexpr double least_drive = 0.02;       // A, that is no rest of a current that dies away

const BrushedMotor& brushed_of(const Mechanism& mechanism) {
  return std::get<BrushedMotor>(mechanism.motor);
}
const HBridge& bridge_of(const Mechanism& mechanism) {
  return std::get<HBridge>(mechanism.board);
}

}  // namespace

BrushedPlant::BrushedPlant(const Mechanism& mechanism, const Setup& setup)
    : ShaftPlant(mechanism, setup.with_steps_of(longest_step)),
      resistance_25_(brushed_of(mechanism).resistance.base()),
      bridge_resistance_(bridge_of(mechanism).stage.resistance.base()),
      drop_(bridge_of(mechanism).stage.drop.base()),
      dead_time_(bridge_of(mechanism).dead_time.base()),
      inductance_(brushed_of(mechanism).inductance.base()),
      constant_(brushed_of(mechanism).torque_constant.base()),
      limit_(bridge_of(mechanism).current_limit ? bridge_of(mechanism).current_limit->base()
                                                : std::numeric_limits<double>::infinity()),
      rail_(mechanism.supply),
      motor_resistance_to_air_(
          brushed_of(mechanism).heat.thermal_resistance.value_or(ThermalResistance()).base()),
      motor_capacity_(brushed_of(mechanism).heat.heat_capacity.value_or(HeatCapacity()).base()),
      board_resistance_to_air_(
          bridge_of(mechanism).stage.thermal_resistance.value_or(ThermalResistance()).base()),
      board_capacity_(bridge_of(mechanism).stage.heat_capacity.value_or(HeatCapacity()).base()),
      receiver_(mechanism) {
  state_.bridge = receiver_.begin();
  take_circuit();
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const shunt = std::get_if<Shunt>(&sensor))
      sources_.push_back(analogue_source(shunt->channel));
    if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor))
      sources_.push_back(analogue_source(probe->channel));
  }
  hears_ = receiver_.hears();
  state_.supply = state_.highest_supply = rail_.source();
  take_resistance();
  flows_alone_ = true;
  begin();
  keep();
}

double BrushedPlant::measure(SourceId source) const {
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const shunt = std::get_if<Shunt>(&sensor);
        shunt != nullptr && source == analogue_source(shunt->channel))
      return std::abs(state_.current) * shunt->resistance.base() * static_cast<double>(shunt->gain);
    if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor);
        probe != nullptr && source == analogue_source(probe->channel))
      return probe->at_0_deg_c.base() +
             probe->per_kelvin.base() * (static_cast<double>(mechanism_.air.deg_c) +
                                         (probe->on_motor ? motor_rise() : board_rise()));
  }
  return 0.0;
}

void BrushedPlant::hear_board(std::size_t input, bool high) {
  BridgeState& bridge = state_.bridge;
  const BridgeHalf a = bridge.a;
  const BridgeHalf b = bridge.b;
  receiver_.hear(bridge, input, high);
  if (a == b && bridge.is_driving()) state_.limited = false;  // a new period
  if (dead_time_ > 0.0) {
    if (a != bridge.a) state_.dead[0] = dead_time_;
    if (b != bridge.b) state_.dead[1] = dead_time_;
  }
  take_circuit();
}

void BrushedPlant::hear_board_share(std::size_t input, double share) {
  receiver_.hear_share(state_.bridge, input, share);
  take_circuit();
}

void BrushedPlant::motor_powered(bool) {
  take_circuit();
}

bool BrushedPlant::is_off(std::size_t half) const {
  const BridgeHalf joins = half == 0 ? state_.bridge.a : state_.bridge.b;
  return !shaft_.powered || state_.dead[half] > 0.0 || (joins == BridgeHalf::off && !state_.limited);
}

void BrushedPlant::motor_wired(bool whole) {
  state_.is_wired = whole;
  if (!whole) state_.current = 0.0;
}

void BrushedPlant::take_circuit() {
  const BridgeState& bridge = state_.bridge;
  state_.is_open = is_off(0) || is_off(1);
  const double side = bridge.a == bridge.b || state_.limited ? 0.0
                      : bridge.a == BridgeHalf::high         ? bridge.share
                                                             : -bridge.share;
  state_.circuit = {side, drop_, false};
}

/// Where a half is off the current chooses its diode: out of the half it comes from ground, into it it goes
/// to the supply.
BrushedPlant::Circuit BrushedPlant::open_circuit() const {
  const bool forwards = state_.current > 0.0;
  const auto level = [&](std::size_t half, BridgeHalf joins) {
    if (is_off(half)) return (half == 0) != forwards;
    return joins == BridgeHalf::high && !state_.limited;
  };
  const double side = (level(0, state_.bridge.a) ? 1.0 : 0.0) - (level(1, state_.bridge.b) ? 1.0 : 0.0);
  const double drop = (is_off(0) ? diode_drop : 0.5 * drop_) + (is_off(1) ? diode_drop : 0.5 * drop_);
  return {side, drop, true};
}

void BrushedPlant::pass_dead_time(double seconds) {
  for (double& left : state_.dead) left = left - seconds > least_dead_time ? left - seconds : 0.0;
  take_circuit();
}

const BrushedPlant::Span& BrushedPlant::new_span(double seconds) {
  Span& fresh = spans_[oldest_span_];
  oldest_span_ = (oldest_span_ + 1) % spans_.size();
  return fresh = {seconds, state_.time_constant, 1.0 / seconds, std::exp(-seconds / state_.time_constant),
                  rail_.left_after(seconds)};
}

void BrushedPlant::take_resistance() {
  state_.resistance = resistance_25_ * mechanism_.air.copper(state_.motor_rise) + bridge_resistance_;
  state_.per_resistance = 1.0 / state_.resistance;
  state_.time_constant = inductance_ * state_.per_resistance;
}

/// Where a current that comes to `after` ends before its time: its diodes run dry, or the board's own limit
/// is reached.
void BrushedPlant::end_early(Flow& flow, double reached) const {
  flow.left = (reached - flow.final_current) / (flow.before - flow.final_current);
  if (flow.left > 0.0 && flow.left <= 1.0) {
    flow.lasts = std::min(flow.lasts, -state_.time_constant * std::log(flow.left));
    flow.after = reached;
  } else if (reached != 0.0) {  // it is beyond the limit already
    flow.lasts = 0.0;
    flow.left = 1.0;
    flow.after = flow.before;
  } else {
    flow.left = 0.0;
    flow.after = 0.0;
  }
  flow.per_second = 1.0 / flow.lasts;
}

/// Integral of its square, A^2 s: ripple heats, whatever the mean is.
double BrushedPlant::squares_of(const Flow& flow) const {
  const double off = flow.before - flow.final_current;
  return flow.final_current * flow.final_current * flow.lasts +
         state_.time_constant * off * (1.0 - flow.left) *
             (2.0 * flow.final_current + 0.5 * off * (1.0 + flow.left));
}

/// The current over a time without a change of the bridge. @return its integral, A s
double BrushedPlant::flow(double seconds) {
  if (!state_.is_wired) return 0.0;
  const double emf = constant_ * shaft_.speed;
  double charge = 0.0;
  while (seconds > 0.0) {
    double piece = seconds;
    Circuit now = state_.circuit;
    if (state_.is_open) [[unlikely]] {
      now = open_circuit();
      for (const double left : state_.dead)
        if (left > 0.0) piece = std::min(piece, left);
    }
    Flow flow;
    flow.before = state_.current;
    if (now.diodes && flow.before == 0.0) {  // nothing flows, were the motor not faster than the supply
      pass_dead_time(piece);
      seconds -= piece;
      continue;
    }
    double volts = now.side * state_.supply - emf;
    // A drop stands against the current that flows, or that would begin to.
    if (now.drop != 0.0)
      volts = flow.before != 0.0           ? volts - std::copysign(now.drop, flow.before)
              : std::abs(volts) > now.drop ? volts - std::copysign(now.drop, volts)
                                           : 0.0;
    const Span& span = span_of(piece);
    flow.lasts = piece;
    flow.left = span.current_left;
    flow.per_second = span.per_second;
    flow.final_current = volts * state_.per_resistance;
    flow.after = flow.final_current + (flow.before - flow.final_current) * flow.left;
    // Located as well where it turns round against a drop, which then stands the other way.
    const bool runs_dry =
        now.diodes ? flow.after * flow.before <= 0.0 : now.drop != 0.0 && flow.after * flow.before < 0.0;
    const bool is_over = !now.diodes && now.side * flow.after > limit_ && !state_.limited;
    double supply_left = span.supply_left;
    if (runs_dry || is_over) [[unlikely]] {
      end_early(flow, runs_dry ? 0.0 : now.side * limit_);
      supply_left = rail_.left_after(flow.lasts);
    }
    const double moved = flow.final_current * flow.lasts +
                         (flow.before - flow.final_current) * state_.time_constant * (1.0 - flow.left);
    const double mean = flow.lasts > 0.0 ? moved * flow.per_second : flow.before;
    charge += moved;
    state_.charge += std::abs(moved);
    state_.net_charge += moved;
    state_.heat_to_come += squares_of(flow) * state_.resistance;
    state_.board_heat_to_come += now.drop * std::abs(moved);
    state_.current = flow.after;
    state_.highest = std::max(state_.highest, std::abs(flow.after));
    for (const double at : {flow.before, flow.after})
      if (std::abs(at) > std::abs(state_.window_peak)) state_.window_peak = at;
    feed_supply(now.side * mean, flow.lasts, supply_left);
    if (is_over) [[unlikely]] {
      state_.limited = true;
      state_.limited_for = 0.0;
      ++state_.times_limited;
      take_circuit();
    }
    if (state_.is_open) pass_dead_time(flow.lasts);
    seconds -= flow.lasts;
  }
  return charge;
}

/// @param left  see SupplyRail
void BrushedPlant::feed_supply(double drawn, double seconds, double left) {
  state_.drawn += drawn * state_.supply * seconds;
  state_.supply = rail_.after(state_.supply, drawn, seconds, left, shaft_.powered);
  state_.highest_supply = std::max(state_.highest_supply, state_.supply);
}

void BrushedPlant::flows(double seconds) {
  if (state_.limited) {
    state_.limited_for += seconds;
    if (state_.limited_for > retry_after) {
      state_.limited = false;
      take_circuit();
    }
  }
  state_.unturned += flow(seconds);
}

void BrushedPlant::turn_after_flow(double seconds) {
  const double current = state_.unturned / seconds;
  state_.mean += (std::abs(current) - state_.mean) * std::min(1.0, seconds * (1.0 / current_mean_over));
  state_.highest_mean = std::max(state_.highest_mean, state_.mean);
  if (shaft_.speed == 0.0 && state_.mean > least_drive && current != 0.0) {
    state_.driven_still += seconds;
    state_.still_current = std::max(state_.still_current, state_.mean);
  }
  state_.unturned = 0.0;
  const double peak = std::exchange(state_.window_peak, 0.0);
  turn(constant_ * current, seconds, constant_ * peak);
}

void BrushedPlant::integrate(double seconds) {
  flows(seconds);
  turn_after_flow(seconds);
}

/// Losses since the last time, spread over it; what has settled has only cooled.
void BrushedPlant::warm() {
  const double seconds = static_cast<double>(shaft_.now - state_.warmed_at) / ticks_per_second_;
  if (seconds <= 0.0) return;
  state_.warmed_at = shaft_.now;
  const double resistance = resistance_25_ * mechanism_.air.copper(state_.motor_rise);
  const double total = resistance + bridge_resistance_;
  const double power = state_.heat_to_come / seconds;
  const auto body = [&](double& rise, double watts, double to_air, double capacity, double& highest) {
    if (to_air <= 0.0 || capacity <= 0.0) return;  // how it warms is not known
    const double final_rise = watts * to_air;
    rise = final_rise + (rise - final_rise) * std::exp(-seconds / (to_air * capacity));
    highest = std::max(highest, rise);
  };
  body(state_.motor_rise, power * resistance / total, motor_resistance_to_air_, motor_capacity_,
       state_.highest_motor_rise);
  body(state_.board_rise, power * bridge_resistance_ / total + state_.board_heat_to_come / seconds,
       board_resistance_to_air_, board_capacity_, state_.highest_board_rise);
  state_.heat += state_.heat_to_come + state_.board_heat_to_come;
  state_.heat_to_come = state_.board_heat_to_come = 0.0;
  take_resistance();
}

void BrushedPlant::step_is_over() {
  // Warmth changes slowly: each millisecond is often enough.
  if (static_cast<double>(shaft_.now - state_.warmed_at) > 1e-3 * ticks_per_second_) warm();
}

bool BrushedPlant::motor_has_settled() const {
  const bool driven = shaft_.powered && state_.bridge.is_driving();
  return !driven && std::abs(state_.current) < 1e-6;
}

}  // namespace cogstride
