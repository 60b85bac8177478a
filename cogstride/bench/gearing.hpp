// What a gear order comes to on a bench: where its leaders' places come from, and what of them is a step of
// the follower.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/orders.hpp"

namespace cogstride {

struct GearSetting {
  const Controller& controller;
  std::span<const CounterSetup> counters{};  ///< that the controller has for the encoders of the rig
  /// Whether a check of the bench reads the encoder of a leader all the time.
  std::function<bool(const Mover& leader)> is_checked{};
  double edges_come_late = 0.0;  ///< s at the most, until an edge of an encoder is known
  std::function<double(const Encoder&)> edges_known_within{};  ///< s: how well its time is; 0: to a tick
};

/// @param leaders  the movers that the order names, in its order
/// @throws RangeError when the follower cannot follow, a leader has neither encoder nor steps, or the ratios
/// have no common step
[[nodiscard]] std::unique_ptr<Follow> make_follow(Mover& follower, const GearOrder& order,
                                                  std::span<Mover* const> leaders,
                                                  const GearSetting& setting);

/// Another ratio to the same leaders for one that goes along, from now on.
/// @param leaders  as above @throws RangeError when it follows nothing, or others, or cannot follow so
void change_gear(Mover& follower, const Following& to, std::span<Mover* const> leaders, Tick now);

}  // namespace cogstride
