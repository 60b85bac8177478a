#include "cogstride/plant/bus/bus_drive_plant.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr std::int64_t usual_highest_deg_c = 80;
constexpr double falls_below = 0.7;  // of its supply, where no label says what it needs
constexpr double rises_above = 1.5;

DriveNode::Setup node_setup(const Mechanism& mechanism, double ticks_per_second) {
  const DriveMotorFigures motor = drive_motor_figures(mechanism);
  return {static_cast<int>(std::get<BusWiring>(mechanism.wiring).id),
          std::get<BusDrive>(mechanism.board),
          steps_per_motor_turn(mechanism),
          motor.torque_constant,
          motor.rated_current,
          ticks_per_second,
          1000 + std::get<BusWiring>(mechanism.wiring).id};
}

void warm_up(double& rise, double watts, const std::optional<ThermalResistance>& to_air,
             const std::optional<HeatCapacity>& capacity, double seconds) {
  if (!to_air || !capacity) return;
  const double final_rise = watts * to_air->base();
  rise = final_rise + (rise - final_rise) * std::exp(-seconds / (to_air->base() * capacity->base()));
}

}  // namespace

BusDrivePlant::BusDrivePlant(const Mechanism& mechanism, const Setup& setup)
    : ShaftPlant(mechanism, setup.with_steps_of(longest_step)),
      resistance_25_(drive_motor_figures(mechanism).resistance),
      stage_resistance_(stage_of(mechanism.board).resistance.base()),
      rail_(mechanism.supply),
      node_(node_setup(mechanism, ticks_per_second_), state_.loops) {
  const auto& board = std::get<BusDrive>(mechanism.board);
  const double supply = mechanism.supply.voltage.base();
  motor_.torque_constant = drive_motor_figures(mechanism).torque_constant;
  motor_.inertia = inertia_;
  motor_.lowest_supply = board.stage.lowest_supply ? board.stage.lowest_supply->base() : falls_below * supply;
  motor_.highest_supply =
      board.stage.highest_supply ? board.stage.highest_supply->base() : rises_above * supply;
  motor_.highest_celsius = static_cast<double>(board.stage.highest_deg_c.value_or(usual_highest_deg_c));
  motor_.rad_per_count = 2.0 * pi / static_cast<double>(steps_per_motor_turn(mechanism));
  state_.supply = rail_.source();
  state_.counts_from = shaft_.angle;
  begin();
  node_.power(0, shaft_.powered);
}

DriveSense BusDrivePlant::sense() const {
  // Turned round as it is wired; told the other way round again by its polarity.
  const double way = (mechanism_.reversed ? -1.0 : 1.0) * node_.polarity() / motor_.rad_per_count;
  return {(shaft_.angle - state_.counts_from) * way, shaft_.speed * way, state_.supply,
          static_cast<double>(mechanism_.air.deg_c) + state_.board_rise};
}

void BusDrivePlant::pass() {
  node_.pass(shaft_.now, sense());
}

void BusDrivePlant::hear(Tick at, const Frame& frame) {
  pass();
  node_.hear(at, frame);
  shaft_.settled = false;
}

Frame BusDrivePlant::say(Tick now) {
  pass();
  return node_.say(now);
}

void BusDrivePlant::motor_powered(bool powered) {
  if (!powered) state_.loops.let_go();
  state_.counts_from = shaft_.angle;  // what it had counted it forgets
  node_.power(shaft_.now, powered);
}

void BusDrivePlant::warm(double seconds) {
  const double squares = state_.loops.current() * state_.loops.current();
  const DriveMotorFigures motor = drive_motor_figures(mechanism_);
  const BoardStage& stage = stage_of(mechanism_.board);
  const double resistance = resistance_25_ * mechanism_.air.copper(state_.motor_rise);
  warm_up(state_.motor_rise, squares * resistance, motor.heat.thermal_resistance, motor.heat.heat_capacity,
          seconds);
  warm_up(state_.board_rise, squares * stage_resistance_, stage.thermal_resistance, stage.heat_capacity,
          seconds);
}

void BusDrivePlant::integrate(double seconds) {
  DriveMotor motor = motor_;
  motor.resistance = resistance_25_ * mechanism_.air.copper(state_.motor_rise) + stage_resistance_;
  const double way = (mechanism_.reversed ? -1.0 : 1.0) * node_.polarity();
  motor.rad_per_count *= way;
  const DriveSense before = sense();
  double current = state_.loops.step(node_.orders(), motor, before, seconds);
  if (!state_.is_wired || !shaft_.powered) current = 0.0;
  const double drawn = shaft_.powered ? state_.loops.from_supply() : 0.0;
  state_.supply = rail_.after(state_.supply, drawn, seconds, rail_.left_after(seconds), shaft_.powered);
  warm(seconds);
  turn(motor_.torque_constant * current, seconds);
  state_.highest = std::max(state_.highest, std::abs(current));
  state_.highest_from_supply = std::max(state_.highest_from_supply, drawn);
  state_.highest_supply = std::max(state_.highest_supply, state_.supply);
  if (shaft_.powered) state_.lowest_supply = std::min(state_.lowest_supply, state_.supply);
  state_.highest_motor_rise = std::max(state_.highest_motor_rise, state_.motor_rise);
  state_.highest_board_rise = std::max(state_.highest_board_rise, state_.board_rise);
  state_.highest_lag = std::max(state_.highest_lag, std::abs(state_.loops.lag()));
}

}  // namespace cogstride
