// The two tracks and the index of an incremental encoder on the simulated bench, as edges on their lines; or
// three Hall sensors, which are one with six quarters an electrical turn.
//
// Quarter q (a quarter of a line) lies between boundary q and q + 1, in counts of the ideal disc. Where a
// boundary really lies:
//
//   k + E sin(2 pi k / counts) + S n_k        E once a turn (a disc off its centre), S rms of single lines,
//
// both in counts; n_k is drawn for each boundary of the disc, so every turn meets the same errors again.
#pragma once

#include <array>
#include <cmath>
#include <optional>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

class EncoderTrack {
 public:
  EncoderTrack(const Mechanism& mechanism, const Encoder& encoder, std::uint64_t seed);
  /// Of a brushless motor. @throws RangeError for a motor of another kind
  EncoderTrack(const Mechanism& mechanism, const HallSet& halls, std::uint64_t seed);

  struct State {
    std::int64_t quarter = 0;
    double lower = 0.0;  ///< its boundaries, counts
    double upper = 1.0;
    std::array<Level, 2> due{};  ///< edges of the last change that have not been told yet
    std::size_t due_count = 0;
    bool broken = false;  ///< its wires: no edge comes through
  };
  [[nodiscard]] LineId line_a() const { return lines_.front(); }

  [[nodiscard]] State settled_at(double position) const;
  /// Counts by which the disc is beyond the next boundary either way; above 0 an edge is due.
  [[nodiscard]] double beyond(const State& state, double position) const;
  /// m or turns of the output to that boundary; below 0 when it is due.
  [[nodiscard]] double way_left(const State& state, double position) const {
    return -beyond(state, position) * base_per_count_;
  }
  /// Goes on by a quarter, the way that `position` says; its edges are due.
  void change(State& state, double position) const;
  [[nodiscard]] std::vector<Level> levels(const State& state) const;

 private:
  [[nodiscard]] double boundary(std::int64_t number) const;
  [[nodiscard]] bool index_at(std::int64_t quarter) const;
  void take_bounds(State& state) const;

  /// Levels of its lines in a quarter, a bit each.
  [[nodiscard]] unsigned code_at(std::int64_t quarter) const;

  std::vector<LineId> lines_{};
  std::vector<std::uint8_t> codes_{};  // of its lines, by quarter: those of a line, or of an electrical turn
  std::optional<LineId> index_{};
  double counts_per_base_;
  double base_per_count_;  // above 0
  std::int64_t counts_per_turn_;
  double eccentricity_;  // counts
  double spread_;        // counts, rms
  std::uint64_t seed_;
};

}  // namespace cogstride
