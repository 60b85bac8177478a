#include "cogstride/rig/figures/plan_figures.hpp"

#include <cmath>

#include "cogstride/plan/rotor_lag.hpp"

namespace cogstride {

PlanFigures figures_of(const Rig& rig, const Mechanism& mechanism, const MovePlan& plan) {
  PlanFigures figures;
  const OutputKind kind = output_kind(mechanism.train);
  const double units_per_step = display_units_per_base(kind) / steps_per_base(mechanism).to_double();
  figures.mechanism = mechanism.name;
  figures.guesses = mechanism.guesses;
  figures.unit = display_unit(kind, 0);
  figures.from = to_text(plan.from);
  figures.to = to_text(plan.to);
  figures.steps = plan.to_step - plan.from_step;
  figures.duration = plan.ramp.duration();
  figures.peak_step_rate = plan.ramp.peak_speed();
  figures.peak_speed = figures.peak_step_rate * units_per_step;
  figures.limit_speed = plan.limits.speed * units_per_step;
  figures.acceleration = plan.limits.acceleration * units_per_step;
  figures.start_speed = plan.limits.start_speed * units_per_step;
  figures.jerk = plan.limits.jerk * units_per_step;
  bool gets_faster = true;
  for (const RampPhase& phase : plan.ramp.phases()) {
    if (phase.is_cruise()) figures.cruise_time += phase.duration;
    gets_faster = gets_faster && phase.to_speed > phase.from_speed;
    if (!gets_faster) continue;
    figures.ramp_time += phase.duration;
    figures.ramp_way += std::abs(way_between(phase.from, phase.to)) * units_per_step;
  }
  const PlayedPlan played =
      play_plan(plan, rig.controller.timer_clock, step_grain(mechanism, rig.controller));
  figures.grain_seconds = static_cast<double>(step_grain(mechanism, rig.controller)) /
                          rig.controller.timer_clock.base().to_double();
  figures.first_pulse = played.first_pulse;
  figures.shortest_interval = played.shortest_interval;
  figures.pulse_runs = played.runs;
  figures.worst_error_ticks = played.worst_error_ticks;
  figures.tick_seconds = 1.0 / rig.controller.timer_clock.base().to_double();
  figures.loses_steps = mechanism.is_movable_stepper();
  if (figures.steps != 0 && !figures.loses_steps) {
    const ServoMargin margin = servo_margin(mechanism, plan.ramp);
    figures.margin = margin.share;
    figures.worst_at = margin.worst_at;
  } else if (figures.steps != 0) {
    const RotorLag lag = follow(mechanism, plan.ramp);
    figures.margin = torque_margin(mechanism, plan.ramp);
    figures.worst_lag = lag.worst;
    figures.behind_field = lag.behind_field;
    figures.worst_at = lag.worst_at;
  }
  return figures;
}

}  // namespace cogstride
