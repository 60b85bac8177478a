// One mechanism geared to another one, asked beforehand: the exact ratio, what it asks of the follower, how
// coarse the leader's counts are against its steps; and which change gears come nearest to a ratio.
//
//   const Gearing gearing = gearing_of(traverse, spindle);     // of traverse.follows
//   gearing.steps_per_turn;                                    // 1120/3, exactly
//   nearest_trains({7, 30}, teeth, 5);                         // 28/40 x 20/60, ...
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/controller.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// What a follower goes for a turn, or a metre, of its leader's output: m or turns.
[[nodiscard]] inline Ratio way_per_base(const Leading& leading) {
  return leading.by.base / leading.for_each.base;
}

/// A follower looks where it belongs each millisecond; behind a link to a chip less often: each time it tells
/// what it does from there on. s
[[nodiscard]] double between_follow_looks(const Controller& controller);
/// The same, rounded up. So often are counts looked at, too.
[[nodiscard]] chip::Tick ticks_between_looks(const Controller& controller);

/// How far a follower is behind a leader at its top speed that only its counts tell of; m or turns.
struct ExpectedLag {
  double lead = 0.0;      ///< s from what is done to its effect
  double count = 0.0;     ///< a count may be all but over
  double sampling = 0.0;  ///< from one look at the counts to the next
  double delay = 0.0;
  double limits = 0.0;  ///< it keeps the way that it takes to stop, so that it never goes beyond
  [[nodiscard]] double sum() const { return count + sampling + delay + limits; }
};
/// @param looks  s from one to the next @param lead  s @throws RangeError as gearing_of()
[[nodiscard]] ExpectedLag expected_lag(const Mechanism& follower, const Mechanism& leader, double looks,
                                       double lead);

struct Gearing {
  Ratio per_turn{};  ///< follower's way for a turn, or a metre, of the leader's output: m or turns
  std::optional<Ratio> steps_per_turn{};   ///< of a follower that steps
  std::optional<Ratio> counts_per_turn{};  ///< of the leader's encoder, where it has one
  std::optional<Ratio> steps_per_count{};
  std::string encoder{};
  double top_speed = 0.0;   ///< of the follower at the leader's top speed: m/s or turns/s
  double top_rate = 0.0;    ///< and its steps/s; 0 of one that does not step
  double leader_top = 0.0;  ///< turns/s of the leader up to which the follower's own limit lets it follow
  /// Turns of the leader after which the follower stands on a whole step again. 0 of one that does not step.
  std::int64_t whole_after = 0;
};

/// @throws RangeError when the follower follows nothing, or by no way of such a leader
[[nodiscard]] Gearing gearing_of(const Mechanism& follower, const Mechanism& leader);

/// From a count to the step that it asks for: how often it is looked at, and how late.
/// Where it goes by the speed of the counts, a leader that slows down by a (m/s2, turns/s2) is passed by half
/// a times the square of both together.
struct FollowTiming {
  std::string where{};
  double looks = 0.0;  ///< s from one to the next
  double lead = 0.0;   ///< s from what is done to its effect
};
/// Of all ways in which a rig's controller may be there: rehearsed and live, or behind a link.
[[nodiscard]] std::vector<FollowTiming> follow_timings(const Gearing& gearing, const Controller& controller,
                                                       bool is_compensated);

/// Gears from the driving shaft to the driven one: driving / driven, once or twice.
struct ChangeGears {
  std::vector<std::int64_t> teeth{};  ///< driving, driven, driving, driven
  Ratio ratio{};                      ///< turns of the driven shaft for one of the driving one
  double error = 0.0;                 ///< share by which that is more than was wanted
};

/// The trains of one or two pairs out of a set of gears, each used once, that come nearest to a ratio: the
/// nearest first, and of equals the one with fewer gears and teeth. A set that has two of a kind names it
/// twice.
/// @param wanted  above 0; @param teeth  of each gear, 5 to 1000; @param most  how many
/// @throws RangeError when the ratio is none, or a gear has no such number of teeth, or there are over 64
[[nodiscard]] std::vector<ChangeGears> nearest_trains(const Ratio& wanted,
                                                      std::span<const std::int64_t> teeth, std::size_t most);

}  // namespace cogstride
