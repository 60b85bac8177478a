#include "cogstride/plan/ramp.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/plan/jerk_limited.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

void require_limits(const RampLimits& limits) {
  const auto positive = [](double value) { return std::isfinite(value) && value > 0.0; };
  if (!positive(limits.speed)) throw RangeError("a ramp needs a speed limit above 0");
  if (!positive(limits.acceleration)) throw RangeError("a ramp needs an acceleration limit above 0");
  if (!(require_finite(limits.start_speed, "a start speed") >= 0.0))
    throw RangeError("a start speed cannot be below 0");
  if (limits.jerk != 0.0 && !positive(limits.jerk)) throw RangeError("a jerk limit must be above 0, or none");
}

void require_state(const MotionState& start) {
  require_finite(start.speed, "the speed at the start of a ramp");
  require_finite(start.acceleration, "the acceleration at the start of a ramp");
  require_finite(start.position.part, "the place at the start of a ramp");
}

/// Way that changing between two speeds takes, steps.
double ramp_way(double speed_a, double speed_b, double acceleration) {
  return std::abs((speed_a - speed_b) * (speed_a + speed_b)) / (2.0 * acceleration);
}

/// From `speed` (magnitude, towards the target, enough room to stop) to rest at `target`.
void append_trapezoid(Ramp& ramp, double speed, StepPosition target, int direction,
                      const RampLimits& limits) {
  const double way = direction * way_between(ramp.end(), target);
  if (way <= 0.0) return;
  const double end_speed = limits.free_speed();
  const double start_speed = std::max(speed, end_speed);
  const double a = limits.acceleration;
  // Both ramps meet at `peak`: (peak^2 - start^2) / 2a + (peak^2 - end^2) / 2a = way.
  double peak = std::sqrt(0.5 * (start_speed * start_speed + end_speed * end_speed) + a * way);
  peak = std::max(start_speed, std::min(peak, limits.speed));
  const double cruise = std::min(peak, limits.speed);
  const double way_in = ramp_way(start_speed, cruise, a);
  const double way_out = ramp_way(cruise, end_speed, a);
  // With no cruise the two ramps share one point, so that no step is lost or made twice by rounding.
  const bool cruises = way - way_in - way_out > 1e-9 * way;
  const StepPosition top_start = ramp.end().moved(direction * way_in);
  const StepPosition top_end = cruises ? target.moved(-direction * way_out) : top_start;
  if (way_in > 0.0) ramp.append(top_start, start_speed, cruise);
  if (cruises) ramp.append(top_end, cruise, cruise);
  if (direction * way_between(ramp.end(), target) > 0.0) ramp.append(target, cruise, end_speed);
}

Ramp trapezoid_to_rest(const MotionState& start, StepPosition goal, const RampLimits& limits) {
  Ramp ramp(start.position);
  const double end_speed = limits.free_speed();
  double speed = std::abs(start.speed);
  const int heading = start.speed < 0.0 ? -1 : 1;
  const double room = heading * way_between(start.position, goal);
  const double stop_way = speed > end_speed ? ramp_way(speed, end_speed, limits.acceleration) : 0.0;
  if (speed > end_speed && stop_way > room * (1.0 + 1e-12)) {
    ramp.append(start.position.moved(heading * stop_way), speed, end_speed);
    speed = 0.0;
  }
  const int direction = way_between(ramp.end(), goal) < 0.0 ? -1 : 1;
  append_trapezoid(ramp, direction == heading ? speed : 0.0, goal, direction, limits);
  return ramp;
}

/// The first whole step at `place` or beyond it, seen in the direction of motion.
StepPosition next_step(StepPosition place, int heading) {
  return {heading > 0 && place.part > 0.0 ? place.whole + 1 : place.whole, 0.0};
}

/// On to the next whole step behind the shortest way to rest: it stops a little later, not a little softer.
Ramp stop_with_jerk_limit(const MotionState& start, const RampLimits& limits) {
  if (start.speed == 0.0 && start.acceleration == 0.0) return Ramp(start.position);
  const double way = jerk_limited::stopping_way(start, limits);
  const int heading = way < 0.0 || (way == 0.0 && start.speed < 0.0) ? -1 : 1;
  // It need not get faster than it would by letting go of its acceleration.
  const double let_go =
      heading * (start.speed + start.acceleration * std::abs(start.acceleration) / (2.0 * limits.jerk));
  RampLimits within = limits;
  if (let_go > limits.start_speed) within.speed = let_go;
  return jerk_limited::to_rest(start, next_step(start.position.moved(way), heading), within);
}

}  // namespace

double Ramp::peak_speed() const {
  double peak = 0.0;
  for (const RampPhase& phase : phases()) peak = std::max({peak, phase.from_speed, phase.to_speed});
  return peak;
}

