#include "cogstride/rig/figures/derive.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {
namespace {

bool is_rotary_motor(const Mechanism& mechanism) {
  return std::holds_alternative<BrushedMotor>(mechanism.motor) ||
         std::holds_alternative<BrushlessMotor>(mechanism.motor);
}

double top_shaft_speed(const Mechanism& mechanism) {
  return shaft_speed(mechanism, mechanism.limits.speed.base.to_double());
}

/// Of what flows with a steady duty: transistors while it is driven, and what it flows through in the rest.
Losses rotary_losses(const RotaryMotorModel& model, const SwitchedCurrent& flows) {
  return {
      flows.mean, model.winding_loss * flows.square,
      model.board_resistance * flows.square + flows.driven * model.drop + flows.freewheels * model.off_drop};
}

/// @param coils  that carry the current at a time
Losses stepper_losses(const Mechanism& mechanism, double coils) {
  const StepperDrive drive = stepper_drive(mechanism);
  const bool step_dir = std::holds_alternative<StepDirBoard>(mechanism.board);
  // Microstepping, the squares of both currents always add up to the square of the peak, and their mean
  // sum is 4/pi of it; switched, each coil that is on carries it all.
  const double squares = step_dir ? 1.0 : coils;
  const double sum = step_dir ? 4.0 / pi : coils;
  const double resistance = mechanism.air.copper() * mechanism.stepper().winding().resistance.base();
  Losses losses{drive.current, squares * drive.current * drive.current * resistance, 0.0};
  const BoardStage& stage = stage_of(mechanism.board);
  losses.board = squares * drive.current * drive.current * stage.resistance.base() +
                 sum * drive.current * stage.drop.base();
  return losses;
}
Losses held_losses(const Mechanism& mechanism) {
  return stepper_losses(mechanism, stepper_drive(mechanism).coils_held);
}

/// Torque, heat and current, in closed form.
void estimate(StepperFigures& figures, const Mechanism& mechanism) {
  const double speed = mechanism.limits.speed.base.to_double();
  const double shaft = shaft_speed(mechanism, speed);
  const double units = display_units_per_base(figures.kind);
  figures.torque_at_rest = available_torque(mechanism, 0.0);
  figures.torque_left = available_torque(mechanism, shaft) - mechanism.stepper().detent_torque.base() -
                        friction_torque(mechanism, shaft);
  figures.usable_acceleration = usable_acceleration(mechanism, speed) * units;
  figures.pull_in_speed = pull_in_speed(mechanism) * units;
  figures.natural_frequency = natural_frequency(mechanism);
  const Losses losses = held_losses(mechanism);
  figures.winding_loss = losses.winding;
  figures.board_loss = losses.board;
  const MotorHeat& heat = mechanism.stepper().heat;
  if (heat.thermal_resistance) figures.winding_rise = losses.winding * heat.thermal_resistance->base();
}

std::int64_t place_in_connector(const Controller& controller, std::int64_t line) {
  const auto& connector = controller.connector;
  const auto found = std::find(connector.begin(), connector.end(), line);
  if (found == connector.end()) return static_cast<std::int64_t>(connector.size()) + line;
  return found - connector.begin();
}

}  // namespace

StepperFigures stepper_figures(const Mechanism& mechanism, const Controller& controller) {
  StepperFigures figures;
  const Limits& limits = mechanism.limits;
  figures.kind = output_kind(mechanism.train);
  const int units = display_units_per_base(figures.kind);
  const Ratio per_base = steps_per_base(mechanism);
  figures.steps_per_unit = per_base / Ratio(units);
  figures.resolution = (Ratio(1) / figures.steps_per_unit).to_double();
  figures.top_speed = limits.speed.base.to_double() * units;
  figures.top_step_rate = (limits.speed.base * per_base).to_double();
  figures.controller_step_rate = std::min(
      controller.top_step_rate.base().to_double(),
      controller.timer_clock.base().to_double() / static_cast<double>(step_grain(mechanism, controller)));
  const RampLimits own = own_limits(mechanism);
  const Ramp to_top = plan_speed({}, own.speed, own);
  figures.ramp_time = to_top.phases().back().start;
  figures.ramp_way = to_top.phases().back().from.to_double() / figures.steps_per_unit.to_double();
  estimate(figures, mechanism);
  if (limits.travel_from && limits.travel_to) {
    const std::int64_t steps =
        step_at(mechanism, *limits.travel_to) - step_at(mechanism, *limits.travel_from);
    figures.travel_steps = steps;
    if (figures.controller_can())
      figures.travel_time = plan_ramp({}, steps, ramp_limits(mechanism, controller)).duration();
  }
  return figures;
}

std::optional<Losses> steady_losses(const Mechanism& mechanism) {
  if (std::holds_alternative<Stepper>(mechanism.motor)) return held_losses(mechanism);
  if (!is_rotary_motor(mechanism)) return std::nullopt;
  const RotaryMotorModel model = with_commutations(mechanism);
  const double shaft = top_shaft_speed(mechanism);
  return rotary_losses(model, current_at(model, shaft));
}

