// A ramp is how one mechanism gets from one state of motion to another in the least time: speed and
// acceleration stay inside the limits, and jerk too where a jerk limit is given. A start speed, where the
// motor has one, needs no ramp.
//
//   Ramp ramp = plan_ramp({.position = {0}}, 22'667,
//                         {.speed = 16'000, .acceleration = 400'000, .start_speed = 1'067});
//   ramp.duration();            // 1.4515 s
//   ramp.speed_at(0.1);         // 16000 steps/s
//
// Everything here is in steps and seconds; plan/move.hpp turns millimetres and degrees into them. A ramp is
// phases of constant acceleration or constant jerk, in each of which the speed only grows or only falls. Each
// phase is solved from its slower end, where the step times are far apart: solved forwards, the last step of
// a ramp to rest would come out tens of microseconds wrong. Method: docs/maths/ramps.md.
#pragma once

#include <array>
#include <cassert>
#include <cmath>
#include <cstdint>
#include <span>

namespace cogstride {

/// A place between steps: `whole + part`, kept apart so that a long way loses no digits.
struct StepPosition {
  std::int64_t whole = 0;
  double part = 0.0;  ///< 0 <= part < 1

  /// This place moved by `distance` steps.
  [[nodiscard]] StepPosition moved(double distance) const {
    const auto towards_zero = static_cast<std::int64_t>(distance);
    double rest = part + (distance - static_cast<double>(towards_zero));  // > -1 and < 2
    const int carry = rest >= 1.0 ? 1 : (rest < 0.0 ? -1 : 0);
    rest -= carry;
    if (rest >= 1.0) return {whole + towards_zero + carry + 1, 0.0};  // a negative way too small to be told
    return {whole + towards_zero + carry, rest};
  }
  [[nodiscard]] double to_double() const { return static_cast<double>(whole) + part; }
};

/// Signed way from `from` to `to`, in steps.
[[nodiscard]] inline double way_between(StepPosition from, StepPosition to) {
  return static_cast<double>(to.whole - from.whole) + (to.part - from.part);
}

struct RampLimits {
  double speed = 0.0;         ///< steps/s, > 0
  double acceleration = 0.0;  ///< steps/s^2, > 0
  double start_speed = 0.0;   ///< steps/s that may be reached or left at once, >= 0
  double jerk = 0.0;          ///< steps/s^3; 0: the acceleration may change at once

  /// What may be reached or left at once on a ramp whose top speed may be below the start speed.
  [[nodiscard]] double free_speed() const { return start_speed < speed ? start_speed : speed; }
};

/// The acceleration that a ramp from rest to its top speed comes to: the limit on jerk may end it sooner, at
/// sqrt(jerk x change of speed). steps/s^2
[[nodiscard]] inline double reached_acceleration(const RampLimits& limits) {
  if (limits.jerk <= 0.0) return limits.acceleration;
  const double reached = std::sqrt(limits.jerk * (limits.speed - limits.free_speed()));
  return reached < limits.acceleration ? reached : limits.acceleration;
}

/// Way from `speed` to rest, in steps: v^2/2a and, with a limit on jerk, v a/2j more (or v sqrt(v/j) where
/// the full deceleration is never reached); the start speed is left at once.
[[nodiscard]] inline double way_to_rest(const RampLimits& limits, double speed) {
  const double least = limits.start_speed < speed ? limits.start_speed : speed;
  const double change = speed - least;
  double seconds = change / limits.acceleration;
  if (limits.jerk > 0.0) {
    const double rise = limits.acceleration / limits.jerk;
    seconds = change > limits.acceleration * rise ? seconds + rise : 2.0 * std::sqrt(change / limits.jerk);
  }
  return 0.5 * (speed + least) * seconds;  // an S is symmetrical about its middle
}

/// Limits under which the same ramp, from rest to rest, takes `times` as long: 1 / times of the speed, and so
/// on.
[[nodiscard]] inline RampLimits stretched(const RampLimits& limits, double times) {
  const double k = 1.0 / times;
  return {limits.speed * k, limits.acceleration * k * k, limits.start_speed * k, limits.jerk * k * k * k};
}

struct MotionState {
  StepPosition position;
  double speed = 0.0;         ///< steps/s, negative backwards
  double acceleration = 0.0;  ///< steps/s^2, signed; matters to ramps with a jerk limit
};

/// Constant jerk, or none, one way.
struct RampPhase {
  int direction = 0;  ///< +1 forwards, -1 backwards
  StepPosition from;
  StepPosition to;
  double start = 0.0;       ///< s since the ramp's start
  double duration = 0.0;    ///< s
  double from_speed = 0.0;  ///< steps/s, magnitude
  double to_speed = 0.0;
  double acceleration = 0.0;  ///< steps/s^2 at the slower end, magnitude
  double jerk = 0.0;          ///< steps/s^3 of the magnitude of the speed

