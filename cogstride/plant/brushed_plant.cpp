#include "cogstride/plant/brushed_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr double copper_per_kelvin = 0.0039;
constexpr double diode_drop = 0.7;               // V, of the ones beside the transistors
constexpr double boards_own_capacitance = 1e-4;  // F, where the rig says nothing
constexpr double retry_after = 5e-5;             // s, of a limited bridge that sees no new period
constexpr double mean_over = 1e-2;               // s
constexpr double least_drive = 0.02;             // A, that is no rest of a current that dies away
constexpr double air = 25.0;                     // degrees C, for probes

const BrushedMotor& motor_of(const Mechanism& mechanism) {
  return std::get<BrushedMotor>(mechanism.motor);
}
const HBridge& board_of(const Mechanism& mechanism) {
  return std::get<HBridge>(mechanism.board);
}

BrushedPlant::Setup with_longer_steps(BrushedPlant::Setup setup) {
  setup.coarsest_step = std::max(setup.coarsest_step, BrushedPlant::longest_step);
  return setup;
}

}  // namespace

BrushedPlant::BrushedPlant(const Mechanism& mechanism, const Setup& setup)
    : ShaftPlant(mechanism, with_longer_steps(setup)),
      resistance_cold_(motor_of(mechanism).resistance.base()),
      bridge_resistance_(board_of(mechanism).stage.resistance.base()),
      drop_(board_of(mechanism).stage.drop.base()),
      inductance_(motor_of(mechanism).inductance.base()),
      constant_(motor_of(mechanism).torque_constant.base()),
      limit_(board_of(mechanism).current_limit ? board_of(mechanism).current_limit->base()
                                               : std::numeric_limits<double>::infinity()),
      supply_volts_(mechanism.supply.voltage.base()),
      supply_resistance_(std::max(1e-3, mechanism.supply.resistance.base())),
      capacitance_(mechanism.supply.capacitance ? mechanism.supply.capacitance->base()
                                                : boards_own_capacitance),
      clamp_volts_(mechanism.supply.clamp_voltage ? mechanism.supply.clamp_voltage->base()
                                                  : std::numeric_limits<double>::infinity()),
      clamp_resistance_(mechanism.supply.clamp_resistance ? mechanism.supply.clamp_resistance->base() : 1.0),
      motor_resistance_to_air_(
          motor_of(mechanism).heat.thermal_resistance.value_or(ThermalResistance()).base()),
      motor_capacity_(motor_of(mechanism).heat.heat_capacity.value_or(HeatCapacity()).base()),
      board_resistance_to_air_(
          board_of(mechanism).stage.thermal_resistance.value_or(ThermalResistance()).base()),
      board_capacity_(board_of(mechanism).stage.heat_capacity.value_or(HeatCapacity()).base()),
      receiver_(mechanism) {
  state_.bridge = receiver_.begin();
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const shunt = std::get_if<Shunt>(&sensor))
      sources_.push_back(analogue_source(shunt->channel));
    if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor))
      sources_.push_back(analogue_source(probe->channel));
  }
  hears_ = receiver_.hears();
  state_.supply = state_.highest_supply = supply_volts_;
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
             probe->per_kelvin.base() * (air + (probe->on_motor ? state_.motor_rise : state_.board_rise));
  }
  return 0.0;
}

void BrushedPlant::hear_board(std::size_t input, bool high) {
  const bool drove = state_.bridge.is_driving();
  receiver_.hear(state_.bridge, input, high);
  if (!drove && state_.bridge.is_driving()) state_.limited = false;  // a new period
}

void BrushedPlant::hear_board_share(std::size_t input, double share) {
  receiver_.hear_share(state_.bridge, input, share);
}

void BrushedPlant::motor_powered(bool) {}

BrushedPlant::Circuit BrushedPlant::circuit() const {
  using enum BridgeHalf;
  BridgeHalf a = state_.bridge.a;
  BridgeHalf b = state_.bridge.b;
  if (!shaft_.powered) a = b = off;
  if (state_.limited) a = b = low;
  const double way = state_.current > 0.0 ? 1.0 : state_.current < 0.0 ? -1.0 : 0.0;
  // Both halves off: its current goes on through their diodes, against the supply.
  if (a == off) return {-way * (state_.supply + 2.0 * diode_drop), -1.0, true};
  if (a == b) return {-way * drop_, 0.0, false};
  const double side = (a == high ? 1.0 : -1.0) * state_.bridge.share;
  return {side * state_.supply - way * drop_, side, false};
}

