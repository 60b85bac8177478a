#include "cogstride/rig/derive.hpp"

#include <algorithm>

#include "cogstride/plan/move.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {
namespace {

/// Torque, heat and current, in closed form.
void estimate(MechanismFigures& figures, const Mechanism& mechanism) {
  const double speed = mechanism.limits.speed.base.to_double();
  const double shaft = shaft_speed(mechanism, speed);
  const double units = display_units_per_base(figures.kind);
  const double current = mechanism.board.current.base();
  figures.torque_at_rest = available_torque(mechanism, 0.0);
  figures.torque_left = available_torque(mechanism, shaft) - mechanism.motor.detent_torque.base() -
                        friction_torque(mechanism, shaft);
  figures.usable_acceleration = usable_acceleration(mechanism, speed) * units;
  figures.pull_in_speed = pull_in_speed(mechanism) * units;
  figures.natural_frequency = natural_frequency(mechanism);
  figures.winding_loss = current * current * mechanism.motor.resistance.base();
  figures.supply_current =
      (figures.winding_loss + available_torque(mechanism, shaft) * shaft) / mechanism.supply.voltage.base();
  if (mechanism.motor.thermal_resistance) {
    figures.winding_rise = figures.winding_loss * mechanism.motor.thermal_resistance->base();
  }
}

}  // namespace

MechanismFigures figures_of(const Mechanism& mechanism, const Controller& controller) {
  MechanismFigures figures;
  const Limits& limits = mechanism.limits;
  figures.name = mechanism.name;
  figures.kind = output_kind(mechanism.train);
  const int units = display_units_per_base(figures.kind);
  const Ratio per_base = steps_per_base(mechanism);
  figures.steps_per_unit = per_base / Ratio(units);
  figures.resolution = (Ratio(1) / figures.steps_per_unit).to_double();
  figures.top_speed = limits.speed.base.to_double() * units;
  figures.top_step_rate = (limits.speed.base * per_base).to_double();
  figures.controller_step_rate = controller.top_step_rate.base().to_double();
  const double rise = limits.speed.base.to_double() - limits.start_speed.base.to_double();
  const double mean = (limits.speed.base.to_double() + limits.start_speed.base.to_double()) / 2.0;
  figures.ramp_time = rise / limits.acceleration.base.to_double();
  figures.ramp_way = mean * figures.ramp_time * units;
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

std::vector<WiredLine> wiring_list(const Rig& rig) {
  std::vector<WiredLine> lines;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const StepDirBoard& board = mechanism.board;
    std::optional<Current> current;
    if (board.input_resistance)
      current = (rig.controller.logic_level - board.input_drop) / *board.input_resistance;
    const auto output = [&](const char* use, const DrivenLine& line) {
      lines.push_back({line.number, mechanism.name, use, true,
                       line.active == ActiveLevel::low ? "high" : "low", current});
    };
    output("step", mechanism.wiring.step);
    output("dir", mechanism.wiring.dir);
    if (mechanism.wiring.enable) output("enable", *mechanism.wiring.enable);
    if (mechanism.gate)
      lines.push_back({mechanism.gate->line, mechanism.name, "gate", false, "", std::nullopt});
  }
  std::stable_sort(lines.begin(), lines.end(),
                   [](const WiredLine& a, const WiredLine& b) { return a.number < b.number; });
  return lines;
}

}  // namespace cogstride
