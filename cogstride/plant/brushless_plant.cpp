#include "cogstride/plant/brushless_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/board/line_levels.hpp"

namespace cogstride {
namespace {

constexpr double warmed_each = 1e-3;          // s
constexpr int most_parts = 16;                // of a step, between diodes that run dry
constexpr double magnets_before = 5.0 / 6.0;  // pi: of their axis, where the electrical angle is 0

const BrushlessMotor& brushless_of(const Mechanism& mechanism) {
  return std::get<BrushlessMotor>(mechanism.motor);
}
const SixGateInverter& inverter_of(const Mechanism& mechanism) {
  return std::get<SixGateInverter>(mechanism.board);
}

}  // namespace

BrushlessPlant::BrushlessPlant(const Mechanism& mechanism, const Setup& setup)
    : ShaftPlant(mechanism, setup.with_steps_of(longest_step)),
      pole_pairs_(static_cast<double>(brushless_of(mechanism).pole_pairs)),
      is_sine_(brushless_of(mechanism).back_emf == BrushlessMotor::BackEmf::sine),
      // Line to line a sine's peak is sqrt 3 of a phase's, a trapezoid's flat top twice it.
      constant_(brushless_of(mechanism).back_emf_constant.in(units::V_s_per_rad) /
                (is_sine_ ? std::sqrt(3.0) : 2.0)),
      resistance_25_(0.5 * brushless_of(mechanism).resistance.base()),
      needs_dead_(static_cast<Tick>(inverter_of(mechanism).dead_time.base() * ticks_per_second_)),
      stage_resistance_(inverter_of(mechanism).stage.resistance.base()),
      drop_(inverter_of(mechanism).stage.drop.base()),
      winding_(0.5 * brushless_of(mechanism).inductance.base(),
               brushless_of(mechanism).saliency.base().to_double()),
      rail_(mechanism.supply),
      cogging_(brushless_of(mechanism).cogging_torque.base()),
      cogging_per_turn_(static_cast<double>(brushless_of(mechanism).cogging_per_turn)),
      bootstrap_holds_(inverter_of(mechanism).bootstrap_holds
                           ? inverter_of(mechanism).bootstrap_holds->base() * ticks_per_second_
                           : std::numeric_limits<double>::infinity()),
      bootstrap_refresh_(inverter_of(mechanism).bootstrap_refresh.base()),
      locks_legs_(inverter_of(mechanism).locks_legs) {
  const MotorHeat& heat = brushless_of(mechanism).heat;
  if (heat.thermal_resistance && heat.heat_capacity) {
    to_air_ = heat.thermal_resistance->base();
    heat_time_constant_ = to_air_ * heat.heat_capacity->base();
  }
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  for (std::size_t i = 0; i < 6; ++i) {
    active_high_[i] = inverter_of(mechanism).gate_active[i] == ActiveLevel::high;
    hears_.push_back(line_id(wiring.gates[i]));
  }
  if (wiring.enable) {
    enable_active_high_ = inverter_of(mechanism).enable_active == ActiveLevel::high;
    hears_.push_back(line_id(*wiring.enable));
    state_.enabled = false;
  }
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const shunt = std::get_if<Shunt>(&sensor))
      sources_.push_back(analogue_source(shunt->channel));
    if (const auto* const voltages = std::get_if<TerminalVoltages>(&sensor))
      for (const std::int64_t channel : voltages->channels) sources_.push_back(analogue_source(channel));
  }
  state_.supply = state_.highest_supply = rail_.source();
  begin();
  keep();
}

/// Shunts stand below the low sides of legs A, B and C, in their order: what flows out of the motor to ground
/// goes through them, and what a diode takes up from there comes back.
double BrushlessPlant::measure(SourceId source) const {
  std::size_t leg = 0;
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const voltages = std::get_if<TerminalVoltages>(&sensor)) {
      for (std::size_t k = 0; k < 3; ++k)
        if (source == analogue_source(voltages->channels[k])) return terminal_volts()[k] / voltages->scale();
    }
    const auto* const shunt = std::get_if<Shunt>(&sensor);
    if (shunt == nullptr) continue;
    if (source == analogue_source(shunt->channel) && leg < 3) {
      const bool is_at_ground = terminals(rotor_at(shaft_.angle, nullptr))[leg].joined == Joined::ground;
      const double volts = (is_at_ground ? -state_.current[leg] : 0.0) * shunt->resistance.base() *
                           static_cast<double>(shunt->gain);
      return std::max(0.0, shunt->at_no_current.base() + volts);
    }
    ++leg;
  }
  return 0.0;
}

