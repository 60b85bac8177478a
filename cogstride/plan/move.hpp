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
#include "cogstride/quantity/required.hpp"

namespace cogstride {

/// Which way round to an angle of an endless output.
enum class Way : std::uint8_t { shortest, clockwise, counter_clockwise };

/// Where to go, and within which limits: those of the mechanism where nothing is said.
struct MoveOrder {
  std::optional<OutputPosition> to{};  ///< a position, or
  std::optional<OutputPosition> by{};  ///< a way, signed
  std::optional<OutputSpeed> speed{};
  std::optional<OutputAcceleration> acceleration{};
  std::optional<ExactTime> in{};  ///< from rest to rest: gentler than the limits, so that it takes so long
  std::optional<Way> way{};       ///< `to` is an angle of a turn, reached this way; nothing: turns count
  bool past_limits = false;       ///< soft limits do not hold; for one who looks on with a hand on a key
};

/// To turn to an angle or a station, whichever turn it is on. Exactly half a turn is turned forwards.
struct TurnOrder {
  std::optional<OutputPosition> to{};  ///< an angle, or
  std::optional<std::int64_t> to_station{};
  Way way = Way::shortest;
  std::optional<OutputSpeed> speed{};
  std::optional<OutputAcceleration> acceleration{};
  std::optional<ExactTime> in{};
};

/// To turn or travel at a speed: for a time, for a way, or until told otherwise.
struct SpeedOrder {
  Required<OutputSpeed> at;  ///< signed
  std::optional<OutputAcceleration> acceleration{};
  std::optional<ExactTime> lasts{};    ///< from rest to rest
  std::optional<OutputPosition> by{};  ///< not signed: the speed says which way
  /// Of a brushless motor that is stepped by time: it begins at once with that speed (not signed), and comes
  /// evenly to `at` in that time.
  std::optional<OutputSpeed> from{};
  std::optional<ExactTime> in{};
};

struct MovePlan {
  OutputPosition from;
  OutputPosition to;  ///< exact, as ordered
  std::int64_t from_step = 0;
  std::int64_t to_step = 0;
  RampLimits limits;
  Ramp ramp;
};

/// Ticks of the controller's clock that its intervals between steps are whole multiples of: what its program
/// times them to, or a count of the timer that makes them; 1 where nothing is coarser than the clock.
[[nodiscard]] std::int64_t step_grain(const Mechanism& mechanism, const Controller& controller);

/// The mechanism's own limits in steps, whatever the controller can make.
[[nodiscard]] RampLimits own_limits(const Mechanism& mechanism);

/// rad/s2 of the motor shaft: what a ramp from rest to its own top speed comes to. Of what takes steps.
[[nodiscard]] double hardest_acceleration(const Mechanism& mechanism);

/// Limits of a ramp in steps. Where intervals are whole multiples of a grain, the speed is the fastest of
/// those that they make which is not above the one asked for. @throws RangeError when an order exceeds the
/// mechanism's limits or its step rate the controller's.
[[nodiscard]] RampLimits ramp_limits(const Mechanism& mechanism, const Controller& controller,
                                     std::optional<OutputSpeed> speed = {},
                                     std::optional<OutputAcceleration> acceleration = {});

/// Where a move from `from` ends: exact. @throws RangeError when the order names neither or both of `to` and
/// `by`, or ends outside the soft limits.
[[nodiscard]] OutputPosition target_of(const Mechanism& mechanism, OutputPosition from,
                                       const MoveOrder& order);

/// The same order as a move. @throws RangeError when it names neither or both of angle and station, the
/// station is none, or the output does not turn
[[nodiscard]] MoveOrder move_of(const Mechanism& mechanism, const TurnOrder& order);

/// A spin that has an end as the move that it is; nothing when it has none. Of a time, the way is the whole
/// number of steps that comes nearest to it. @throws RangeError when time or way are too short to reach the
/// speed (with the least that is not), or both are given
[[nodiscard]] std::optional<MoveOrder> move_of(const Mechanism& mechanism, const Controller& controller,
                                               const SpeedOrder& order);

/// Limits gentler than `limits`, under which the way from rest to rest takes `seconds`.
/// @throws RangeError when it takes longer than that at full limits; the message has the least time
[[nodiscard]] RampLimits limits_to_take(const Mechanism& mechanism, double seconds, std::int64_t way_steps,
                                        const RampLimits& limits);

/// From rest at `from` to rest. @throws RangeError as above.
[[nodiscard]] MovePlan plan_move(const Mechanism& mechanism, const Controller& controller,
                                 OutputPosition from, const MoveOrder& order);

}  // namespace cogstride
