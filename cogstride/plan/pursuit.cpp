#include "cogstride/plan/pursuit.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/jerk_limited.hpp"
#include "cogstride/plan/jerk_phases.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

constexpr double least_share = 1e-6;  // of the speed limit, that is worth while to catch up with

/// Evenly from one speed to another (signed), which passes through rest where their signs differ.
void append_even(Ramp& ramp, double from, double to, double seconds) {
  if (!(seconds > 0.0)) return;
  if (from * to < 0.0) {
    const double until_rest = seconds * from / (from - to);
    append_even(ramp, from, 0.0, until_rest);
    append_even(ramp, 0.0, to, seconds - until_rest);
    return;
  }
  RampPhase phase;
  phase.direction = from + to < 0.0 ? -1 : 1;
  phase.to = ramp.end().moved(0.5 * (from + to) * seconds);
  phase.duration = seconds;
  phase.from_speed = std::abs(from);
  phase.to_speed = std::abs(to);
  phase.acceleration = std::abs(to - from) / seconds;
  ramp.append(phase);
}

/// What is a ramp to rest for one who goes along at `speed`, for one who stands.
Ramp seen_from_rest(const Ramp& beside, const MotionState& start, double speed) {
  Ramp ramp(start.position);
  for (const RampPhase& phase : beside.phases())
    append_even(ramp, speed + phase.direction * phase.from_speed, speed + phase.direction * phase.to_speed,
                phase.duration);
  ramp.append_cruise(speed);
  return ramp;
}

/// The same of phases of constant jerk: those that were cut where they stood beside it are one again.
Ramp seen_from_rest_with_jerk(const Ramp& beside, const MotionState& start, double speed) {
  jerk_limited::Pieces pieces;
  double lasts = 0.0;
  double jerk = 0.0;
  for (const RampPhase& phase : beside.phases()) {
    const double its = phase.direction * phase.jerk;
    if (its != jerk) {
      pieces.add(lasts, jerk, 0.0);
      lasts = 0.0;
    }
    jerk = its;
    lasts += phase.duration;
  }
  pieces.add(lasts, jerk, 0.0);
  Ramp ramp(start.position);
  jerk_limited::append_forwards(ramp, {0.0, start.speed, start.acceleration}, pieces);
  ramp.append_cruise(speed);
  return ramp;
}

}  // namespace

Ramp plan_pursuit(const MotionState& start, const Course& course, const RampLimits& limits) {
  require_finite(course.speed, "the speed of what is followed");
  if (course.speed == 0.0)
    return plan_ramp(start, course.place.whole + (course.place.part >= 0.5 ? 1 : 0), limits);
  RampLimits within = limits;
  within.start_speed = 0.0;
  const double speed = std::clamp(course.speed, -limits.speed, limits.speed);
  MotionState beside = start;
  beside.speed -= speed;
  const double ahead = way_between(course.place, start.position);
  beside.position = StepPosition{}.moved(ahead);
  const double stops_after = limits.jerk > 0.0
                                 ? jerk_limited::stopping_way(beside, within)
                                 : 0.5 * beside.speed * std::abs(beside.speed) / limits.acceleration;
  const double towards = ahead + stops_after > 0.0 ? -1.0 : 1.0;
  within.speed = limits.speed - towards * speed;
  if (within.speed < least_share * limits.speed) return plan_speed(start, speed, limits);
  const Ramp ramp = plan_ramp(beside, 0, within);
  return limits.jerk > 0.0 ? seen_from_rest_with_jerk(ramp, start, speed)
                           : seen_from_rest(ramp, start, speed);
}

}  // namespace cogstride