SupplyLoad supply_load(const Rig& rig, const Supply& supply) {
  SupplyLoad load;
  const auto add = [&](const std::string& name, const SupplyDraw& draw, double share) {
    load.draw.most += share * draw.most;
    load.draw.running += share * draw.running;
    load.fed.push_back(name);
  };
  for (const Mechanism& mechanism : rig.mechanisms)
    if (mechanism.supply.name == supply.name) add(mechanism.name, supply_draw(mechanism), 1.0);
  for (const Supply& regulator : rig.supplies) {
    if (regulator.fed_by != supply.name) continue;
    const double share = regulator.efficiency ? regulator.voltage.base() / supply.voltage.base() /
                                                    regulator.efficiency->base().to_double()
                                              : 1.0;
    add(regulator.name, supply_load(rig, regulator).draw, share);
  }
  return load;
}

SupplyDraw supply_draw(const Mechanism& mechanism) {
  const double volts = mechanism.supply.voltage.base();
  if (std::holds_alternative<Stepper>(mechanism.motor)) {
    const StepperDrive drive = stepper_drive(mechanism);
    const double shaft = top_shaft_speed(mechanism);
    if (!drive.is_limited) return {drive.coils_held * drive.current, drive.coils_turning * drive.current};
    const auto lost = [&](double coils) {
      const Losses losses = stepper_losses(mechanism, coils);
      return losses.winding + losses.board;
    };
    // At its hardest it moves its load with the most that its ramp asks for, not with its pull-out.
    const double hardest = std::min(available_torque(mechanism, shaft),
                                    std::max(0.0, friction_torque(mechanism, shaft)) +
                                        moved_inertia(mechanism).base() * hardest_acceleration(mechanism));
    return {(lost(drive.coils_held) + hardest * shaft) / volts,
            (lost(drive.coils_turning) + std::max(0.0, friction_torque(mechanism, shaft)) * shaft) / volts};
  }
  if (const auto* const drive = std::get_if<BusDrive>(&mechanism.board)) {
    const RotaryMotorModel model = model_of(mechanism);
    const double shaft = top_shaft_speed(mechanism);
    // At its hardest it comes to the end of its ramp.
    const double current =
        current_at(model, shaft).mean + drive_ramp_torque(mechanism) / model.torque_per_ampere;
    const double watts = (model.resistance * current + model.emf * shaft) * current;
    return {std::min(drive->supply_current.base(), std::max(0.0, watts / volts)),
            std::max(0.0, current_at(model, shaft).from_supply)};
  }
  if (is_rotary_motor(mechanism)) {
    const RotaryMotorModel model = with_commutations(mechanism);
    const double shaft = top_shaft_speed(mechanism);
    const double duty =
        std::min(1.0, duty_for_torque(model, model.torque_per_ampere * model.current_limit, shaft));
    return {std::max(0.0, switched_current(model, duty, shaft).from_supply),
            std::max(0.0, current_at(model, shaft).from_supply)};
  }
  if (const auto* const throttled = std::get_if<ThrottledMotor>(&mechanism.motor))
    return {std::max(throttled->current, throttled->surge_current.value_or(Current())).base(),
            throttled->current.base()};
  if (const auto* const hobby = std::get_if<HobbyServo>(&mechanism.motor))
    return {hobby->stall_current.base(), hobby->idle_current.base()};
  const Current current = std::get<StepServo>(mechanism.motor).current;
  return {current.base(), current.base()};
}

std::optional<Current> line_current(const Rig& rig, const RigLine& line) {
  if (!line.is_output) return std::nullopt;
  if (line.mechanism == nullptr) {
    for (const PlainOutput& output : rig.outputs)
      if (output.name == line.owner) return output.current;
    return std::nullopt;
  }
  if (const auto& through = line.mechanism->common.through) {
    const BetweenPart* const part = find_part(rig, *through);
    return part == nullptr ? std::nullopt : part->input_current;
  }
  const BoardInputs& inputs = inputs_of(line.mechanism->board);
  if (!inputs.resistance) return std::nullopt;
  return (rig.controller.logic_level - inputs.drop) / *inputs.resistance;
}

Voltage high_level_at_board(const Rig& rig, const Mechanism& mechanism) {
  if (const auto& through = mechanism.common.through) {
    const BetweenPart* const part = find_part(rig, *through);
    if (part != nullptr) return part->output_level;
  }
  return rig.controller.logic_level;
}

std::vector<RigLine> wiring_list(const Rig& rig) {
  std::vector<RigLine> lines = rig_lines(rig);
  std::stable_sort(lines.begin(), lines.end(), [&](const RigLine& a, const RigLine& b) {
    return place_in_connector(rig.controller, a.number) < place_in_connector(rig.controller, b.number);
  });
  return lines;
}

std::optional<WantedFrequency> wanted_frequency(const Mechanism& mechanism) {
  if (const auto* const bridge = std::get_if<BridgeWiring>(&mechanism.wiring))
    return WantedFrequency{bridge->pwm_frequency, bridge->alignment};
  if (const auto* const gates = std::get_if<GateWiring>(&mechanism.wiring))
    return WantedFrequency{gates->pwm_frequency, gates->alignment};
  if (const auto* const input = std::get_if<PulseWidthInput>(&mechanism.board))
    return WantedFrequency{input->frame_rate, Alignment::edge};
  return std::nullopt;
}

}  // namespace cogstride
