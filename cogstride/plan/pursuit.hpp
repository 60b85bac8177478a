// From any state of motion to going along with something that moves: in the least time inside the limits, and
// then on with it.
//
//   const Ramp ramp = plan_pursuit({{0, 0.0}, 0.0}, {{25, 0.5}, 5600.0}, limits);
//   ramp.is_endless();           // it goes on at 5600 steps/s, each instant where the other one is
//
// Seen from what is followed it is a ramp to rest (plan/ramp.hpp): its speed is what the limit leaves beside
// the other's speed, its acceleration and jerk are the same seen from either. docs/maths/gearing.md.
#pragma once

#include <optional>

#include "cogstride/plan/ramp.hpp"

namespace cogstride {

/// A place that moves.
struct Course {
  StepPosition place{};       ///< now
  double speed = 0.0;         ///< steps/s, signed
  double acceleration = 0.0;  ///< steps/s2, signed, for `lasts`; then it goes on evenly
  double lasts = 0.0;         ///< s
  double meets_in = 0.0;      ///< s until it can be met ...
  MotionState meets{};        ///< ... as it is then; 0: nothing is known of that
  double most_speed = 0.0;    ///< steps/s at which it may be followed for now; 0: as the limits say
  double looks_each = 0.001;  ///< s after which it is looked at again

  [[nodiscard]] Course after(double seconds) const {
    const double t = seconds < lasts ? seconds : lasts;
    const double way = (speed + 0.5 * acceleration * t) * t + (speed + acceleration * t) * (seconds - t);
    return {place.moved(way), speed + acceleration * t, acceleration, lasts - t, 0.0, {}, most_speed,
            looks_each};
  }
};

/// Through a few even pieces to a state that is met after so many seconds, where that keeps the limits: what
/// is only a little off comes up smoothly. Then on evenly. Nothing: it cannot be met so.
[[nodiscard]] std::optional<Ramp> plan_meeting(const MotionState& start, const MotionState& meets,
                                               double seconds, const RampLimits& limits);

/// The ramp that comes to where `course` is and then goes along with it; one that stands (speed 0) is met at
/// the whole step nearest to it. One that is faster than the limit is followed at the limit.
/// Its acceleration is followed where it can be come up with while that lasts. A start speed is had only
/// where what is followed stands.
/// @throws RangeError when a limit is not a positive number or a figure is not finite
[[nodiscard]] Ramp plan_pursuit(const MotionState& start, const Course& course, const RampLimits& limits);

}  // namespace cogstride
