// Going by hand: one way or the other as long as it is asked for, and to rest on a ramp when it is not.
#pragma once

#include "cogstride/motion/capabilities.hpp"

namespace cogstride {

class Mover;

class Jogging {
 public:
  /// @param past_limits  soft limits do not hold; for one who looks on with a hand on a key
  /// @throws RangeError when the mover cannot be jogged
  Jogging(Mover& mover, OutputSpeed speed, bool past_limits);

  /// Whether `want` would do something.
  /// @param way  +1, -1, or 0: that it is asked to go now
  [[nodiscard]] bool would_change(int way) const;
  /// It goes that way, or stops; the other way once it stands. @throws RangeError when the mover refuses
  void want(Lines& lines, int way);
  [[nodiscard]] bool stands() const;

 private:
  Mover& mover_;
  Zeroed& zeroed_;
  OutputSpeed speed_;
  bool past_limits_;
  int going_ = 0;  // the way that it was asked to go last
};

}  // namespace cogstride
