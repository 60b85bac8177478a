// Quadrature counters of live lines, read in the thread of planning: those that count edges which a port
// tells of, and those that hardware of this computer counts.
#pragma once

#include <functional>
#include <map>
#include <vector>

#include "cogstride/lines/quadrature_counter.hpp"
#include "cogstride/port/counter_port.hpp"

namespace cogstride {

class LiveCounters {
 public:
  /// @param hardware  counts those that it has; null: none; must outlive them
  /// @param tick_of  the tick of an instant of the port's clock, ns
  LiveCounters(const std::vector<CounterSetup>& counters, CounterPort* hardware,
               std::function<Tick(std::int64_t)> tick_of);

  [[nodiscard]] bool has(SourceId source) const;
  /// Whether it counts the edges of that line.
  [[nodiscard]] bool counts(LineId line) const { return by_line_.contains(line); }
  /// Levels when the lines were opened.
  void begin(const std::function<bool(LineId)>& level_of);
  /// An edge of one of its lines. @return false: the one before it has been missed
  bool take(LineId line, bool high, Tick at);
  void sample(SourceId source, Tick first, Tick period);
  /// The lines were cut: nothing is sampled any more.
  void forget();
  [[nodiscard]] Tick next() const;
  /// What is due by now. @throws PortGone
  void read(Tick now, std::vector<Reading>& readings);

 private:
  struct Sampling {
    Tick next = never;
    Tick period = 0;
    /// Whether it is due; those that were missed are left out.
    bool take(Tick now) {
      if (next > now) return false;
      next = period <= 0 ? never : next + (now - next) / period * period + period;
      return true;
    }
  };
  struct Counter {
    QuadratureCounter counter;
    Sampling count{};
    Sampling edge{};
    std::map<LineId, bool> high{};
  };
  [[nodiscard]] bool is_hardwares(const Counter& each) const {
    return hardware_ != nullptr && hardware_->has(each.counter.setup().line_a);
  }
  CounterPort* hardware_;
  std::function<Tick(std::int64_t)> tick_of_;
  std::vector<Counter> counters_{};
  std::map<LineId, std::size_t> by_line_{};  // whose edges are counted
};

}  // namespace cogstride
