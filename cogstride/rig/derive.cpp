#include "cogstride/rig/derive.hpp"

#include "cogstride/plan/move.hpp"

namespace cogstride {

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
  if (limits.travel_from && limits.travel_to) {
    const std::int64_t steps =
        step_at(mechanism, *limits.travel_to) - step_at(mechanism, *limits.travel_from);
    figures.travel_steps = steps;
    if (figures.controller_can())
      figures.travel_time = plan_ramp({}, steps, ramp_limits(mechanism, controller)).duration();
  }
  return figures;
}

}  // namespace cogstride