  [[nodiscard]] double end() const { return start + duration; }
  [[nodiscard]] bool speeds_up() const { return to_speed >= from_speed; }
  [[nodiscard]] bool is_cruise() const { return acceleration == 0.0 && jerk == 0.0; }
  /// steps/s^2 at the faster end, magnitude.
  [[nodiscard]] double fast_acceleration() const { return acceleration + jerk * duration; }
};

class Ramp {
 public:
  explicit Ramp(StepPosition start = {}) : end_(start) {}

  [[nodiscard]] std::span<const RampPhase> phases() const { return {phases_.data(), count_}; }
  [[nodiscard]] double duration() const { return duration_; }
  [[nodiscard]] StepPosition end() const { return end_; }
  /// The largest speed on the way, steps/s, magnitude.
  [[nodiscard]] double peak_speed() const;

  /// State at `time` seconds; before the start and after the end, that at the start or at rest at the end.
  [[nodiscard]] MotionState state_at(double time) const;
  /// The step that one stands on then who stood on `made` at its begin: a step forwards is made on reaching
  /// it, a step backwards on reaching the one below.
  [[nodiscard]] std::int64_t step_at(double time, std::int64_t made) const;
  [[nodiscard]] double position_at(double time) const { return state_at(time).position.to_double(); }
  [[nodiscard]] double speed_at(double time) const { return state_at(time).speed; }

  /// Appends a phase that goes on from the last one to `to`; its acceleration follows from the speeds.
  void append(StepPosition to, double from_speed, double to_speed);
  /// Appends a phase of which all but its start and its origin is given.
  void append(const RampPhase& phase);
  /// Appends a cruise without end at `speed` (signed, steps/s); nothing when it is 0.
  void append_cruise(double speed);
  [[nodiscard]] bool is_endless() const { return duration() > 1e300; }

 private:
  // Brake, up, along and down with a jerk limit, cut where speed or acceleration pass through 0.
  static constexpr std::size_t most_phases = 16;
  RampPhase& next_phase(StepPosition to, double duration);

  union {  // so that planning does not clear phases which it never uses
    std::array<RampPhase, most_phases> phases_;
  };
  std::size_t count_ = 0;
  double duration_ = 0.0;
  StepPosition end_;
};

inline RampPhase& Ramp::next_phase(StepPosition to, double duration) {
  assert(count_ < most_phases);
  RampPhase& phase = phases_[count_];
  phase.from = end_;
  phase.to = to;
  phase.start = duration_;
  phase.duration = duration;
  duration_ = phase.end();
  end_ = to;
  ++count_;
  return phase;
}

inline void Ramp::append(const RampPhase& given) {
  RampPhase& phase = next_phase(given.to, given.duration);
  phase.direction = given.direction;
  phase.from_speed = given.from_speed;
  phase.to_speed = given.to_speed;
  phase.acceleration = given.acceleration;
  phase.jerk = given.jerk;
}

/// The least time from `start` to rest at step `target`. A state outside the limits is brought back inside at
/// full braking first; a speed too high to stop in time runs past the target and comes back. (With a start
/// speed and a jerk limit together it comes back from rest.)
/// @throws RangeError when a limit is not a positive number.
[[nodiscard]] Ramp plan_ramp(const MotionState& start, std::int64_t target, const RampLimits& limits);

/// Brakes from `start` to rest on the first whole step that can be reached without exceeding the
/// acceleration.
/// @throws RangeError when a limit is not a positive number.
[[nodiscard]] Ramp plan_stop(const MotionState& start, const RampLimits& limits);

/// The least time from `start` to `speed` (steps/s, signed), which is then held without end: the ramp
/// is_endless(), unless the speed is 0 and it stops as plan_stop() does.
/// @throws RangeError when a limit is not a positive number or the speed is over its limit.
[[nodiscard]] Ramp plan_speed(const MotionState& start, double speed, const RampLimits& limits);

}  // namespace cogstride