/// The current over a time without a change of the bridge; its integral is added to `charge`.
void BrushedPlant::flow(double seconds, double& charge) {
  const double resistance =
      resistance_cold_ * (1.0 + copper_per_kelvin * state_.motor_rise) + bridge_resistance_;
  const double tau = inductance_ / resistance;
  const double emf = constant_ * shaft_.speed;
  while (seconds > 0.0) {
    const Circuit now = circuit();
    const double before = state_.current;
    if (now.diodes && before == 0.0) return;  // nothing flows, unless the motor were faster than the supply
    const double final_current = (now.volts - emf) / resistance;
    double lasts = seconds;
    double decay = std::exp(-lasts / tau);
    double after = final_current + (before - final_current) * decay;
    const bool ends = now.diodes && after * before <= 0.0;
    const bool is_over = !ends && now.drawn * after > limit_ && !state_.limited;
    if (ends || is_over) {
      const double reached = ends ? 0.0 : now.drawn * limit_;
      decay = (reached - final_current) / (before - final_current);
      if (decay > 0.0 && decay <= 1.0) {
        lasts = std::min(seconds, -tau * std::log(decay));
      } else {  // it is beyond already
        lasts = is_over ? 0.0 : seconds;
        decay = is_over ? 1.0 : 0.0;
      }
      after = is_over && lasts == 0.0 ? before : reached;
    }
    const double moved = final_current * lasts + (before - final_current) * tau * (1.0 - decay);
    charge += moved;
    const double mean = lasts > 0.0 ? moved / lasts : before;
    state_.charge += std::abs(moved);
    state_.heat += mean * mean * resistance * lasts;
    state_.heat_to_come += mean * mean * resistance * lasts;
    feed_supply(now.drawn * (now.diodes ? std::abs(mean) : mean), lasts);
    state_.current = after;
    state_.highest = std::max(state_.highest, std::abs(after));
    if (is_over) {
      state_.limited = true;
      state_.limited_for = 0.0;
      ++state_.times_limited;
    }
    seconds -= lasts;
  }
}

/// The voltage at the board: its supply gives through a resistance and takes nothing back; a clamp does.
void BrushedPlant::feed_supply(double drawn, double seconds) {
  double& volts = state_.supply;
  state_.drawn += drawn * volts * seconds;
  const auto towards = [&](double source, double resistance, double current) {
    const double at = source - resistance * current;
    volts = at + (volts - at) * std::exp(-seconds / (resistance * capacitance_));
  };
  if (shaft_.powered && volts - 1e-9 <= supply_volts_) {
    towards(supply_volts_, supply_resistance_, drawn);
  } else if (volts > clamp_volts_) {
    towards(clamp_volts_, clamp_resistance_, drawn);
  } else {
    volts = std::max(0.0, volts - drawn * seconds / capacitance_);
  }
  state_.highest_supply = std::max(state_.highest_supply, volts);
}

void BrushedPlant::integrate(double seconds) {
  double charge = 0.0;
  if (state_.limited) {
    state_.limited_for += seconds;
    if (state_.limited_for > retry_after) state_.limited = false;
  }
  flow(seconds, charge);
  state_.mean += (std::abs(charge) / seconds - state_.mean) * std::min(1.0, seconds / mean_over);
  state_.highest_mean = std::max(state_.highest_mean, state_.mean);
  if (shaft_.speed == 0.0 && state_.mean > least_drive && charge != 0.0) {
    state_.driven_still += seconds;
    state_.still_current = std::max(state_.still_current, state_.mean);
  }
  turn(constant_ * charge / seconds, seconds);
}

/// Losses since the last time, spread over it; what has settled has only cooled.
void BrushedPlant::warm() {
  const double seconds = static_cast<double>(shaft_.now - state_.warmed_at) / ticks_per_second_;
  if (seconds <= 0.0) return;
  state_.warmed_at = shaft_.now;
  const double resistance = resistance_cold_ * (1.0 + copper_per_kelvin * state_.motor_rise);
  const double total = resistance + bridge_resistance_;
  const double power = state_.heat_to_come / seconds;
  const auto body = [&](double& rise, double watts, double to_air, double capacity, double& highest) {
    if (to_air <= 0.0) return;
    const double final_rise = watts * to_air;
    rise = capacity > 0.0 ? final_rise + (rise - final_rise) * std::exp(-seconds / (to_air * capacity))
                          : final_rise;
    highest = std::max(highest, rise);
  };
  body(state_.motor_rise, power * resistance / total, motor_resistance_to_air_, motor_capacity_,
       state_.highest_motor_rise);
  body(state_.board_rise, power * bridge_resistance_ / total, board_resistance_to_air_, board_capacity_,
       state_.highest_board_rise);
  state_.heat_to_come = 0.0;
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
