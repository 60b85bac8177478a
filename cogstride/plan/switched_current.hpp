// What flows through a motor that is switched: of a period of its duty, or of a turn of its field.
#pragma once

namespace cogstride {

/// With a steady duty at a steady speed.
struct SwitchedCurrent {
  double mean = 0.0;         ///< A; of three phases what goes in and comes out again
  double torque = 0.0;       ///< N m, mean
  double square = 0.0;       ///< A2, mean: ripple warms as well; of three phases half the sum of theirs
  double highest = 0.0;      ///< A
  double from_supply = 0.0;  ///< A, mean
  double driven = 0.0;       ///< A, mean over all time of what flows while it is driven, whichever way
  double freewheels = 0.0;   ///< A, the same in the rest of periods

  /// The means of what was summed over a time, s.
  [[nodiscard]] SwitchedCurrent over(double seconds) const {
    const double each = 1.0 / seconds;
    return {each * mean,        each * torque, each * square,    highest,
            each * from_supply, each * driven, each * freewheels};
  }
};

}  // namespace cogstride
