// Quadrature counters of live lines: they count the edges that a port tells of, in the thread of planning.
#pragma once

#include <algorithm>
#include <map>
#include <vector>

#include "cogstride/lines/quadrature_counter.hpp"

namespace cogstride {

class EdgeCounters {
 public:
  explicit EdgeCounters(const std::vector<CounterSetup>& counters) {
    for (const CounterSetup& setup : counters) {
      by_line_[setup.line_a] = by_line_[setup.line_b] = counters_.size();
      counters_.push_back({QuadratureCounter(setup), {}, {}, {}});
    }
  }

  [[nodiscard]] bool has(SourceId source) const {
    return std::any_of(counters_.begin(), counters_.end(), [&](const Counter& each) {
      return each.counter.setup().source == source || each.counter.setup().edge_source == source;
    });
  }
  [[nodiscard]] bool counts(LineId line) const { return by_line_.contains(line); }
  /// Levels when the lines were opened.
  template <class LevelOf>
  void begin(const LevelOf& level_of) {
    for (Counter& each : counters_) {
      const CounterSetup& setup = each.counter.setup();
      each.counter.begin(level_of(setup.line_a), level_of(setup.line_b));
      each.high = {{setup.line_a, level_of(setup.line_a)}, {setup.line_b, level_of(setup.line_b)}};
    }
  }
  /// An edge of one of its lines. @return false: the one before it has been missed
  bool take(LineId line, bool high, Tick at) {
    Counter& counter = counters_[by_line_.at(line)];
    const bool is_next = counter.high[line] != high;
    counter.high[line] = high;
    counter.counter.take(line, high, at);
    return is_next;
  }
  void sample(SourceId source, Tick first, Tick period) {
    for (Counter& each : counters_) {
      if (each.counter.setup().source == source) each.count = {first, period};
      if (each.counter.setup().edge_source == source) each.edge = {first, period};
    }
  }
  /// The lines were cut: nothing is sampled any more.
  void forget() {
    for (Counter& each : counters_) each.count = each.edge = {};
  }
  [[nodiscard]] Tick next() const {
    Tick next = never;
    for (const Counter& each : counters_) next = std::min({next, each.count.next, each.edge.next});
    return next;
  }
  /// What is due by now.
  void read(Tick now, std::vector<Reading>& readings) {
    for (Counter& each : counters_) {
      if (each.count.take(now))
        readings.push_back({now, each.counter.setup().source, each.counter.count(now)});
      if (each.edge.take(now))
        readings.push_back({now, each.counter.setup().edge_source, each.counter.counted_at(now)});
    }
  }

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
  std::vector<Counter> counters_{};
  std::map<LineId, std::size_t> by_line_{};
};

}  // namespace cogstride
