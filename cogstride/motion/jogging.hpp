// Going by hand: one way or the other as long as it is asked for, and to rest on a ramp when it is not.
//
// What has a zero goes towards the end of its travel, and so does a servo; what only turns is spun; a cart
// rolls straight on, or turns on the spot.
#pragma once

#include <optional>

#include "cogstride/motion/capabilities.hpp"

namespace cogstride {

class Mover;

/// How fast, in one of three ways; without any as fast as it may.
struct JogPace {
  std::optional<OutputSpeed> speed{};
  std::optional<Fraction> duty{};  ///< of what is driven by one: above 0
  /// Of a cart, by two axes: how fast it goes on and turns to the left; below 0 the other way.
  struct Steered {
    Speed speed{};
    AngularSpeed turn{};
  };
  std::optional<Steered> steered{};
};

class Jogging {
 public:
  /// @param past_limits  soft limits do not hold; for one who looks on with a hand on a key
  /// @throws RangeError when the mover cannot be jogged
  Jogging(Mover& mover, OutputSpeed speed, bool past_limits);
  /// @param on_the_spot  a cart turns, to the left with +1
  /// @throws RangeError when the mover cannot be jogged, or not so
  Jogging(Mover& mover, const JogPace& pace, bool on_the_spot);

  /// Whether `want` would do something.
  /// @param way  +1, -1, or 0: that it is asked to go now
  [[nodiscard]] bool would_change(int way) const;
  /// It goes that way, or stops; the other way once it stands, or through nothing where a loop or a duty
  /// takes it there. @throws RangeError when the mover refuses
  void want(Lines& lines, int way);
  /// From a motion of its own that is on, without coming to rest between. @throws RangeError as want()
  void take_over(Lines& lines, int way);
  /// Another pace from now on, on a ramp. @throws RangeError when the mover refuses; it goes on as it did
  void change_pace(Lines& lines, const JogPace& pace);
  [[nodiscard]] bool stands(Tick now) const;

 private:
  enum class How { to_its_ends, at_a_speed, by_duty, swinging, rolling, steered };
  void go(Lines& lines, int way);
  void go_on(Redirects& redirects, Lines& lines, int way);
  [[nodiscard]] bool turns_over() const {
    return how_ == How::at_a_speed || how_ == How::by_duty || how_ == How::steered;
  }

  Mover& mover_;
  How how_;
  JogPace pace_;
  bool past_limits_ = false;
  bool on_the_spot_ = false;
  int going_ = 0;  // the way that it was asked to go last
};

}  // namespace cogstride
