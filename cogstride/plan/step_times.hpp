// The exact times of a ramp's steps, written block by block.
//
//   StepTimes times(ramp, 0);
//   std::array<double, 256> block;
//   while (std::size_t n = times.fill(block)) use(std::span(block).first(n), times.direction());
//
// A step forwards is made on reaching n, a step backwards on reaching n-1, so a ramp that turns round on a
// step's threshold makes two edges one whole step apart, never two at once. Within a phase the time of a step
// at way s from the slower end (speed v, acceleration a) is  (sqrt(v^2 + 2 a s) - v) / a  from that end. With
// jerk it is the root of a cubic, found for many steps together (docs/maths/ramps.md, eqs. 10 and 11).
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

#include "cogstride/plan/ramp.hpp"

namespace cogstride {

class StepTimes {
 public:
  /// @param made  the step that the output stands on at the ramp's start: the last one made
  StepTimes(const Ramp& ramp, std::int64_t made) : ramp_(ramp), made_(made) {}

  /// Writes the times of the next steps, in seconds since the ramp's start, rising, until `out` is full, the
  /// direction changes or the ramp ends. @return how many; 0 only at the end
  std::size_t fill(std::span<double> out);
  /// +1 or -1: of the steps that the last fill() wrote.
  [[nodiscard]] int direction() const { return direction_; }
  /// The step last made.
  [[nodiscard]] std::int64_t made() const { return made_; }

 private:
  Ramp ramp_;
  std::int64_t made_;
  std::size_t phase_ = 0;
  int direction_ = 1;
};

}  // namespace cogstride