StarWinding::Three BrushlessPlant::terminal_volts() const {
  const StarWinding::Rotor rotor = rotor_at(shaft_.angle, nullptr);
  const Terminals found = terminals(rotor);
  if (std::any_of(found.begin(), found.end(),
                  [](const Terminal& terminal) { return terminal.joined != Joined::nothing; }))
    return winding_.volts(found, rotor, state_.current);
  Three volts = rotor.emf;
  const double mean = (volts[0] + volts[1] + volts[2]) / 3.0;
  const double least = *std::min_element(volts.begin(), volts.end()) - mean;
  for (double& each : volts) each += std::max(0.0, -diode_drop - least) - mean;
  return volts;
}

double BrushlessPlant::emf_constant(std::size_t phase, double electrical) const {
  const double angle = electrical - pi / 6.0 - 2.0 * pi / 3.0 * static_cast<double>(phase);
  if (is_sine_) return constant_ * std::sin(angle);
  const double share = angle / (2.0 * pi) - std::floor(angle / (2.0 * pi));  // 0 to 1
  const double rising = 12.0 * (share < 0.25 ? share : share < 0.75 ? 0.5 - share : share - 1.0);
  return constant_ * std::clamp(rising, -1.0, 1.0);
}

/// @param constants  V s/rad of each phase there, where they are asked for
StarWinding::Rotor BrushlessPlant::rotor_at(double angle, Three* constants) const {
  StarWinding::Rotor rotor;
  const double electrical = pole_pairs_ * angle;
  Three found{};
  if (is_sine_) {
    // One sine and cosine; the other phases are those turned by a third of a turn each.
    const double sine = constant_ * std::sin(electrical - pi / 6.0);
    const double cosine = constant_ * std::cos(electrical - pi / 6.0);
    const double across = 0.5 * std::sqrt(3.0) * cosine;
    found = {sine, -0.5 * sine - across, -0.5 * sine + across};
  } else {
    for (std::size_t k = 0; k < 3; ++k) found[k] = emf_constant(k, electrical);
  }
  for (std::size_t k = 0; k < 3; ++k) rotor.emf[k] = found[k] * shaft_.speed;
  rotor.magnets = electrical + magnets_before * pi;
  rotor.speed = pole_pairs_ * shaft_.speed;
  rotor.resistance = resistance_25_ * mechanism_.air.copper(state_.rise) + stage_resistance_;
  if (constants != nullptr) *constants = found;
  return rotor;
}

