// Speed from the count of an encoder and the ticks of its edges: one figure from a creep to full speed.
//
// Between two looks, n counts lie between the edge counted last before the first and the edge counted last
// before the second; their ticks are known, so
//
//   speed = n / (t2 - t1)         counts a second, t in seconds
//
// (Ohmae et al., "A microprocessor-controlled high-accuracy wide-range speed regulator", IEEE Trans. Ind.
// Electron. 1982: both times and counts). At a creep n is 1 and the time is exact; at speed n is large and
// the window is that of the looks. When no edge came, the speed is no more than one count since the last one.
// Its error: a tick of time either end, and what the two edges are out of place,
//
//   |error| <= speed * (1 tick / (t2 - t1)) + place / (t2 - t1)
//
// Where an edge is known to a look alone, not to a tick, the first of the two lies farther back: so far that
// what is not known of their times, or the count that is not known at the looks, is a small share of what
// lies between.
#pragma once

#include <array>
#include <cstddef>

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "cogstride/chip/tick.hpp"

namespace cogstride {

class CountSpeed {
 public:
  /// @param place_error  by which two edges may be out of place together, counts
  /// @param time_error  s by which the times of edges may be out, together
  explicit CountSpeed(double ticks_per_second, double place_error = 0.0, double time_error = 0.0)
      : ticks_per_second_(ticks_per_second), place_error_(place_error), time_error_(time_error) {}

  /// A look at `now`: the count, and the tick of the edge that was counted last.
  void look(chip::Tick now, std::int64_t count, chip::Tick counted_at) {
    if (!begun_) {
      begun_ = true;
    } else if (count != count_ && counted_at > counted_at_) {
      const Edge before = time_error_ > 0.0 ? far_enough_back(count, counted_at) : Edge{count_, counted_at_};
      const double seconds = static_cast<double>(counted_at - before.at) / ticks_per_second_;
      speed_ = static_cast<double>(count - before.count) / seconds;
      error_ =
          std::abs(speed_) * (1.0 / static_cast<double>(counted_at - before.at) + time_error_ / seconds) +
          place_error_ / seconds;
    } else {
      const double quiet = static_cast<double>(now - counted_at_) / ticks_per_second_;
      const double most = quiet > 0.0 ? (1.0 + place_error_) / quiet : 0.0;
      if (std::abs(speed_) > most) {
        speed_ = std::copysign(most, speed_);
        error_ = most;
      }
      if (quiet > stands_after) speed_ = 0.0;
      return;
    }
    count_ = count;
    counted_at_ = counted_at;
  }

  [[nodiscard]] double counts_per_second() const { return speed_; }
  /// That the speed may be off by at the most, counts a second.
  [[nodiscard]] double error() const { return error_; }

 private:
  static constexpr double stands_after = 1.0;  // s without an edge
  static constexpr double small_share = 0.03;
  static constexpr double quiet_counts = 4.0;  // times as long as those before it: it has stood

  struct Edge {
    std::int64_t count = 0;
    chip::Tick at = 0;
  };
  /// The latest of those kept, all counted the same way without a stop, that is far enough back; and keeps
  /// this one.
  Edge far_enough_back(std::int64_t count, chip::Tick at) {
    const int way = count > count_ ? 1 : -1;
    const double apart = static_cast<double>(at - counted_at_) / ticks_per_second_;
    const bool stood = speed_ == 0.0 || apart * std::abs(speed_) >
                                            quiet_counts * std::abs(static_cast<double>(count - count_));
    if (way != way_ || stood || kept_ == 0) {
      kept_ = 0;
      keep({count_, counted_at_});
    }
    way_ = way;
    Edge found = kept_at(kept_ - 1);
    for (std::size_t back = 0; back < kept_; ++back) {
      found = kept_at(kept_ - 1 - back);
      const double seconds = static_cast<double>(at - found.at) / ticks_per_second_;
      const double counts = std::abs(static_cast<double>(count - found.count));
      if (std::min(1.0 / counts, time_error_ / seconds) <= small_share) break;
    }
    keep({count, at});
    return found;
  }
  void keep(const Edge& edge) {
    if (kept_ == edges_.size()) {
      first_ = (first_ + 1) % edges_.size();
      --kept_;
    }
    edges_[(first_ + kept_++) % edges_.size()] = edge;
  }
  [[nodiscard]] const Edge& kept_at(std::size_t place) const {
    return edges_[(first_ + place) % edges_.size()];
  }

  double ticks_per_second_;
  double place_error_;
  double time_error_;
  std::array<Edge, 48> edges_{};  // round
  std::size_t first_ = 0;
  std::size_t kept_ = 0;
  int way_ = 0;
  bool begun_ = false;
  std::int64_t count_ = 0;
  chip::Tick counted_at_ = 0;
  double speed_ = 0.0;
  double error_ = 0.0;
};

}  // namespace cogstride
