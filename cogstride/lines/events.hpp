// What goes out to boards and what comes back: the event types of a controller's lines.
#pragma once

#include <compare>
#include <cstdint>
#include <limits>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/tick.hpp"

namespace cogstride {

using chip::FineTick;
using chip::Tick;

/// Later than any instant: the wish of one who waits for nothing.
inline constexpr Tick never = std::numeric_limits<Tick>::max();

/// One wire between controller and boards, by its number in the rig.
enum class LineId : std::uint16_t {};
/// Where readings come from: an input line, an ADC channel, a counter.
enum class SourceId : std::uint16_t {};
/// The source of an analogue input.
[[nodiscard]] constexpr SourceId analogue_source(std::int64_t channel) {
  return static_cast<SourceId>(0x2000 + channel);
}
/// A timer whose duty channels change together.
enum class PwmGroup : std::uint16_t {};
/// One mechanism of the rig, by its place in it.
enum class MechanismId : std::uint16_t {};

/// A line's level, as part of one port write.
struct Level {
  LineId line;
  bool high;
};

enum class Edge : std::uint8_t { rising, falling };

/// Ends a pulse run at once when this edge is seen, without waiting for whoever plans.
struct StopOn {
  LineId line;
  Edge edge;
};

/// What of a channel follows its compare value: its line and, in the rest of a period, the complement (where
/// it has one); one of the two alone, the other one off; or nothing, both off.
enum class PwmDrive : std::uint8_t { both, line, complement, none };

/// A channel's compare value: how many ticks of each PWM period it is on.
struct Compare {
  std::uint16_t channel;  ///< place in the group, from 0
  Tick on_ticks;          ///< 0 (off) to the period (always on); of the complement where that is driven alone
  PwmDrive drive = PwmDrive::both;
};

/// One thing that came back: an edge (0 or 1), an ADC code, a count, a byte.
struct Reading {
  Tick at;
  SourceId source;
  std::int64_t raw;
};

/// What withdrawing left: all steps that have gone out or will have by the instant asked for.
struct Withdrawn {
  std::int64_t steps = 0;  ///< net count since the lines were opened, backwards steps negative
  Tick last_pulse = 0;     ///< start of the last pulse that went or will go; 0 when there was none
};

}  // namespace cogstride