void BrushlessPlant::hear_board(std::size_t input, bool high) {
  if (input == enable_input_) {
    state_.enabled = high == enable_active_high_;
    return;
  }
  const bool was_on = state_.gates[input];
  state_.gates[input] = high == active_high_[input];
  if (was_on && !state_.gates[input]) state_.off_since[input] = shaft_.now;
  const std::size_t leg = input / 2;
  const std::size_t partner = input ^ 1U;
  // A transistor is off some time after its gate: the dead time that the board needs.
  const bool too_soon =
      state_.gates[input] && !was_on && shaft_.now - state_.off_since[partner] < needs_dead_;
  const bool both = too_soon || (state_.gates[2 * leg] && state_.gates[2 * leg + 1]);
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

bool BrushlessPlant::is_empty(std::size_t leg) const {
  return static_cast<double>(shaft_.now - state_.bootstraps[leg].full_at) > bootstrap_holds_;
}

/// By its gates, or by the diode that its current keeps open.
Terminal BrushlessPlant::joined_by(std::size_t leg) const {
  const bool works = state_.enabled && is_powered_ && !state_.destroyed_at;
  bool high = works && state_.gates[2 * leg];
  bool low = works && state_.gates[2 * leg + 1];
  if (high && low) high = low = false;  // locked
  if (high && is_empty(leg)) high = false;
  const double current = state_.current[leg];
  const double against = current > 0.0 ? drop_ : current < 0.0 ? -drop_ : 0.0;
  if (high) return {Joined::supply, state_.supply - against, false};
  if (low) return {Joined::ground, -against, false};
  if (current > StarWinding::nothing_flows) return {Joined::ground, -diode_drop, true};
  if (current < -StarWinding::nothing_flows) return {Joined::supply, state_.supply + diode_drop, true};
  return {};
}

/// Floating terminals stand where the star and their own back-EMF put them; beyond the rails a diode opens,
/// that of the farthest one first.
void BrushlessPlant::push_open(Terminals& found, const StarWinding::Rotor& rotor) const {
  const Terminal above{Joined::supply, state_.supply + diode_drop, true};
  const Terminal below{Joined::ground, -diode_drop, true};
  for (int pass = 0; pass < 2; ++pass) {
    if (std::all_of(found.begin(), found.end(),
                    [](const Terminal& each) { return each.joined == Joined::nothing; })) {
      const auto [least, most] = std::minmax_element(rotor.emf.begin(), rotor.emf.end());
      if (*most - *least <= above.volts - below.volts) return;
      found[static_cast<std::size_t>(most - rotor.emf.begin())] = above;
      found[static_cast<std::size_t>(least - rotor.emf.begin())] = below;
      continue;
    }
    const Three volts = winding_.volts(found, rotor, state_.current);
    std::size_t farthest = 3;
    double beyond = 0.0;
    for (std::size_t k = 0; k < 3; ++k) {
      if (found[k].joined != Joined::nothing) continue;
      const double over = std::max(volts[k] - above.volts, below.volts - volts[k]);
      if (over > beyond) {
        beyond = over;
        farthest = k;
      }
    }
    if (farthest == 3) return;
    found[farthest] = volts[farthest] > above.volts ? above : below;
  }
}

BrushlessPlant::Terminals BrushlessPlant::terminals(const StarWinding::Rotor& rotor) const {
  Terminals found{joined_by(0), joined_by(1), joined_by(2)};
  if (std::any_of(found.begin(), found.end(),
                  [](const Terminal& each) { return each.joined == Joined::nothing; }))
    push_open(found, rotor);
  return found;
}

/// What a part of a step leaves behind beside its currents.
void BrushlessPlant::pass(const StarWinding::Passed& passed, const Terminals& joined) {
  for (const double current : state_.current) state_.highest = std::max(state_.highest, std::abs(current));
  state_.charge += passed.from_supply * passed.seconds;
  state_.supply = rail_.after(state_.supply, passed.from_supply, passed.seconds,
                              rail_.left_after(passed.seconds), is_powered_);
  state_.highest_supply = std::max(state_.highest_supply, state_.supply);
  const double lost = passed.squares * resistance_25_ * mechanism_.air.copper(state_.rise) * passed.seconds;
  state_.loss += lost;
  state_.heat += lost;
  if (bootstrap_holds_ < std::numeric_limits<double>::infinity()) age_bootstraps(joined, passed.seconds);
}

void BrushlessPlant::age_bootstraps(const Terminals& joined, double seconds) {
  for (std::size_t leg = 0; leg < 3; ++leg) {
    Bootstrap& bootstrap = state_.bootstraps[leg];
    if (joined[leg].joined == Joined::ground) {
      bootstrap.at_ground += seconds;
      if (bootstrap.at_ground < bootstrap_refresh_) continue;
      bootstrap.full_at = shaft_.now;
      bootstrap.was_missed = false;
      continue;
    }
    bootstrap.at_ground = 0.0;
    if (!state_.gates[2 * leg] || !is_empty(leg) || bootstrap.was_missed) continue;
    bootstrap.was_missed = true;
    ++state_.times_empty;
  }
}

void BrushlessPlant::warm() {
  const double watts = state_.loss / state_.unwarmed;
  state_.rise += (watts * to_air_ - state_.rise) * (1.0 - std::exp(-state_.unwarmed / heat_time_constant_));
  state_.highest_rise = std::max(state_.highest_rise, state_.rise);
  state_.loss = state_.unwarmed = 0.0;
}

void BrushlessPlant::integrate(double seconds) {
  Three constants{};
  const StarWinding::Rotor rotor = rotor_at(shaft_.angle + 0.5 * seconds * shaft_.speed, &constants);
  Three charges{};
  double reluctance = 0.0;
  double left = seconds;
  for (int part = 0; part < most_parts && left > 0.0; ++part) {
    const Terminals joined = terminals(rotor);
    const StarWinding::Passed passed = winding_.flow(joined, rotor, left, state_.current);
    for (std::size_t k = 0; k < 3; ++k) charges[k] += passed.charges[k];
    reluctance += passed.reluctance;
    left -= passed.seconds;
    pass(passed, joined);
  }
  double torque = reluctance * pole_pairs_ * winding_.reluctance_torque() / seconds;
  for (std::size_t k = 0; k < 3; ++k) {
    torque += constants[k] * charges[k] / seconds;
    state_.phase_charges[k] += charges[k];
  }
  state_.torque = torque;
  if (cogging_ > 0.0) torque -= cogging_ * std::sin(cogging_per_turn_ * shaft_.angle);
  const double largest =
      std::max({std::abs(state_.current[0]), std::abs(state_.current[1]), std::abs(state_.current[2])});
  state_.mean += (largest - state_.mean) * std::min(1.0, seconds / current_mean_over);
  state_.highest_mean = std::max(state_.highest_mean, state_.mean);
  state_.unwarmed += seconds;
  if (heat_time_constant_ > 0.0 && state_.unwarmed >= warmed_each) warm();
  turn(torque, seconds);
  state_.highest_speed = std::max(state_.highest_speed, std::abs(shaft_.speed));
}

}  // namespace cogstride
