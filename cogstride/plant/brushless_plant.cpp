#include "cogstride/plant/brushless_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/open_loop_start.hpp"

namespace cogstride {
namespace {

constexpr double copper_per_kelvin = 0.0039;
constexpr double boards_own_capacitance = 1e-4;  // F, where the rig says nothing
constexpr double mean_over = 0.01;               // s
constexpr double nothing_flows = 1e-9;           // A
constexpr int most_parts = 16;                   // of a step, between diodes that run dry

BrushlessPlant::Setup with_longer_steps(BrushlessPlant::Setup setup) {
  setup.coarsest_step = std::max(setup.coarsest_step, BrushlessPlant::longest_step);
  return setup;
}

}  // namespace

BrushlessPlant::BrushlessPlant(const Mechanism& mechanism, const Setup& setup)
    : ShaftPlant(mechanism, with_longer_steps(setup)) {
  const auto& motor = std::get<BrushlessMotor>(mechanism.motor);
  const auto& board = std::get<SixGateInverter>(mechanism.board);
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  pole_pairs_ = static_cast<double>(motor.pole_pairs);
  is_sine_ = motor.back_emf == BrushlessMotor::BackEmf::sine;
  // Line to line a sine's peak is sqrt 3 of a phase's, a trapezoid's flat top twice it.
  constant_ = motor.back_emf_constant.in(units::V_s_per_rad) / (is_sine_ ? std::sqrt(3.0) : 2.0);
  resistance_cold_ = 0.5 * motor.resistance.base();
  inductance_ = 0.5 * motor.inductance.base();
  stage_resistance_ = board.stage.resistance.base();
  drop_ = board.stage.drop.base();
  supply_volts_ = mechanism.supply.voltage.base();
  supply_resistance_ = std::max(1e-3, mechanism.supply.resistance.base());
  capacitance_ = mechanism.supply.capacitance ? mechanism.supply.capacitance->base() : boards_own_capacitance;
  clamp_volts_ = mechanism.supply.clamp_voltage ? mechanism.supply.clamp_voltage->base()
                                                : std::numeric_limits<double>::infinity();
  clamp_resistance_ = mechanism.supply.clamp_resistance ? mechanism.supply.clamp_resistance->base() : 1.0;
  if (motor.heat.thermal_resistance && motor.heat.heat_capacity) {
    to_air_ = motor.heat.thermal_resistance->base();
    heat_time_constant_ = to_air_ * motor.heat.heat_capacity->base();
  }
  locks_legs_ = board.locks_legs;
  for (std::size_t i = 0; i < 6; ++i) {
    active_high_[i] = board.gate_active[i] == ActiveLevel::high;
    hears_.push_back(line_id(wiring.gates[i]));
  }
  if (wiring.enable) {
    enable_active_high_ = board.enable_active == ActiveLevel::high;
    hears_.push_back(line_id(*wiring.enable));
    state_.enabled = false;
  }
  for (const Sensor& sensor : mechanism_.sensors)
    if (const auto* const shunt = std::get_if<Shunt>(&sensor))
      sources_.push_back(analogue_source(shunt->channel));
  state_.supply = state_.highest_supply = supply_volts_;
  begin();
  keep();
}

/// Shunts stand below the low sides of legs A, B and C, in their order; an amplifier around half its supply
/// is not there, so that a current out of the motor reads as nothing.
double BrushlessPlant::measure(SourceId source) const {
  std::size_t leg = 0;
  for (const Sensor& sensor : mechanism_.sensors) {
    const auto* const shunt = std::get_if<Shunt>(&sensor);
    if (shunt == nullptr) continue;
    if (source == analogue_source(shunt->channel) && leg < 3)
      return std::max(0.0, state_.gates[2 * leg + 1] ? -state_.current[leg] : 0.0) *
             shunt->resistance.base() * static_cast<double>(shunt->gain);
    ++leg;
  }
  return 0.0;
}

double BrushlessPlant::emf_constant(std::size_t phase, double electrical) const {
  const double angle = electrical - pi / 6.0 - 2.0 * pi / 3.0 * static_cast<double>(phase);
  if (is_sine_) return constant_ * std::sin(angle);
  const double share = angle / (2.0 * pi) - std::floor(angle / (2.0 * pi));  // 0 to 1
  const double rising = 12.0 * (share < 0.25 ? share : share < 0.75 ? 0.5 - share : share - 1.0);
  return constant_ * std::clamp(rising, -1.0, 1.0);
}

void BrushlessPlant::hear_board(std::size_t input, bool high) {
  if (input == enable_input_) {
    state_.enabled = high == enable_active_high_;
    return;
  }
  state_.gates[input] = high == active_high_[input];
  const std::size_t leg = input / 2;
  const bool both = state_.gates[2 * leg] && state_.gates[2 * leg + 1];
  if (both && !locks_legs_ && state_.enabled && is_powered_ && !state_.destroyed_at) {
    state_.destroyed_at = shaft_.now;
    state_.destroyed_leg = leg;
  }
}

void BrushlessPlant::motor_powered(bool powered) {
  is_powered_ = powered;
}

bool BrushlessPlant::motor_has_settled() const {
  const bool any_gate = state_.enabled && is_powered_ &&
                        std::any_of(state_.gates.begin(), state_.gates.end(), [](bool on) { return on; });
  return !any_gate && std::all_of(state_.current.begin(), state_.current.end(),
                                  [](double current) { return std::abs(current) < 1e-6; });
}

double BrushlessPlant::star(const std::array<Leg, 3>& legs, const Three& emf) {
  double sum = 0.0;
  int count = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    if (legs[k].joined == Joined::nothing) continue;
    sum += legs[k].volts - emf[k];
    ++count;
  }
  return count == 0 ? 0.0 : sum / count;
}

