#include "cogstride/plan/ramp.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

void require_limits(const RampLimits& limits) {
  const auto positive = [](double value) { return std::isfinite(value) && value > 0.0; };
  if (!positive(limits.speed)) throw RangeError("a ramp needs a speed limit above 0");
  if (!positive(limits.acceleration)) throw RangeError("a ramp needs an acceleration limit above 0");
  if (!(limits.start_speed >= 0.0)) throw RangeError("a start speed cannot be below 0");
}

/// Way that changing between two speeds takes, steps.
double ramp_way(double speed_a, double speed_b, double acceleration) {
  return std::abs((speed_a - speed_b) * (speed_a + speed_b)) / (2.0 * acceleration);
}

/// Start speed of a ramp whose top speed may be below what could be reached at once.
double free_speed(const RampLimits& limits) {
  return std::min(limits.start_speed, limits.speed);
}

/// From `speed` (magnitude, towards the target, enough room to stop) to rest at `target`.
void append_trapezoid(Ramp& ramp, double speed, StepPosition target, int direction,
                      const RampLimits& limits) {
  const double way = direction * way_between(ramp.end(), target);
  if (way <= 0.0) return;
  const double end_speed = free_speed(limits);
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

}  // namespace

StepPosition StepPosition::moved(double distance) const {
  const double whole_way = std::floor(distance);
  StepPosition result{whole + static_cast<std::int64_t>(whole_way), part + (distance - whole_way)};
  if (result.part >= 1.0) {
    result.part -= 1.0;
    ++result.whole;
  }
  return result;
}

double Ramp::peak_speed() const {
  double peak = 0.0;
  for (const RampPhase& phase : phases()) peak = std::max({peak, phase.from_speed, phase.to_speed});
  return peak;
}

void Ramp::append(StepPosition to, double from_speed, double to_speed) {
  RampPhase phase;
  const double way = way_between(end_, to);
  phase.direction = way < 0.0 ? -1 : 1;
  phase.from = end_;
  phase.to = to;
  phase.start = duration();
  phase.duration = 2.0 * std::abs(way) / (from_speed + to_speed);
  phase.from_speed = from_speed;
  phase.to_speed = to_speed;
  phase.acceleration = std::abs((to_speed - from_speed) * (to_speed + from_speed)) / (2.0 * std::abs(way));
  phases_.at(count_++) = phase;
  end_ = to;
}

MotionState Ramp::state_at(double time) const {
  if (count_ == 0) return {end_, 0.0};
  if (time < 0.0) return {phases_[0].from, 0.0};
  for (const RampPhase& phase : phases()) {
    if (time > phase.end()) continue;
    const double sign = phase.to_speed < phase.from_speed ? -1.0 : 1.0;
    const bool from_start = sign > 0.0;
    const double t = from_start ? time - phase.start : phase.end() - time;
    const double slow_speed = std::min(phase.from_speed, phase.to_speed);
    const double way = (slow_speed + 0.5 * phase.acceleration * t) * t;
    const StepPosition at =
        from_start ? phase.from.moved(phase.direction * way) : phase.to.moved(-phase.direction * way);
    return {at, phase.direction * (slow_speed + phase.acceleration * t)};
  }
  return {end_, 0.0};
}

Ramp plan_ramp(const MotionState& start, std::int64_t target, const RampLimits& limits) {
  require_limits(limits);
  Ramp ramp(start.position);
  const StepPosition goal{target, 0.0};
  const double end_speed = free_speed(limits);
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

Ramp plan_stop(const MotionState& start, const RampLimits& limits) {
  require_limits(limits);
  Ramp ramp(start.position);
  const double end_speed = free_speed(limits);
  const double speed = std::abs(start.speed);
  const int heading = start.speed < 0.0 ? -1 : 1;
  const double least = speed > end_speed ? ramp_way(speed, end_speed, limits.acceleration) : 0.0;
  const StepPosition first = start.position.moved(heading * least);
  // The next whole step on the way. At rest, or slow enough to stop at once, that is no way at all or a part
  // step.
  const std::int64_t goal = heading > 0 && first.part > 0.0 ? first.whole + 1 : first.whole;
  const StepPosition target{goal, 0.0};
  if (speed == 0.0 || way_between(start.position, target) == 0.0) return ramp;
  ramp.append(target, std::max(speed, 1e-300), std::min(speed, end_speed));
  return ramp;
}

}  // namespace cogstride
