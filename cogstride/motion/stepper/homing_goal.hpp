// What homing of a mechanism goes to, and how far it may go for it: computed once, from the rig alone.
//
// All ways and speeds are in steps. The zero is an edge that is always met going the same way: of a switch at
// an end of the travel, of a window round a place (on an endless ring, or inside a travel that has a switch
// at its low end to turn round at), of an encoder's index; or it is a hard end, at which an encoder stops
// counting.
#pragma once

#include <optional>
#include <string>

#include "cogstride/chip/homing.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

struct HomingGoal {
  enum class Kind : std::uint8_t { end_switch, window, hard_end };

  /// A line of a sensor, and its level when it acts.
  struct Signal {
    LineId line{};
    bool active_high = true;
    std::string name{};
  };
  struct Index {
    Signal signal{};
    OutputPosition at{};
    std::int64_t range = 0;
  };
  struct Counting {
    SourceId counter{};
    Ratio counts_per_step{};
    std::string name{};
  };

  Kind kind = Kind::end_switch;
  std::string mechanism{};
  Signal sensor{};                ///< of a hard end: empty
  OutputPosition edge_at{};       ///< of the edge that counts, or of the hard end
  OutputPosition ends_at{};       ///< where to stand afterwards
  int towards = -1;               ///< the way on which the edge counts
  bool turns_round = false;       ///< a window inside a travel: looked for backwards first
  bool is_brief = false;          ///< an index: gone again at once
  std::optional<Signal> other{};  ///< at the other end of the travel
  std::optional<Index> index{};   ///< that gives the zero, next to the switch
  std::optional<Counting> counting{};

  RampLimits fast{};
  RampLimits slow{};
  RampLimits creep{};              ///< slow, begun softly
  std::int64_t alignment_way = 0;  ///< one electrical period
  std::int64_t approach_range = 0;
  std::int64_t back_off_range = 0;
  std::int64_t clear_range = 0;  ///< beyond which the slow approach gives up
  double steps_per_base = 0.0;
};

/// @throws RangeError when the mechanism has nothing to home with, or no way to bound the search
[[nodiscard]] HomingGoal homing_goal(const Mechanism& mechanism, const Controller& controller);

/// What of it decides what to do next; the way back from the edge is known once that is met.
[[nodiscard]] chip::HomingGoal<std::int64_t> decided_by(const HomingGoal& goal);

/// The way to the switch at the end of the travel opposite to the one it homes to: to measure the travel
/// between them. @throws RangeError when it has no two
[[nodiscard]] HomingGoal far_switch_goal(const Mechanism& mechanism, const Controller& controller);

}  // namespace cogstride
