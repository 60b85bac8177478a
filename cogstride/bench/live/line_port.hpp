// The far end of live lines: what writes levels, sees edges and tells the time. The kernel's GPIO is one;
// tests and `pace` have others.
//
// Its thread is the player's. Only wake() is called from another one.
#pragma once

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
  /// The level of a line, an output or an input. @throws PortGone
  [[nodiscard]] virtual bool read(LineId line) = 0;
  /// Appends the edges that have come, in their order. @return at once. @throws PortGone
  virtual void take_edges(std::vector<PortEdge>& edges) = 0;
  /// Sleeps until then, until an edge comes, or until wake(). @throws PortGone
  virtual void sleep_until(std::int64_t ns) = 0;
  /// Ends a sleep, or the next one.
  virtual void wake() noexcept = 0;
};

}  // namespace cogstride
