#include "cogstride/bench/live/live_counters.hpp"

#include <algorithm>
#include <utility>

namespace cogstride {

LiveCounters::LiveCounters(const std::vector<CounterSetup>& counters, CounterPort* hardware,
                           std::function<Tick(std::int64_t)> tick_of)
    : hardware_(hardware), tick_of_(std::move(tick_of)) {
  for (const CounterSetup& setup : counters) {
    counters_.push_back({QuadratureCounter(setup), {}, {}, {}});
    if (!is_hardwares(counters_.back()))
      by_line_[setup.line_a] = by_line_[setup.line_b] = counters_.size() - 1;
  }
}

bool LiveCounters::has(SourceId source) const {
  return std::any_of(counters_.begin(), counters_.end(), [&](const Counter& each) {
    return each.counter.setup().source == source || each.counter.setup().edge_source == source;
  });
}

void LiveCounters::begin(const std::function<bool(LineId)>& level_of) {
  for (Counter& each : counters_) {
    if (is_hardwares(each)) continue;
    const CounterSetup& setup = each.counter.setup();
    each.counter.begin(level_of(setup.line_a), level_of(setup.line_b));
    each.high = {{setup.line_a, level_of(setup.line_a)}, {setup.line_b, level_of(setup.line_b)}};
  }
}

bool LiveCounters::take(LineId line, bool high, Tick at) {
  Counter& counter = counters_[by_line_.at(line)];
  const bool is_next = counter.high[line] != high;
  counter.high[line] = high;
  counter.counter.take(line, high, at);
  return is_next;
}

void LiveCounters::sample(SourceId source, Tick first, Tick period) {
  for (Counter& each : counters_) {
    if (each.counter.setup().source == source) each.count = {first, period};
    if (each.counter.setup().edge_source == source) each.edge = {first, period};
  }
}

void LiveCounters::forget() {
  for (Counter& each : counters_) each.count = each.edge = {};
}

Tick LiveCounters::next() const {
  Tick next = never;
  for (const Counter& each : counters_) next = std::min({next, each.count.next, each.edge.next});
  return next;
}

void LiveCounters::read(Tick now, std::vector<Reading>& readings) {
  for (Counter& each : counters_) {
    const bool count_is_due = each.count.take(now);
    const bool edge_is_due = each.edge.take(now);
    if (!count_is_due && !edge_is_due) continue;
    const CounterSetup& setup = each.counter.setup();
    std::int64_t count = 0;
    Tick edge = 0;
    if (is_hardwares(each)) {
      const PortCount counted = hardware_->read(setup.line_a);
      count = counted.count;
      edge = std::min(now, tick_of_(counted.changed_ns));
    } else {
      count = each.counter.count(now);
      edge = each.counter.counted_at(now);
    }
    if (count_is_due) readings.push_back({now, setup.source, count});
    if (edge_is_due) readings.push_back({now, setup.edge_source, edge});
  }
}

}  // namespace cogstride
