// What can be ordered of a mover, beside the moves, turns and speeds of plan/.
#pragma once

#include <optional>

#include "cogstride/plan/move.hpp"
#include "cogstride/plan/wheel_ways.hpp"

namespace cogstride {

/// To turn at a duty, or with a throttle.
struct DutyOrder {
  Required<Fraction> duty;        ///< -100 % to 100 %; below 0: backwards
  std::optional<ExactTime> in{};  ///< that the change takes; nothing: the least
  std::optional<ExactTime>
      lasts{};  ///< held for so long, then back to none in the same way; nothing: until told
};

/// A way of a cart, and how fast.
struct CartOrder {
  CartWay way{};
  std::optional<OutputSpeed>
      speed{};  ///< of the middle between the wheels, m/s; of a turn on the spot, turns/s
};

}  // namespace cogstride
