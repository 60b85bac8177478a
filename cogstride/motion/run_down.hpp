// What still turns when its drive was taken away, by its friction alone: for one who has nothing to measure
// it by.
#pragma once

#include <cmath>

#include "cogstride/lines/lines.hpp"
#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {

class RunDown {
 public:
  RunDown(const RotaryMotorModel& model, const Train& train, double ticks_per_second)
      : model_(model),
        rad_per_base_(2.0 * pi * motor_turns_per_base(train).to_double()),
        ticks_per_second_(ticks_per_second) {}

  /// It has so much speed now, of the output, m/s or turns/s, and is let go.
  void begin(Tick now, double speed) {
    began_ = now;
    way_ = speed < 0.0 ? -1.0 : 1.0;
    from_ = std::abs(speed * rad_per_base_);
  }
  /// It is driven again, or something holds it.
  void end() { from_ = 0.0; }

  /// Of the output, signed; 0 when it stands.
  [[nodiscard]] double speed(Tick now) const {
    return way_ * coasted(model_, from_, seconds(now)) / std::abs(rad_per_base_);
  }
  /// s until it stands.
  [[nodiscard]] double stands_in(Tick now) const {
    const double left = coasted(model_, from_, seconds(now));
    return left > 0.0 ? spin_down_time(model_, left, SlowsBy::coasting) : 0.0;
  }

 private:
  [[nodiscard]] double seconds(Tick now) const {
    return static_cast<double>(now - began_) / ticks_per_second_;
  }

  RotaryMotorModel model_;
  double rad_per_base_;
  double ticks_per_second_;
  Tick began_ = 0;
  double way_ = 1.0;
  double from_ = 0.0;  // rad/s of the motor shaft
};

}  // namespace cogstride
