// The physics of one mechanism on the simulated bench, as the run of its lines sees it.
//
// A plant hears the levels of the controller's lines and answers with edges, voltages and counts, and with
// nothing else: it reads no plan, and no controller reads its state. It advances lazily, stops at the first
// edge that it makes, and can go back to where it was kept, because another plant may have made an edge
// earlier.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// A change that a plant makes on an input line of the controller.
struct LineEdge {
  Tick at;
  LineId line;
  bool high;
};

class Plant {
 public:
  virtual ~Plant() = default;

  /// Whether it never makes an edge.
  [[nodiscard]] virtual bool only_hears() const { return false; }
  /// Lines that it listens to.
  [[nodiscard]] virtual std::span<const LineId> hears() const = 0;
  /// Lines that it drives, with their levels now.
  [[nodiscard]] virtual std::vector<Level> drives() const = 0;
  /// Sources that can be sampled: analogue ones in volts, counters as whole numbers.
  [[nodiscard]] virtual std::span<const SourceId> measures() const { return {}; }
  [[nodiscard]] virtual double measure(SourceId) const { return 0.0; }

  /// A line that it hears has changed, at the time it has been advanced to.
  virtual void hear(LineId line, bool high) = 0;
  /// A line that it hears is on for this share of each period from now on, with nothing said of when (0 to 1;
  /// rest is 0). Told after `hear`, of lines whose duty is averaged.
  virtual void hear_share(LineId, double) {}
  /// Lets physics run to `until`, or to its first edge when that comes sooner.
  virtual std::optional<LineEdge> advance(Tick until) = 0;

  /// Whether nothing in it changes up to `until`: then its clock alone goes on.
  [[nodiscard]] virtual bool stands_until(Tick) const { return false; }
  /// Sets its clock, within the time that it stands for.
  virtual void stand(Tick) {}

  /// Remembers the state; go_back() returns to it.
  virtual void keep() = 0;
  virtual void go_back() = 0;
};

}  // namespace cogstride
