#include "cogstride/plan/pursuit.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include "cogstride/plan/jerk_limited.hpp"
#include "cogstride/plan/jerk_phases.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

constexpr double least_share = 1e-6;      // of the speed limit, that is worth while to catch up with
constexpr double longest_bend = 3.0;      // times what it lasts, that it may take to come up with it
constexpr double least_to_come_up = 0.2;  // of the acceleration, whatever the other one's is

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

/// What is a ramp to rest for one who goes along, for one who stands.
Ramp seen_from_rest(const Ramp& beside, const MotionState& start, const Course& course) {
  Ramp ramp(start.position);
  const auto speed_at = [&](double t) { return course.speed + course.acceleration * t; };
  for (const RampPhase& phase : beside.phases())
    append_even(ramp, speed_at(phase.start) + phase.direction * phase.from_speed,
                speed_at(phase.end()) + phase.direction * phase.to_speed, phase.duration);
  const double joins = beside.duration();
  if (course.lasts > joins) append_even(ramp, speed_at(joins), speed_at(course.lasts), course.lasts - joins);
  ramp.append_cruise(speed_at(std::max(course.lasts, joins)));
  return ramp;
}

/// The same of phases of constant jerk: those that were cut where they stood beside it are one again.
Ramp seen_from_rest_with_jerk(const Ramp& beside, const MotionState& start, const Course& course,
                              double most_jerk) {
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
  double speed = course.speed;
  if (course.acceleration != 0.0) {
    const double along = std::max(course.lasts, beside.duration());
    const double eases = std::abs(course.acceleration) / most_jerk;
    pieces.add(along - beside.duration(), 0.0, 0.0);
    pieces.add(eases, -std::copysign(most_jerk, course.acceleration), 0.0);
    speed += course.acceleration * (along + 0.5 * eases);
  }
  Ramp ramp(start.position);
  jerk_limited::append_forwards(ramp, {0.0, start.speed, start.acceleration}, pieces);
  ramp.append_cruise(speed);
  return ramp;
}

/// The ramp beside it, to rest where it is. Nothing: no speed is left to come up with it.
std::optional<Ramp> ramp_beside(const MotionState& start, const Course& course, const RampLimits& limits) {
  RampLimits within = limits;
  within.start_speed = 0.0;
  within.acceleration =
      std::max(limits.acceleration - std::abs(course.acceleration), least_to_come_up * limits.acceleration);
  MotionState beside = start;
  beside.speed -= course.speed;
  beside.acceleration -= course.acceleration;
  const double ahead = way_between(course.place, start.position);
  beside.position = StepPosition{}.moved(ahead);
  const double stops_after = limits.jerk > 0.0
                                 ? jerk_limited::stopping_way(beside, within)
                                 : 0.5 * beside.speed * std::abs(beside.speed) / within.acceleration;
  const double towards = ahead + stops_after > 0.0 ? -1.0 : 1.0;
  within.speed = limits.speed - towards * course.speed;
  if (within.speed < least_share * limits.speed) return std::nullopt;
  return plan_ramp(beside, 0, within);
}

bool within(double value, double limit) {
  return std::abs(value) <= limit * (1.0 + 1e-9);
}

/// Two pieces of even acceleration that end at a place with a speed.
std::optional<Ramp> meet_by_accelerations(const MotionState& start, const MotionState& meets, double half,
                                          const RampLimits& limits) {
  const double change = meets.speed - start.speed;
  const double way = way_between(start.position, meets.position) - 2.0 * start.speed * half;
  const double first = (way - 0.5 * half * change) / (half * half);
  const double second = change / half - first;
  const double middle = start.speed + first * half;
  if (!within(first, limits.acceleration) || !within(second, limits.acceleration) ||
      !within(middle, limits.speed))
    return std::nullopt;
  Ramp ramp(start.position);
  append_even(ramp, start.speed, middle, half);
  append_even(ramp, middle, meets.speed, half);
  ramp.append_cruise(meets.speed);
  return ramp;
}

/// Three pieces of even jerk that end at a place with a speed and an acceleration, which then is eased off.
std::optional<Ramp> meet_by_jerks(const MotionState& start, const MotionState& meets, double third,
                                  const RampLimits& limits) {
  const double h = third;
  const double a = (meets.acceleration - start.acceleration) / h;
  const double b = (meets.speed - start.speed - 3.0 * start.acceleration * h) / (h * h);
  const double c = (way_between(start.position, meets.position) - 3.0 * start.speed * h -
                    4.5 * start.acceleration * h * h) /
                   (h * h * h);
  const double first = c - b + a / 3.0;
  const double second = b - 0.5 * a - 2.0 * first;
  const double third_jerk = a - first - second;
  jerk_limited::Pieces pieces;
  jerk_limited::State state{0.0, start.speed, start.acceleration};
  for (const double jerk : {first, second, third_jerk}) {
    if (!within(jerk, limits.jerk)) return std::nullopt;
    state = jerk_limited::after(state, h, jerk);
    if (!within(state.acceleration, limits.acceleration) || !within(state.speed, limits.speed))
      return std::nullopt;
    pieces.add(h, jerk, 0.0);
  }
  const double eases = std::abs(meets.acceleration) / limits.jerk;
  pieces.add(eases, -std::copysign(limits.jerk, meets.acceleration), 0.0);
  Ramp ramp(start.position);
  jerk_limited::append_forwards(ramp, {0.0, start.speed, start.acceleration}, pieces);
  ramp.append_cruise(meets.speed + 0.5 * meets.acceleration * eases);
  return ramp;
}

}  // namespace

std::optional<Ramp> plan_meeting(const MotionState& start, const MotionState& meets, double seconds,
                                 const RampLimits& limits) {
  if (!within(meets.speed, limits.speed) || !within(start.speed, limits.speed)) return std::nullopt;
  return limits.jerk > 0.0 ? meet_by_jerks(start, meets, seconds / 3.0, limits)
                           : meet_by_accelerations(start, meets, 0.5 * seconds, limits);
}

Ramp plan_pursuit(const MotionState& start, const Course& course, const RampLimits& own_limits) {
  RampLimits limits = own_limits;
  if (course.most_speed > 0.0) limits.speed = std::min(limits.speed, course.most_speed);
  require_finite(course.speed, "the speed of what is followed");
  require_finite(course.acceleration, "the acceleration of what is followed");
  if (course.speed == 0.0 && course.acceleration == 0.0)
    return plan_ramp(start, course.place.whole + (course.place.part >= 0.5 ? 1 : 0), limits);
  if (course.meets_in > 0.0)
    if (const std::optional<Ramp> met = plan_meeting(start, course.meets, course.meets_in, limits))
      return *met;
  Course reached = course;
  reached.speed = std::clamp(course.speed, -limits.speed, limits.speed);
  std::optional<Ramp> beside;
  if (course.acceleration != 0.0 && reached.speed == course.speed) {
    beside = ramp_beside(start, course, limits);
    if (beside && beside->duration() > longest_bend * course.lasts) beside.reset();
  }
  if (!beside) {
    reached.acceleration = reached.lasts = 0.0;
    beside = ramp_beside(start, reached, limits);
  }
  if (!beside) return plan_speed(start, reached.speed, limits);
  return limits.jerk > 0.0 ? seen_from_rest_with_jerk(*beside, start, reached, limits.jerk)
                           : seen_from_rest(*beside, start, reached);
}

}  // namespace cogstride
