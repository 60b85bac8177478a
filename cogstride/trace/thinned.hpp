// A run thinned for display: memory that does not grow with the run, and no peak lost.
//
// A signal is kept as its lowest and highest value in each of a few thousand stretches of time, and in which
// order they came; when they run out, neighbours are merged. Pulses are kept as bursts (from first to last of
// a row), and pulse by pulse for the beginning of the burst in which the output went fastest.
#pragma once

#include <algorithm>
#include <cmath>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "cogstride/trace/trace.hpp"

namespace cogstride {

class ThinnedSignal {
 public:
  struct Stretch {
    Tick at;
    double low;
    double high;
    bool falls;  ///< the highest came before the lowest
  };

  void add(Tick at, double value);
  [[nodiscard]] const std::vector<Stretch>& stretches() const { return stretches_; }

 private:
  static constexpr std::size_t most_stretches = 4096;
  std::vector<Stretch> stretches_;
  std::size_t samples_per_stretch_ = 1;
  std::size_t in_last_ = 0;
};

class ThinnedTrace final : public TraceSink {
 public:
  struct LineEdge {
    Tick at;
    LineId line;
    bool high;
  };
  /// A time during which a line was away from its rest level, pulses near each other taken together.
  struct Burst {
    Tick from;
    Tick to;
  };

  /// @param speed_signal  by which the fastest burst is looked for: "traverse.speed"; without one of that
  /// name
  ///                      the first burst is shown
  /// @param step_line     the STEP line of the mechanism that it is of
  ThinnedTrace(std::string speed_signal, LineId step_line)
      : speed_signal_(std::move(speed_signal)), step_line_(step_line) {}

  [[nodiscard]] const TraceLayout& layout() const { return layout_; }
  [[nodiscard]] const std::vector<ThinnedSignal>& signals() const { return signals_; }
  /// @throws RangeError when there is none of that name
  [[nodiscard]] const ThinnedSignal& signal(std::string_view name) const;
  [[nodiscard]] const std::vector<std::vector<Burst>>& bursts() const {
    return bursts_;
  }  ///< by line of the layout
  /// Edges of all lines at the beginning of the fastest burst.
  [[nodiscard]] const std::vector<LineEdge>& close_up() const { return best_; }
  /// Levels just before the close-up, by line of the layout.
  [[nodiscard]] const std::vector<bool>& levels_before() const { return levels_before_best_; }
  [[nodiscard]] Tick end_at() const { return end_; }

  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent&) override {}
  void end(Tick at) override;

 private:
  void add_to_burst(std::size_t line, Tick at, bool away);
  void finish_candidate();

  static constexpr std::size_t most_bursts = 2048;
  static constexpr std::size_t most_close_edges = 120;

  std::string speed_signal_;
  std::optional<std::size_t> speed_place_{};
  LineId step_line_;
  TraceLayout layout_;
  std::vector<ThinnedSignal> signals_;
  std::vector<std::vector<Burst>> bursts_;
  std::vector<bool> levels_;
  Tick merge_within_ = 0;
  Tick silence_ = 0;
  Tick last_step_ = -never / 2;
  std::vector<LineEdge> candidate_;
  std::vector<bool> levels_before_candidate_;
  double candidate_speed_ = 0.0;
  std::vector<LineEdge> best_;
  std::vector<bool> levels_before_best_;
  double best_speed_ = -1.0;
  Tick end_ = 0;
};

}  // namespace cogstride
