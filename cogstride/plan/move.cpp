#include "cogstride/plan/move.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/drive_figures.hpp"

namespace cogstride {
namespace {

template <int PerTime>
OutputAmount<PerTime> checked_limit(const Mechanism& mechanism, const char* what, OutputAmount<PerTime> limit,
                                    std::optional<OutputAmount<PerTime>> ordered) {
  if (!ordered) return limit;
  require_kind(mechanism, ordered->kind);
  if (ordered->base <= Ratio(0)) {
    throw RangeError(fmt::format("{}: {} {} must be above 0", mechanism.name, what, to_text(*ordered)));
  }
  if (ordered->base > limit.base) {
    throw RangeError(fmt::format("{}: {} {} is over its limit of {}", mechanism.name, what, to_text(*ordered),
                                 to_text(limit)));
  }
  return *ordered;
}

/// The angle `to` on the turn to which `way` leads from `from`. A travel has no other way than its own.
OutputPosition angle_reached(const Mechanism& mechanism, OutputPosition from, OutputPosition to, Way way) {
  if (mechanism.limits.travel_from) return to;
  Ratio forwards = to.base - from.base;
  forwards = forwards - Ratio(forwards.floor());
  const bool goes_forwards =
      way == Way::shortest
          ? forwards <= Ratio(1, 2)
          : (way == Way::clockwise) == (mechanism.limits.forwards == TurningSense::clockwise);
  const Ratio turned = goes_forwards || forwards == Ratio(0) ? forwards : forwards - Ratio(1);
  return {from.kind, from.base + turned};
}

}  // namespace

MoveOrder move_of(const Mechanism& mechanism, const TurnOrder& order) {
  if (output_kind(mechanism.train) != OutputKind::rotary)
    throw RangeError(fmt::format("{}: it travels along a line: it moves, and does not turn", mechanism.name));
  if (order.to.has_value() == order.to_station.has_value())
    throw RangeError(fmt::format("{}: a turn goes either to an angle or to a station", mechanism.name));
  MoveOrder move;
  move.to = order.to ? *order.to : station_at(mechanism, *order.to_station);
  move.speed = order.speed;
  move.acceleration = order.acceleration;
  move.in = order.in;
  move.way = order.way;
  return move;
}

std::optional<MoveOrder> move_of(const Mechanism& mechanism, const Controller& controller,
                                 const SpeedOrder& order) {
  const bool backwards = order.at.base < Ratio(0);
  const OutputSpeed speed{order.at.kind, backwards ? -order.at.base : order.at.base};
  const RampLimits limits = ramp_limits(mechanism, controller, speed, order.acceleration);
  if (!order.lasts && !order.by) return std::nullopt;
  if (order.lasts && order.by)
    throw RangeError(fmt::format("{}: it spins for a time or for a way, not for both", mechanism.name));
  MoveOrder move{.by = order.by, .speed = speed, .acceleration = order.acceleration};
  if (order.by) {
    require_kind(mechanism, order.by->kind);
    if (order.by->base <= Ratio(0))
      throw RangeError(
          fmt::format("{}: it spins for a way above 0; the speed says which way", mechanism.name));
  } else {
    // Beyond the way on which the speed is reached, each step more takes one step's time more.
    const double seconds = order.lasts->base().to_double();
    const double to_speed = std::abs(plan_stop({{}, limits.speed}, limits).end().to_double());
    const auto reaching = static_cast<std::int64_t>(std::ceil(2.0 * to_speed)) + 1;
    const double least = plan_ramp({}, reaching, limits).duration();
    if (seconds < least) {
      throw RangeError(fmt::format("{}: up to {} and down again take {:.4g} s; {:.4g} s is too short",
                                   mechanism.name, to_text(speed), least, seconds));
    }
    const double steps = static_cast<double>(reaching) + (seconds - least) * limits.speed;
    if (!(steps < 9e15)) throw RangeError(fmt::format("{}: {:.4g} s are too long", mechanism.name, seconds));
    const Ratio way = Ratio(std::llround(steps)) / steps_per_base(mechanism);
    move.by = OutputPosition{order.at.kind, way < Ratio(0) ? -way : way};
  }
  if (backwards) move.by->base = -move.by->base;
  return move;
}

std::int64_t step_grain(const Mechanism& mechanism, const Controller& controller) {
  std::int64_t grain = 1;
  if (mechanism.common.timer)
    for (const TimerUnit& timer : controller.timers)
      if (timer.name == *mechanism.common.timer) grain = std::max(grain, timer.prescaler);
  if (controller.interval_resolution) {
    const Ratio ticks = controller.interval_resolution->base() * controller.timer_clock.base();
    grain = std::max(grain, static_cast<std::int64_t>(std::llround(ticks.to_double())));
  }
  return grain;
}

RampLimits own_limits(const Mechanism& mechanism) {
  if (mechanism.has_bus_drive()) return drive_limits(mechanism);
  const Limits& limits = mechanism.limits;
  return {.speed = steps_per_time(mechanism, limits.speed),
          .acceleration = steps_per_time(mechanism, limits.acceleration),
          .start_speed = steps_per_time(mechanism, limits.start_speed),
          .jerk = limits.jerk ? steps_per_time(mechanism, *limits.jerk) : 0.0};
}

double hardest_acceleration(const Mechanism& mechanism) {
  return reached_acceleration(own_limits(mechanism)) * 2.0 * pi /
         static_cast<double>(steps_per_motor_turn(mechanism));
}

RampLimits ramp_limits(const Mechanism& mechanism, const Controller& controller,
                       std::optional<OutputSpeed> speed, std::optional<OutputAcceleration> acceleration) {
  const OutputSpeed allowed = checked_limit(mechanism, "speed", mechanism.limits.speed, speed);
  if (mechanism.has_bus_drive()) {  // which makes its own steps
    const OutputAcceleration most = drive_acceleration(mechanism);
    RampLimits limits = drive_limits(mechanism);
    limits.speed = steps_per_time(mechanism, allowed);
    if (acceleration)
      limits.acceleration =
          steps_per_time(mechanism, checked_limit(mechanism, "acceleration", most, acceleration));
    return limits;
  }
  const OutputAcceleration rise =
      checked_limit(mechanism, "acceleration", mechanism.limits.acceleration, acceleration);
  const std::int64_t grain = step_grain(mechanism, controller);
  const Ratio coarsest = controller.timer_clock.base() / Ratio(grain);
  const Ratio rate = allowed.base * steps_per_base(mechanism);
  const Ratio most = std::min(controller.top_step_rate.base(), coarsest);
  if (rate > most) {
    const OutputSpeed possible{allowed.kind, most / steps_per_base(mechanism)};
    throw RangeError(
        fmt::format("{}: {} takes {:.6g} steps/s, and this controller makes {:.6g}: {} can be had",
                    mechanism.name, to_text(allowed), rate.to_double(), most.to_double(), to_text(possible)));
  }
  RampLimits limits = own_limits(mechanism);
  limits.speed = rate.to_double();
  if (grain > 1) limits.speed = coarsest.to_double() / std::ceil((coarsest / rate).to_double() - 1e-9);
  limits.acceleration = steps_per_time(mechanism, rise);
  return limits;
}

OutputPosition target_of(const Mechanism& mechanism, OutputPosition from, const MoveOrder& order) {
  if (order.to.has_value() == order.by.has_value()) {
    throw RangeError(fmt::format("{}: a move goes either to a position or by a way", mechanism.name));
  }
  const OutputPosition given = order.to ? *order.to : *order.by;
  require_kind(mechanism, given.kind);
  OutputPosition target = order.to ? given : OutputPosition{from.kind, from.base + given.base};
  if (order.way) target = angle_reached(mechanism, from, target, *order.way);
  if (order.past_limits) return target;
  const Limits& limits = mechanism.limits;
  const bool low = limits.travel_from && target.base < limits.travel_from->base;
  const bool high = limits.travel_to && target.base > limits.travel_to->base;
  if (low || high) {
    throw RangeError(fmt::format("{}: {} is outside its travel of {} to {}", mechanism.name, to_text(target),
                                 limits.travel_from ? to_text(*limits.travel_from) : "any",
                                 limits.travel_to ? to_text(*limits.travel_to) : "any"));
  }
  return target;
}

RampLimits limits_to_take(const Mechanism& mechanism, double seconds, std::int64_t way_steps,
                          const RampLimits& limits) {
  const double least = plan_ramp({}, way_steps, limits).duration();
  if (least == 0.0) return limits;
  if (seconds < least * (1.0 - 1e-9)) {
    throw RangeError(fmt::format("{}: the move takes at least {:.4g} s; {:.4g} s cannot be had",
                                 mechanism.name, least, seconds));
  }
  return stretched(limits, std::max(1.0, seconds / least));
}

MovePlan plan_move(const Mechanism& mechanism, const Controller& controller, OutputPosition from,
                   const MoveOrder& order) {
  if (!mechanism.has_bus_drive()) require_movable(mechanism);
  MovePlan plan;
  plan.from = from;
  plan.to = target_of(mechanism, from, order);
  plan.from_step = step_at(mechanism, from);
  plan.to_step = step_at(mechanism, plan.to);
  plan.limits = ramp_limits(mechanism, controller, order.speed, order.acceleration);
  if (order.in) {
    plan.limits =
        limits_to_take(mechanism, order.in->base().to_double(), plan.to_step - plan.from_step, plan.limits);
  }
  plan.ramp = plan_ramp({{plan.from_step, 0.0}, 0.0}, plan.to_step, plan.limits);
  return plan;
}

}  // namespace cogstride
