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

/// To and fro between two ends while the leader goes on, layer on layer.
struct LayOrder {
  OutputPosition from{};  ///< the lower end
  OutputPosition to{};
  OutputPosition from_moves{};  ///< by which an end lies farther on with each layer
  OutputPosition to_moves{};
  OutputPosition dwells{};               ///< way of the leader's output for which it stands at an end
  std::optional<std::int64_t> layers{};  ///< after which it stays where it is; nothing: on and on
};

/// To go along with one or two leaders, until told otherwise.
struct GearOrder {
  Following to{};
  bool catches_up = true;                       ///< what it misses on its way up is made up for
  std::optional<OutputPosition> when_passes{};  ///< it sets off when its first leader passes this place; it
                                                ///< belongs where it stands then
  std::optional<LayOrder> lay{};
  bool ends_with_leader = false;  ///< it is over when its leaders have turned and stand
};

/// A way of a cart, and how fast.
struct CartOrder {
  CartWay way{};
  std::optional<OutputSpeed>
      speed{};  ///< of the middle between the wheels, m/s; of a turn on the spot, turns/s
};

}  // namespace cogstride