/// What each terminal is joined to now: by its gates, by the diode that its current keeps open, or by one
/// that the back-EMF pushes open.
std::array<BrushlessPlant::Leg, 3> BrushlessPlant::legs(const Three& emf) const {
  const bool works = state_.enabled && is_powered_ && !state_.destroyed_at;
  const double top = state_.supply;
  std::array<Leg, 3> found{};
  for (std::size_t k = 0; k < 3; ++k) {
    bool high = works && state_.gates[2 * k];
    bool low = works && state_.gates[2 * k + 1];
    if (high && low) high = low = false;  // locked
    const double current = state_.current[k];
    const double against = current > 0.0 ? drop_ : current < 0.0 ? -drop_ : 0.0;
    if (high) {
      found[k] = {Joined::supply, top - against, false};
    } else if (low) {
      found[k] = {Joined::ground, -against, false};
    } else if (current > nothing_flows) {
      found[k] = {Joined::ground, -diode_drop, true};
    } else if (current < -nothing_flows) {
      found[k] = {Joined::supply, top + diode_drop, true};
    }
  }
  // Floating terminals stand at the star's voltage and their own back-EMF; beyond the rails a diode opens.
  // The farthest one first.
  for (int pass = 0; pass < 2; ++pass) {
    const bool any =
        std::any_of(found.begin(), found.end(), [](const Leg& leg) { return leg.joined != Joined::nothing; });
    if (!any) {
      const auto [least, most] = std::minmax_element(emf.begin(), emf.end());
      if (*most - *least <= top + 2.0 * diode_drop) return found;
      found[static_cast<std::size_t>(most - emf.begin())] = {Joined::supply, top + diode_drop, true};
      found[static_cast<std::size_t>(least - emf.begin())] = {Joined::ground, -diode_drop, true};
      continue;
    }
    const double middle = star(found, emf);
    std::size_t farthest = 3;
    double beyond = 0.0;
    for (std::size_t k = 0; k < 3; ++k) {
      if (found[k].joined != Joined::nothing) continue;
      const double at = middle + emf[k];
      const double over = std::max(at - top - diode_drop, -diode_drop - at);
      if (over > beyond) {
        beyond = over;
        farthest = k;
      }
    }
    if (farthest == 3) return found;
    const bool upwards = middle + emf[farthest] > top;
    found[farthest] =
        upwards ? Leg{Joined::supply, top + diode_drop, true} : Leg{Joined::ground, -diode_drop, true};
  }
  return found;
}

