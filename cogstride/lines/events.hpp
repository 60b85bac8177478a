// What goes out to boards and what comes back: the event types of a controller's lines.
#pragma once

#include <algorithm>
#include <array>
#include <compare>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/ramp_maker.hpp"
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
/// Of an encoder, by its line A: its count, and the tick of the edge that was counted last.
[[nodiscard]] constexpr SourceId counter_source(std::int64_t line_a) {
  return static_cast<SourceId>(0x4000 + line_a);
}
[[nodiscard]] constexpr SourceId counter_edge_source(std::int64_t line_a) {
  return static_cast<SourceId>(0x8000 + line_a);
}
/// One mechanism of the rig, by its place in it.
enum class MechanismId : std::uint16_t {};
/// Of a loop that is closed for a mechanism by whoever plays the lines: what it does (LoopTold).
[[nodiscard]] constexpr SourceId loop_source(MechanismId owner) {
  return static_cast<SourceId>(0xa000 + static_cast<int>(owner));
}
/// Where an axis stands that is geared to a count by whoever plays the lines: twice the step, and 1 where it
/// stands, let go.
[[nodiscard]] constexpr SourceId gear_source(MechanismId owner) {
  return static_cast<SourceId>(0xb000 + static_cast<int>(owner));
}
/// A bus, or a serial port, of the controller.
enum class BusId : std::uint8_t {};
/// Of what comes back by it.
[[nodiscard]] constexpr SourceId bus_source(BusId bus) {
  return static_cast<SourceId>(0x6000 + static_cast<int>(bus));
}

/// A line's level, as part of one port write.
struct Level {
  LineId line;
  bool high;
};

enum class Edge : std::uint8_t { rising, falling };

/// Ends a pulse run when this edge is seen, without waiting for whoever plans: at once, or on a ramp, which
/// begins steps_before_brake() steps after it. What is put from there to the next withdrawal does not count.
struct StopOn {
  LineId line;
  Edge edge;
  std::optional<chip::ChipLimits> ramp{};  ///< its speed is the most that the runs have; null: at once
};

/// What of a channel follows its compare value: its line and, in the rest of a period, the complement (where
/// it has one); one of the two alone, the other one off; or nothing, both off.
enum class PwmDrive : std::uint8_t { both, line, complement, none };

/// A channel's compare value: how many ticks of each PWM period it is on.
struct Compare {
  LineId line;    ///< of the channel
  Tick on_ticks;  ///< 0 (off) to the period (always on); of the complement where that is driven alone
  PwmDrive drive = PwmDrive::both;
};

/// Bytes that go over a bus or a serial port in one go.
struct Frame {
  static constexpr std::size_t most_bytes = 8;
  std::uint32_t id = 0;   ///< on a bus: whom it is about, and who goes first (the lower); serial: 0
  std::uint8_t size = 0;  ///< bytes, 0 to 8
  std::array<std::uint8_t, most_bytes> bytes{};

  friend bool operator==(const Frame& a, const Frame& b) {
    return a.id == b.id && a.size == b.size &&
           std::equal(a.bytes.begin(), a.bytes.begin() + a.size, b.bytes.begin());
  }
};

/// One thing that came back: an edge (0 or 1), an ADC code, a count; or a frame.
struct Reading {
  Tick at;
  SourceId source;
  std::int64_t raw;       ///< of a frame: its bytes, the first one lowest
  std::uint32_t id = 0;   ///< of a frame
  std::uint8_t size = 0;  ///< of a frame, bytes
};

/// A frame that came in, at the end of its last bit.
[[nodiscard]] constexpr Reading reading_of(Tick at, BusId bus, const Frame& frame) {
  std::uint64_t raw = 0;
  for (std::size_t i = 0; i < frame.size; ++i) raw |= std::uint64_t{frame.bytes[i]} << (8 * i);
  return {at, bus_source(bus), static_cast<std::int64_t>(raw), frame.id, frame.size};
}
[[nodiscard]] constexpr Frame frame_of(const Reading& reading) {
  Frame frame{reading.id, reading.size, {}};
  for (std::size_t i = 0; i < frame.size; ++i)
    frame.bytes[i] = static_cast<std::uint8_t>(static_cast<std::uint64_t>(reading.raw) >> (8 * i));
  return frame;
}

/// What a loop says of itself, as one number of a reading.
struct LoopTold {
  std::int32_t duty = 0;     ///< that it gives, 1/32768 of full
  std::int32_t yielded = 0;  ///< counts by which it has given way, 1/256

  [[nodiscard]] static constexpr LoopTold of(std::int64_t raw) {
    const auto bits = static_cast<std::uint64_t>(raw);
    return {static_cast<std::int32_t>(bits >> 32), static_cast<std::int32_t>(bits & 0xffffffffU)};
  }
  [[nodiscard]] constexpr std::int64_t raw() const {
    return static_cast<std::int64_t>(std::uint64_t{static_cast<std::uint32_t>(duty)} << 32 |
                                     static_cast<std::uint32_t>(yielded));
  }
};

/// What withdrawing left: all steps that have gone out or will have by the instant asked for.
struct Withdrawn {
  std::int64_t steps = 0;  ///< net count since the lines were opened, backwards steps negative
  Tick last_pulse = 0;     ///< start of the last pulse that went or will go; 0 when there was none
  bool brakes = false;     ///< an edge has come that brakes what was put last (StopOn::ramp): that stays
};

}  // namespace cogstride
