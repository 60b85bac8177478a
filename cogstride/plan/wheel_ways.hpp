// Two wheels on one axis: what each has to roll for a way of the cart, and where the cart is by what they
// have rolled.
//
// On an arc of radius r to the left by an angle a the middle between the wheels goes r a, the left wheel
// (r - t/2) a and the right one (r + t/2) a, with t between them; so back from what the wheels rolled,
//   way = (left + right) / 2,   turn = (right - left) / t,
// and the middle has gone along the chord 2 r sin(turn / 2) in the direction half-way through the turn
// (G. Campion, W. Chung, "Wheeled Robots", Springer Handbook of Robotics, 2008, ch. 17).
#pragma once

#include <optional>
#include <string>

#include "cogstride/mechanism/wheeled_pair.hpp"

namespace cogstride {

/// Where a cart is, and which way it looks: counted from where it stood first, looking along x.
struct CartPose {
  double x = 0.0;        ///< m, the way it looked first
  double y = 0.0;        ///< m, to the left of that
  double heading = 0.0;  ///< rad, to the left; it counts whole turns

  /// After both wheels have rolled a little further. @param left @param right  m, below 0 backwards
  [[nodiscard]] CartPose rolled(double left, double right, double track) const;
};

/// What a wheel rolls in one turn of its shaft, m.
[[nodiscard]] double rolled_per_turn(Length diameter);

/// A way of the cart: straight on, on an arc, or a turn on the spot.
struct CartWay {
  std::optional<Length> by{};      ///< straight, below 0 backwards; or
  std::optional<Angle> turns{};    ///< to the left, below 0 to the right: on the spot, or
  std::optional<Length> radius{};  ///< with `turns`: on an arc of the middle between the wheels, above 0
};

/// m that the two wheels roll.
struct WheelWays {
  double left = 0.0;
  double right = 0.0;
};

/// @throws RangeError when the way is none of the three, or its radius is not above 0
[[nodiscard]] WheelWays wheel_ways(const CartWay& way, double track);

/// What the middle between the wheels goes (m), or a turn on the spot turns (rad): what a speed is said of.
[[nodiscard]] double length_of(const CartWay& way);

/// "500 mm", "90 deg round 300 mm", "90 deg on the spot".
[[nodiscard]] std::string way_text(const CartWay& way);

}  // namespace cogstride
