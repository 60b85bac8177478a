// What still turns when its drive was taken away, by its friction alone: for one who has nothing to measure
// it by.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/lines/lines.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

class RunDown {
 public:
  RunDown(const Mechanism& mechanism, const RotaryMotorModel& model, double ticks_per_second)
      : model_(model),
        coasts_(model),
        slackens_(mechanism.load.slackens),
        rad_per_base_(2.0 * pi * motor_turns_per_base(mechanism.train).to_double()),
        ticks_per_second_(ticks_per_second) {}

  /// It has so much speed now, of the output, m/s or turns/s, and is let go.
  void begin(Tick now, double speed) { begin_with(now, speed * rad_per_base_); }
  /// The same with the speed at which a duty, -1 to 1, settles.
  void begin_by_duty(Tick now, double duty) {
    RotaryMotorModel driven = model_;
    driven.steady = against(duty);
    begin_with(now, std::copysign(speed_by_duty(driven, std::abs(duty)), duty));
  }
  /// It is driven again, or something holds it.
  void end() { from_ = 0.0; }

  /// Of the output, signed; 0 when it stands.
  [[nodiscard]] double speed(Tick now) const { return way_ * left(now) / std::abs(rad_per_base_); }
  /// s until it stands; infinite where its load may turn it, on or back, whatever its friction.
  [[nodiscard]] double stands_in(Tick now) const {
    if (from_ > 0.0 && !slackens_ && model_.steady > model_.coulomb)
      return std::numeric_limits<double>::infinity();
    return left(now) > 0.0 ? spin_down_time(coasts_, left(now), SlowsBy::coasting) : 0.0;
  }

 private:
  /// Of its steady load what stands against going that way: below 0 it helps, where it does not slacken.
  [[nodiscard]] double against(double way) const {
    return way >= 0.0 ? model_.steady : slackens_ ? 0.0 : -model_.steady;
  }
  void begin_with(Tick now, double rad_per_s) {
    began_ = now;
    way_ = rad_per_s < 0.0 ? -1.0 : 1.0;
    from_ = std::abs(rad_per_s);
    // What slows it is left out, what drives it on is not: no faster than it is said to be.
    coasts_ = model_;
    coasts_.coulomb += std::min(0.0, against(way_));
  }
  /// rad/s of the motor shaft.
  [[nodiscard]] double left(Tick now) const {
    if (from_ == 0.0) return 0.0;
    return coasted(coasts_, from_, static_cast<double>(now - began_) / ticks_per_second_);
  }

  RotaryMotorModel model_;
  RotaryMotorModel coasts_;
  bool slackens_;
  double rad_per_base_;
  double ticks_per_second_;
  Tick began_ = 0;
  double way_ = 1.0;
  double from_ = 0.0;  // rad/s of the motor shaft
};

/// Adds what still turns without drive, at most how fast and how long, to what a mover came to.
/// @return the same in words; "" when it stands. Nothing measures it: the figures are those of its friction
std::string add_run_down(MoverVerdict& verdict, const RunDown& run_down, OutputKind kind, Tick now);

}  // namespace cogstride