/// Lets current flow for `seconds`, or until a diode runs dry. @param charges  A s of each phase, added to
/// @return the time that has passed
double BrushlessPlant::flow(const std::array<Leg, 3>& legs, const Three& emf, double seconds,
                            Three& charges) {
  int joined = 0;
  for (const Leg& leg : legs) joined += leg.joined == Joined::nothing ? 0 : 1;
  if (joined < 2) {
    state_.current = {};
    return seconds;
  }
  const double resistance = resistance_cold_ * (1.0 + copper_per_kelvin * state_.rise) + stage_resistance_;
  const double constant = inductance_ / resistance;
  const double middle = star(legs, emf);
  Three to{};
  double lasts = seconds;
  std::size_t runs_dry = 3;
  for (std::size_t k = 0; k < 3; ++k) {
    if (legs[k].joined == Joined::nothing) continue;
    to[k] = (legs[k].volts - emf[k] - middle) / resistance;
    if (!legs[k].by_diode) continue;
    const double now = state_.current[k];
    // A diode carries current one way alone: into the motor from ground, out of it to the supply.
    const double way = legs[k].joined == Joined::ground ? 1.0 : -1.0;
    if (way * to[k] >= 0.0) continue;
    const double left = to[k] / (to[k] - now);  // share of the way to `to` that is left at nothing
    const double dry = way * now <= nothing_flows ? 0.0 : -constant * std::log(left);
    if (dry < lasts) {
      lasts = dry;
      runs_dry = k;
    }
  }
  const double x = lasts / constant;
  const double left = std::exp(-x);
  const double mean_share = x > 1e-9 ? (1.0 - left) / x : 1.0;
  double drawn = 0.0;
  double loss = 0.0;
  for (std::size_t k = 0; k < 3; ++k) {
    if (legs[k].joined == Joined::nothing) continue;
    const double mean = to[k] + (state_.current[k] - to[k]) * mean_share;
    charges[k] += mean * lasts;
    if (legs[k].joined == Joined::supply) drawn += mean;
    loss += mean * mean * resistance_cold_;
    state_.current[k] = to[k] + (state_.current[k] - to[k]) * left;
    state_.highest = std::max(state_.highest, std::abs(state_.current[k]));
  }
  if (runs_dry < 3) state_.current[runs_dry] = 0.0;
  // Of two phases one carries what the other does, whatever rounding left.
  double sum = 0.0;
  for (const double current : state_.current) sum += current;
  int carrying = 0;
  for (const double current : state_.current) carrying += current != 0.0 ? 1 : 0;
  for (double& current : state_.current)
    if (current != 0.0) current -= sum / carrying;
  feed_supply(drawn, lasts);
  if (heat_time_constant_ > 0.0 && lasts > 0.0) {
    state_.rise += (loss * to_air_ - state_.rise) * (1.0 - std::exp(-lasts / heat_time_constant_));
    state_.highest_rise = std::max(state_.highest_rise, state_.rise);
  }
  return lasts;
}

void BrushlessPlant::feed_supply(double drawn, double seconds) {
  double& volts = state_.supply;
  state_.charge += drawn * seconds;
  if (is_powered_ && volts - 1e-9 <= supply_volts_) {
    const double at = supply_volts_ - supply_resistance_ * drawn;
    volts = at + (volts - at) * std::exp(-seconds / (supply_resistance_ * capacitance_));
  } else if (volts > clamp_volts_) {
    const double at = clamp_volts_ - clamp_resistance_ * drawn;
    volts = at + (volts - at) * std::exp(-seconds / (clamp_resistance_ * capacitance_));
  } else {
    volts = std::max(0.0, volts - drawn * seconds / capacitance_);
  }
  state_.highest_supply = std::max(state_.highest_supply, volts);
}

void BrushlessPlant::integrate(double seconds) {
  const double electrical = pole_pairs_ * (shaft_.angle + 0.5 * seconds * shaft_.speed);
  Three constants{};
  Three emf{};
  if (is_sine_) {
    // One sine and cosine; the other phases are those turned by a third of a turn each.
    const double sine = constant_ * std::sin(electrical - pi / 6.0);
    const double cosine = constant_ * std::cos(electrical - pi / 6.0);
    const double across = 0.5 * std::sqrt(3.0) * cosine;
    constants = {sine, -0.5 * sine - across, -0.5 * sine + across};
  } else {
    for (std::size_t k = 0; k < 3; ++k) constants[k] = emf_constant(k, electrical);
  }
  for (std::size_t k = 0; k < 3; ++k) emf[k] = constants[k] * shaft_.speed;
  Three charges{};
  double left = seconds;
  for (int part = 0; part < most_parts && left > 0.0; ++part) left -= flow(legs(emf), emf, left, charges);
  double torque = 0.0;
  for (std::size_t k = 0; k < 3; ++k) torque += constants[k] * charges[k] / seconds;
  state_.torque = torque;
  double largest = 0.0;
  for (const double current : state_.current) largest = std::max(largest, std::abs(current));
  state_.mean += (largest - state_.mean) * std::min(1.0, seconds / mean_over);
  state_.highest_mean = std::max(state_.highest_mean, state_.mean);
  turn(torque, seconds);
  state_.highest_speed = std::max(state_.highest_speed, std::abs(shaft_.speed));
}

}  // namespace cogstride
