// What is wanted of a shaft from instant to instant, in counts: a ramp to a speed or to a place, which may be
// slowed down for one that waits for another, and moved for one that was held back.
#pragma once

#include "cogstride/chip/tick.hpp"
#include "cogstride/plan/pursuit.hpp"
#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/speed_loop.hpp"

namespace cogstride {

class WantedCourse {
 public:
  explicit WantedCourse(double ticks_per_second) : ticks_per_second_(ticks_per_second) {}

  /// As it is now. @param speed  counts/s
  void begin(chip::Tick now, std::int64_t place, double speed);
  /// From what is wanted now to a speed. @param speed  counts/s @param acceleration  counts/s2
  void go_at(chip::Tick now, double speed, double acceleration, double highest);
  /// From what is wanted now to rest in the middle of a count. @param most  counts/s on the way
  void go_to(chip::Tick now, std::int64_t place, double most, double acceleration);
  /// From what is wanted now along with a place that moves evenly: the middle of its count.
  /// @param course  counts @param most  counts/s on the way
  void go_along(chip::Tick now, const Course& course, double most, double acceleration);
  /// What is wanted now, as a state of motion, by the lower edge of its count.
  [[nodiscard]] MotionState wanted(chip::Tick now) const;
  /// It goes on with a share of its speed from now on, 0 to 1.
  void set_pace(chip::Tick now, double pace);
  /// The place wanted goes back by so many counts: what was held back is not made up for.
  void take_back(double counts) { shift_ += counts; }

  [[nodiscard]] SpeedWanted at(chip::Tick now) const;
  /// s since the ramp has come to the speed or the place, below 0 until then.
  [[nodiscard]] double arrived_for(chip::Tick now) const { return time(now) - arrives_; }
  /// Counts: where the ramp to a place ends, however it was moved.
  [[nodiscard]] double end() const { return ramp_.end().to_double() + 0.5; }

 private:
  /// s of the ramp that have passed. It may begin in a moment: until then it is as at its begin.
  [[nodiscard]] double time(chip::Tick now) const {
    if (now < paced_at_) return done_;
    return done_ + pace_ * static_cast<double>(now - paced_at_) / ticks_per_second_;
  }
  [[nodiscard]] MotionState state(chip::Tick now) const;
  void begin_ramp(chip::Tick now, double arrives);

  double ticks_per_second_;
  static constexpr double middle = 0.5;  // of a count

  Ramp ramp_{};
  double done_ = 0.0;  // s of it, at paced_at_
  chip::Tick paced_at_ = 0;
  double pace_ = 1.0;
  double arrives_ = 0.0;  // s of it
  double shift_ = 0.0;
};

}  // namespace cogstride
