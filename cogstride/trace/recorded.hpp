// A run as it was recorded in a waveform file, and two of them laid over each other.
//
// A live run and its rehearsal cannot agree in absolute time: a switch is seen a little later, and everything
// after it moves with it. So both are cut into stretches at their pauses, and stretches are compared one by
// one: the same edges in the same order, and by how much their times differ when the first is laid on the
// first that is not late.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace cogstride {

struct RecordedLine {
  std::string name{};  ///< "traverse.step"
  bool starts_high = false;
  std::vector<double> edges{};  ///< s, each a change of the level
};

struct RecordedTrace {
  std::string file{};
  double ends_at = 0.0;  ///< s
  std::vector<RecordedLine> lines{};
};

/// A row of edges without a pause, on all lines that both traces have.
struct ComparedStretch {
  double begins_a = 0.0;  ///< s, in the first trace
  double begins_b = 0.0;
  struct Line {
    std::string name{};
    std::int64_t edges_a = 0;
    std::int64_t edges_b = 0;
    bool same_levels = true;  ///< both begin it at the same level
  };
  std::vector<Line> lines{};          ///< those with edges in it
  bool same = false;                  ///< the same edges on every line, in the same order
  double worst = 0.0;                 ///< s, that an edge of b is later than a's, beyond the earliest of them
  double at_99 = 0.0;                 ///< s, that 99 of 100 are not later than
  std::vector<double> when{};         ///< s into the stretch, of each edge of the line with the most ...
  std::vector<double> differences{};  ///< ... and by how much b's is later
};

struct TraceComparison {
  RecordedTrace a{};
  RecordedTrace b{};
  std::vector<std::string> only_a{};  ///< lines
  std::vector<std::string> only_b{};
  std::vector<ComparedStretch> stretches{};
  std::size_t stretches_a = 0;
  std::size_t stretches_b = 0;
  /// Shortest level of each line that both have, s; infinite where it has fewer than two edges.
  struct Shortest {
    std::string name{};
    double a = 0.0;
    double b = 0.0;
  };
  std::vector<Shortest> shortest{};

  [[nodiscard]] bool same_edges() const;
  [[nodiscard]] double worst() const;  ///< s, over all stretches that are the same
  [[nodiscard]] double at_99() const;
};

/// @param pause  s without any edge that ends a stretch in both
[[nodiscard]] TraceComparison compare_traces(RecordedTrace a, RecordedTrace b, double pause);

}  // namespace cogstride