void Ramp::append(StepPosition to, double from_speed, double to_speed) {
  const double signed_way = way_between(end_, to);
  const double way = std::abs(signed_way);
  if (way == 0.0) return;  // so slow that its way is lost in rounding
  RampPhase& phase = next_phase(to, 2.0 * way / (from_speed + to_speed));
  phase.direction = signed_way < 0.0 ? -1 : 1;
  phase.from_speed = from_speed;
  phase.to_speed = to_speed;
  phase.acceleration = std::abs((to_speed - from_speed) * (to_speed + from_speed)) / (2.0 * way);
  phase.jerk = 0.0;
}

void Ramp::append_cruise(double speed) {
  if (speed == 0.0) return;
  constexpr std::int64_t beyond_all = std::int64_t(1) << 62;
  RampPhase phase;
  phase.direction = speed < 0.0 ? -1 : 1;
  phase.to.whole = phase.direction * beyond_all;
  phase.duration = std::numeric_limits<double>::infinity();
  phase.from_speed = phase.to_speed = std::abs(speed);
  append(phase);
}

MotionState Ramp::state_at(double time) const {
  if (count_ == 0) return {end_, 0.0};
  if (time < 0.0) return {phases_[0].from, 0.0};
  for (const RampPhase& phase : phases()) {
    if (time > phase.end()) continue;
    const bool from_start = phase.speeds_up();
    const double t = from_start ? time - phase.start : phase.end() - time;
    const double slow_speed = std::min(phase.from_speed, phase.to_speed);
    const double way = (slow_speed + (phase.acceleration / 2.0 + phase.jerk / 6.0 * t) * t) * t;
    const StepPosition at =
        from_start ? phase.from.moved(phase.direction * way) : phase.to.moved(-phase.direction * way);
    const double growth = phase.acceleration + phase.jerk * t;
    return {at, phase.direction * (slow_speed + (phase.acceleration + phase.jerk / 2.0 * t) * t),
            phase.direction * (from_start ? growth : -growth)};
  }
  return {end_, 0.0};
}

std::int64_t Ramp::step_at(double time, std::int64_t made) const {
  std::int64_t step = made;
  const auto come_to = [&step](const StepPosition& at, int direction) {
    const std::int64_t above = at.whole + (at.part > 0.0 ? 1 : 0);
    step = direction < 0 ? std::min(step, above) : std::max(step, at.whole);
  };
  for (const RampPhase& phase : phases()) {
    if (time <= phase.end()) {
      if (time >= phase.start) come_to(state_at(time).position, phase.direction);
      break;
    }
    come_to(phase.to, phase.direction);
  }
  return step;
}

Ramp plan_ramp(const MotionState& start, std::int64_t target, const RampLimits& limits) {
  require_limits(limits);
  require_state(start);
  const StepPosition goal{target, 0.0};
  return limits.jerk > 0.0 ? jerk_limited::to_rest(start, goal, limits)
                           : trapezoid_to_rest(start, goal, limits);
}

Ramp plan_stop(const MotionState& start, const RampLimits& limits) {
  require_limits(limits);
  require_state(start);
  if (limits.jerk > 0.0) return stop_with_jerk_limit(start, limits);
  Ramp ramp(start.position);
  const double end_speed = limits.free_speed();
  const double speed = std::abs(start.speed);
  const int heading = start.speed < 0.0 ? -1 : 1;
  const double least = speed > end_speed ? ramp_way(speed, end_speed, limits.acceleration) : 0.0;
  const StepPosition first = start.position.moved(heading * least);
  // At rest, or slow enough to stop at once, that is no way at all or a part step.
  const StepPosition target = next_step(first, heading);
  if (speed == 0.0 || way_between(start.position, target) == 0.0) return ramp;
  ramp.append(target, std::max(speed, 1e-300), std::min(speed, end_speed));
  return ramp;
}

Ramp plan_speed(const MotionState& start, double speed, const RampLimits& limits) {
  require_limits(limits);
  require_state(start);
  if (!(std::abs(speed) <= limits.speed)) throw RangeError("a speed cannot be over its limit");
  if (speed == 0.0) return plan_stop(start, limits);
  if (limits.jerk > 0.0) return jerk_limited::to_speed(start, speed, limits);
  Ramp ramp(start.position);
  const double free = limits.free_speed();
  const int direction = speed < 0.0 ? -1 : 1;
  const auto change = [&](int heading, double from, double to) {
    const double way = ramp_way(from, to, limits.acceleration);
    if (way > 0.0) ramp.append(ramp.end().moved(heading * way), from, to);
  };
  double now = direction * start.speed;  // in the direction of what is wanted
  if (now < 0.0) {
    if (-now > free) change(-direction, -now, free);
    now = 0.0;
  }
  const double wanted = std::abs(speed);
  // Whatever is below the start speed is reached and left at once.
  const double from = now <= free ? std::min(free, wanted) : now;
  const double to = now > free ? std::max(wanted, free) : wanted;
  change(direction, from, to);
  ramp.append_cruise(speed);
  return ramp;
}

}  // namespace cogstride
