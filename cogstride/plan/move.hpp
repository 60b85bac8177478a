// A move of one mechanism, from its order in millimetres or degrees to a ramp in steps.
//
//   MovePlan plan = plan_move(traverse, controller, {0_mm}, {.to = 85_mm, .speed = 40_mm_per_s});
//   plan.ramp.duration();   // seconds
//
// Nothing is silently less than asked: a speed, an acceleration or a position that cannot be had is refused
// with the figure that can.
#pragma once

#include <optional>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

/// Where to go, and within which limits: those of the mechanism where nothing is said.
struct MoveOrder {
  std::optional<OutputPosition> to{};  ///< a position, or
  std::optional<OutputPosition> by{};  ///< a way, signed
  std::optional<OutputSpeed> speed{};
  std::optional<OutputAcceleration> acceleration{};
  std::optional<ExactTime> takes{};  ///< from rest to rest: gentler than the limits, so that it takes so long
};

/// To turn or travel at a speed until told otherwise.
struct SpeedOrder {
  OutputSpeed at{};  ///< signed
  std::optional<OutputAcceleration> acceleration{};
};

struct MovePlan {
  OutputPosition from;
  OutputPosition to;  ///< exact, as ordered
  std::int64_t from_step = 0;
  std::int64_t to_step = 0;
  RampLimits limits;
  Ramp ramp;
};

/// The mechanism's own limits in steps, whatever the controller can make.
[[nodiscard]] RampLimits own_limits(const Mechanism& mechanism);

/// Limits of a ramp in steps. @throws RangeError when an order exceeds the mechanism's limits or its step
/// rate the controller's.
[[nodiscard]] RampLimits ramp_limits(const Mechanism& mechanism, const Controller& controller,
                                     std::optional<OutputSpeed> speed = {},
                                     std::optional<OutputAcceleration> acceleration = {});

/// Where a move from `from` ends: exact. @throws RangeError when the order names neither or both of `to` and
/// `by`, or ends outside the soft limits.
[[nodiscard]] OutputPosition target_of(const Mechanism& mechanism, OutputPosition from,
                                       const MoveOrder& order);

/// Limits gentler than `limits`, under which the way from rest to rest takes `seconds`.
/// @throws RangeError when it takes longer than that at full limits; the message has the least time
[[nodiscard]] RampLimits limits_to_take(const Mechanism& mechanism, double seconds, std::int64_t way_steps,
                                        const RampLimits& limits);

/// From rest at `from` to rest. @throws RangeError as above.
[[nodiscard]] MovePlan plan_move(const Mechanism& mechanism, const Controller& controller,
                                 OutputPosition from, const MoveOrder& order);

}  // namespace cogstride
