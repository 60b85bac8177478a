#include "cogstride/plan/move.hpp"

#include <fmt/format.h>

#include <algorithm>

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

}  // namespace

RampLimits own_limits(const Mechanism& mechanism) {
  const Limits& limits = mechanism.limits;
  return {.speed = steps_per_time(mechanism, limits.speed),
          .acceleration = steps_per_time(mechanism, limits.acceleration),
          .start_speed = steps_per_time(mechanism, limits.start_speed),
          .jerk = limits.jerk ? steps_per_time(mechanism, *limits.jerk) : 0.0};
}

RampLimits ramp_limits(const Mechanism& mechanism, const Controller& controller,
                       std::optional<OutputSpeed> speed, std::optional<OutputAcceleration> acceleration) {
  const OutputSpeed allowed = checked_limit(mechanism, "speed", mechanism.limits.speed, speed);
  const OutputAcceleration rise =
      checked_limit(mechanism, "acceleration", mechanism.limits.acceleration, acceleration);
  const Ratio rate = allowed.base * steps_per_base(mechanism);
  const Ratio most = controller.top_step_rate.base();
  if (rate > most) {
    const OutputSpeed possible{allowed.kind, most / steps_per_base(mechanism)};
    throw RangeError(
        fmt::format("{}: {} takes {:.6g} steps/s, and this controller makes {:.6g}: {} can be had",
                    mechanism.name, to_text(allowed), rate.to_double(), most.to_double(), to_text(possible)));
  }
  RampLimits limits = own_limits(mechanism);
  limits.speed = rate.to_double();
  limits.acceleration = steps_per_time(mechanism, rise);
  return limits;
}

OutputPosition target_of(const Mechanism& mechanism, OutputPosition from, const MoveOrder& order) {
  if (order.to.has_value() == order.by.has_value()) {
    throw RangeError(fmt::format("{}: a move goes either to a position or by a way", mechanism.name));
  }
  const OutputPosition given = order.to ? *order.to : *order.by;
  require_kind(mechanism, given.kind);
  const OutputPosition target = order.to ? given : OutputPosition{from.kind, from.base + given.base};
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
  require_movable_stepper(mechanism);
  MovePlan plan;
  plan.from = from;
  plan.to = target_of(mechanism, from, order);
  plan.from_step = step_at(mechanism, from);
  plan.to_step = step_at(mechanism, plan.to);
  plan.limits = ramp_limits(mechanism, controller, order.speed, order.acceleration);
  if (order.takes) {
    plan.limits = limits_to_take(mechanism, order.takes->base().to_double(), plan.to_step - plan.from_step,
                                 plan.limits);
  }
  plan.ramp = plan_ramp({{plan.from_step, 0.0}, 0.0}, plan.to_step, plan.limits);
  return plan;
}

}  // namespace cogstride
