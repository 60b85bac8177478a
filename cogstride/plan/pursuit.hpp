// From any state of motion to going along with something that moves: in the least time inside the limits, and
// then on with it.
//
//   const Ramp ramp = plan_pursuit({{0, 0.0}, 0.0}, {{25, 0.5}, 5600.0}, limits);
//   ramp.is_endless();           // it goes on at 5600 steps/s, each instant where the other one is
//
// Seen from what is followed it is a ramp to rest (plan/ramp.hpp): its speed is what the limit leaves beside
// the other's speed, its acceleration and jerk are the same seen from either. docs/maths/gearing.md.
#pragma once

#include "cogstride/plan/ramp.hpp"

namespace cogstride {

/// A place that moves evenly.
struct Course {
  StepPosition place{};  ///< now
  double speed = 0.0;    ///< steps/s, signed

  [[nodiscard]] Course after(double seconds) const { return {place.moved(speed * seconds), speed}; }
};

/// The ramp that comes to where `course` is and then goes along with it; one that stands (speed 0) is met at
/// the whole step nearest to it. One that is faster than the limit is followed at the limit.
/// A start speed is had only where what is followed stands.
/// @throws RangeError when a limit is not a positive number or a figure is not finite
[[nodiscard]] Ramp plan_pursuit(const MotionState& start, const Course& course, const RampLimits& limits);

}  // namespace cogstride
