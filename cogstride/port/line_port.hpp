// The far end of live lines: what writes levels, sees edges and tells the time. The kernel's GPIO is one;
// tests and `measure-rate` have others.
//
// Its thread is the player's. Only wake() is called from another one.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

/// The lines cannot be reached any more: a chip was taken away.
class PortGone : public Error {
 public:
  using Error::Error;
};

/// An edge on an input, with the time at which the port saw it.
struct PortEdge {
  std::int64_t at_ns = 0;
  LineId line{};
  bool high = false;
};

/// A frame that somebody else has sent, with the time at which the port saw it.
struct PortFrame {
  std::int64_t at_ns = 0;
  BusId bus{};
  Frame frame{};
};

/// What became of putting everything at rest.
struct RestOutcome {
  static constexpr std::size_t most_named = 8;
  std::array<const char*, most_named> silent{};  ///< what did not take it; the names are the port's
  std::size_t silent_count = 0;

  void add_silent(const char* who) noexcept {
    if (silent_count < most_named) silent[silent_count] = who;
    ++silent_count;
  }
  [[nodiscard]] bool is_at_rest() const noexcept { return silent_count == 0; }
};
/// "gpiochip1 (bench) does not answer"; empty when all is at rest.
[[nodiscard]] std::string to_text(const RestOutcome& outcome);

class LinePort {
 public:
  virtual ~LinePort() = default;

  /// ns of a clock that never goes back.
  [[nodiscard]] virtual std::int64_t now_ns() = 0;
  /// All of them together, as far as they are on one chip. @throws PortGone
  virtual void write(std::span<const Level> levels) = 0;
  /// A line that has its duty from hardware: high for so long of each of its periods, from the next on.
  /// @throws PortGone; RangeError for a plain line
  virtual void write_duty(LineId line, std::int64_t high_ns);
  /// A frame over a bus or a serial port, after those sent before. @throws PortGone; RangeError where there
  /// is no such bus
  virtual void send(BusId bus, const Frame& frame);
  /// Appends the frames that have come in, in their order. @return at once. @throws PortGone
  virtual void take_frames(std::vector<PortFrame>& /*frames*/) {}
  /// Every output to rest, as far as it can be done: each chip and channel is tried, whatever another one has
  /// answered. Allocates nothing. From its thread, or once that is gone.
  virtual RestOutcome rest() noexcept = 0;
  /// The level of a line, an output or an input. @throws PortGone
  [[nodiscard]] virtual bool read(LineId line) = 0;
  /// Appends the edges that have come, in their order. @return at once. @throws PortGone
  virtual void take_edges(std::vector<PortEdge>& edges) = 0;
  /// Sleeps until then, until an edge or a frame comes, or until wake(); edges that are only counted may
  /// wait.
  /// @throws PortGone
  virtual void sleep_until(std::int64_t ns) = 0;
  /// Ends a sleep, or the next one.
  virtual void wake() noexcept = 0;
};

}  // namespace cogstride
