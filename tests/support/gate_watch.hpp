// Keeps the six gates of an inverter in sight, on their lines.
#pragma once

#include <algorithm>
#include <array>
#include <map>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride::testing_support {

/// Keeps the six gates in sight: whether both of a leg were on, and the shortest gap from one off to the
/// other on, in ticks.
class GateWatch final : public TraceSink {
 public:
  explicit GateWatch(const Mechanism& mechanism) {
    const auto& wiring = std::get<GateWiring>(mechanism.wiring);
    for (std::size_t i = 0; i < 6; ++i) {
      gates_[static_cast<LineId>(wiring.gates[i].number)] = i;
      active_high_[i] = wiring.gates[i].active == ActiveLevel::high;
    }
  }
  bool both = false;
  Tick shortest_gap = never;
  std::int64_t edges = 0;
  Tick last_edge = 0;

  void begin(const TraceLayout& layout) override {
    for (const TracedLine& line : layout.lines) edge(0, line.id, line.starts_high);
  }
  void edge(Tick at, LineId line, bool high) override {
    const auto found = gates_.find(line);
    if (found == gates_.end()) return;
    ++edges;
    last_edge = at;
    const std::size_t i = found->second;
    const bool on = high == active_high_[i];
    if (on && !on_[i] && went_off_[i ^ 1U] >= 0)
      shortest_gap = std::min(shortest_gap, at - went_off_[i ^ 1U]);
    if (!on && on_[i]) went_off_[i] = at;
    on_[i] = on;
    both = both || (on && on_[i ^ 1U]);
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

 private:
  std::map<LineId, std::size_t> gates_;
  std::array<bool, 6> active_high_{};
  std::array<bool, 6> on_{};
  std::array<Tick, 6> went_off_{-1, -1, -1, -1, -1, -1};
};

}  // namespace cogstride::testing_support
