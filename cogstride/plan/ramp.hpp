// A ramp is how one mechanism gets from one state of motion to another in the least time: a trapezoid of
// speed whose acceleration and speed stay inside the limits, with a start speed that needs no ramp.
//
//   Ramp ramp = plan_ramp({.position = {0}}, 22'667, {.speed = 16'000, .acceleration = 400'000, .start_speed
//   = 1'067}); ramp.duration();            // 1.4541 s ramp.speed_at(0.1);         // 16000 steps/s
//
// Everything here is in steps and seconds; plan/move.hpp turns millimetres and degrees into them. A ramp is
// phases of constant acceleration. Each phase is solved from its slower end, where the step times are far
// apart: solved forwards, the last step of a ramp to rest would come out tens of microseconds wrong. Method:
// docs/maths/ramps.md.
#pragma once

#include <array>
#include <cstdint>
#include <span>

namespace cogstride {

/// A place between steps: `whole + part`, kept apart so that a long way loses no digits.
struct StepPosition {
  std::int64_t whole = 0;
  double part = 0.0;  ///< 0 <= part < 1

  /// This place moved by `distance` steps.
  [[nodiscard]] StepPosition moved(double distance) const;
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
};

struct MotionState {
  StepPosition position;
  double speed = 0.0;  ///< steps/s, negative backwards
};

/// Constant acceleration one way.
struct RampPhase {
  int direction = 1;  ///< +1 forwards, -1 backwards
  StepPosition from;
  StepPosition to;
  double start = 0.0;       ///< s since the ramp's start
  double duration = 0.0;    ///< s
  double from_speed = 0.0;  ///< steps/s, magnitude
  double to_speed = 0.0;
  double acceleration = 0.0;  ///< steps/s^2, magnitude; 0 at constant speed

  [[nodiscard]] double end() const { return start + duration; }
};

class Ramp {
 public:
  explicit Ramp(StepPosition start = {}) : end_(start) {}

  [[nodiscard]] std::span<const RampPhase> phases() const { return {phases_.data(), count_}; }
  [[nodiscard]] double duration() const { return count_ == 0 ? 0.0 : phases_[count_ - 1].end(); }
  [[nodiscard]] StepPosition end() const { return end_; }
  /// The largest speed on the way, steps/s, magnitude.
  [[nodiscard]] double peak_speed() const;

  /// State at `time` seconds; before the start and after the end, that at the start or at rest at the end.
  [[nodiscard]] MotionState state_at(double time) const;
  [[nodiscard]] double position_at(double time) const { return state_at(time).position.to_double(); }
  [[nodiscard]] double speed_at(double time) const { return state_at(time).speed; }

  /// Appends a phase that goes on from the last one to `to`; its acceleration follows from the speeds.
  void append(StepPosition to, double from_speed, double to_speed);

 private:
  static constexpr std::size_t most_phases = 4;  // brake past the target, then up, along and down back to it
  std::array<RampPhase, most_phases> phases_{};
  std::size_t count_ = 0;
  StepPosition end_;
};

/// The least time from `start` to rest at step `target`. A speed above the limit is braked first; a speed too
/// high to stop in time runs past the target and comes back.
/// @throws RangeError when a limit is not a positive number.
[[nodiscard]] Ramp plan_ramp(const MotionState& start, std::int64_t target, const RampLimits& limits);

/// Brakes from `start` to rest on the first whole step that can be reached without exceeding the
/// acceleration.
/// @throws RangeError when a limit is not a positive number.
[[nodiscard]] Ramp plan_stop(const MotionState& start, const RampLimits& limits);

}  // namespace cogstride
