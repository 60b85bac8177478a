// What a pulse width means to a hobby servo or a speed controller, through the end points that were measured
// on it.
//
//   PulseScale scale(snips);
//   scale.pulse_at(0.25);      // s, a quarter of the way from one end point to the other
//   scale.share_at(1.5e-3);    // and back
//
// A servo's share is that of its swing, 0 to 1; a speed controller's that of full throttle, 0 to 1, or -1 to
// 1 where a centre is given. Between two measured points the scale is straight. `reversed` in the rig turns
// it round.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class PulseScale {
 public:
  /// @throws RangeError when the mechanism takes no pulse width
  explicit PulseScale(const Mechanism& mechanism);

  /// s. @param share  beyond the end points it goes on as steeply
  [[nodiscard]] double pulse_at(double share) const;
  [[nodiscard]] double share_at(double pulse_seconds) const;
  /// Of a servo 0, of a throttle 0 or -1.
  [[nodiscard]] double least() const { return points_[0].share; }
  [[nodiscard]] bool goes_both_ways() const { return least() < 0.0; }
  /// s that change a share by one, around a share.
  [[nodiscard]] double seconds_per_share(double share) const;
  /// The pulse that turns nothing, s: of a speed controller; a servo has none.
  [[nodiscard]] double safe_pulse() const { return pulse_at(0.0); }

 private:
  struct Point {
    double share = 0.0;
    double pulse = 0.0;  // s
  };
  Point points_[3]{};  // least, middle, most
};

/// From one end point of a servo to the other, at its output. Exact. @throws RangeError for another kind
[[nodiscard]] OutputPosition range_of(const Mechanism& mechanism);

}  // namespace cogstride
