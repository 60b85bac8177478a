#include "cogstride/script/foreseen.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/motion/duty_course.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/plan/duty.hpp"

namespace cogstride {

Foreseen either(const Foreseen& one, const Foreseen& other) {
  Foreseen both = one.has_left ? other : one;
  both.left = one.left;
  both.left.insert(both.left.end(), other.left.begin(), other.left.end());
  if (one.has_left || other.has_left) return both;
  for (std::size_t i = 0; i < both.standing.size(); ++i) {
    Standing& a = both.standing[i];
    const Standing& b = other.standing[i];
    a.is_homed = a.is_homed && b.is_homed;
    a.is_armed = a.is_armed && b.is_armed;
    a.is_held = a.is_held || b.is_held;
    if (a.at != b.at) a.at.reset();
    if (a.spins == nullptr) a.spins = b.spins;
    if (a.follows == nullptr) a.follows = b.follows;
    if (std::abs(a.duty) < std::abs(b.duty)) a.duty = b.duty;
  }
  both.length.seconds = std::max(one.length.seconds, other.length.seconds);
  both.length.is_whole = one.length.is_whole && other.length.is_whole;
  both.length.has_an_end = one.length.has_an_end && other.length.has_an_end;
  if (both.endless == nullptr || other.endless == nullptr) both.endless = nullptr;
  return both;
}

void require_rest(const Walk& walk, std::size_t mechanism) {
  if (const Statement* const follows = walk.standing(mechanism).follows)
    throw RangeError(fmt::format("{0} follows another (line {1}): write 'let {0} go' first",
                                 walk.rig.mechanisms[mechanism].name, follows->place.line));
  const Statement* const spins = walk.standing(mechanism).spins;
  if (spins == nullptr || walk.known.is_by_hand) return;
  throw RangeError(fmt::format("{0} still spins (line {1}): write 'stop {0}' first",
                               walk.rig.mechanisms[mechanism].name, spins->place.line));
}

void require_homed(const Walk& walk, std::size_t mechanism) {
  require_rest(walk, mechanism);
  if (walk.standing(mechanism).is_homed) return;
  throw RangeError(fmt::format("nobody knows yet where {0} stands: write 'home {0}' first",
                               walk.rig.mechanisms[mechanism].name));
}

void foresee_move(const Walk& walk, std::size_t place, const MoveOrder& order) {
  require_homed(walk, place);
  const Mechanism& mechanism = walk.rig.mechanisms[place];
  Standing& standing = walk.standing(place);
  const RampLimits limits = ramp_limits(mechanism, walk.rig.controller, order.speed, order.acceleration);
  if (!standing.at) {
    // From somewhere: a place is a place, and where a way leads to is seen when it comes to it.
    if (order.to && !order.way) standing.at = target_of(mechanism, *order.to, order);
    walk.known.length.is_whole = false;
    return;
  }
  const OutputPosition target = target_of(mechanism, *standing.at, order);
  const std::int64_t way = step_at(mechanism, target) - step_at(mechanism, *standing.at);
  if (order.in) {
    (void)limits_to_take(mechanism, order.in->base().to_double(), way, limits);
    walk.known.length.seconds += order.in->base().to_double();
  } else {
    walk.known.length.seconds += plan_ramp({}, way, limits).duration();
  }
  standing.at = target;
}

double foresee_duty(const Walk& walk, std::size_t place, double duty, const std::optional<ExactTime>& in) {
  const Mechanism& mechanism = walk.rig.mechanisms[place];
  const DutyLimits limits = mechanism.is_throttled() ? throttle_limits(mechanism) : duty_limits(mechanism);
  Standing& standing = walk.standing(place);
  const DutyPlan plan =
      plan_duty(standing.duty, duty, limits, in ? std::optional(in->base().to_double()) : std::nullopt);
  standing.duty = duty;
  return plan.duration();
}

}  // namespace cogstride
