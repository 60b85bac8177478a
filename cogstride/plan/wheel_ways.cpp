#include "cogstride/plan/wheel_ways.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

CartPose CartPose::rolled(double left, double right, double track) const {
  const double way = 0.5 * (left + right);
  const double turn = (right - left) / track;
  // The chord of the arc: way sin(turn / 2) / (turn / 2).
  const double half = 0.5 * turn;
  const double chord = std::abs(half) < 1e-6 ? way : way * std::sin(half) / half;
  return {x + chord * std::cos(heading + half), y + chord * std::sin(heading + half), heading + turn};
}

double rolled_per_turn(Length diameter) {
  return pi * diameter.base();
}

WheelWays wheel_ways(const CartWay& way, double track) {
  if (way.by && !way.turns && !way.radius) return {way.by->base(), way.by->base()};
  if (!way.turns || way.by)
    throw RangeError(
        "a cart goes straight on by a length, turns on the spot by an angle, or does so round a radius");
  const double angle = 2.0 * pi * way.turns->base();
  if (!way.radius) return {-0.5 * track * angle, 0.5 * track * angle};
  const double radius = way.radius->base();
  if (!(radius > 0.0)) throw RangeError("the radius of an arc is above 0; to turn on the spot, leave it out");
  const double inner = (radius - 0.5 * track) * std::abs(angle);
  const double outer = (radius + 0.5 * track) * std::abs(angle);
  return angle > 0.0 ? WheelWays{inner, outer} : WheelWays{outer, inner};
}

double length_of(const CartWay& way) {
  if (way.by) return std::abs(way.by->base());
  const double angle = std::abs(2.0 * pi * way.turns->base());
  return way.radius ? angle * way.radius->base() : angle;
}

std::string way_text(const CartWay& way) {
  if (way.by) return fmt::format("{:.6g} mm", 1e3 * way.by->base());
  const double degrees = 360.0 * way.turns->base();
  return way.radius ? fmt::format("{:.6g} deg round {:.6g} mm", degrees, 1e3 * way.radius->base())
                    : fmt::format("{:.6g} deg on the spot", degrees);
}

}  // namespace cogstride
