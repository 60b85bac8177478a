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
#pragma once

#include <cmath>
#include <cstdint>

#include "cogstride/chip/tick.hpp"

namespace cogstride {

class CountSpeed {
 public:
  /// @param place_error  by which two edges may be out of place together, counts
  explicit CountSpeed(double ticks_per_second, double place_error = 0.0)
      : ticks_per_second_(ticks_per_second), place_error_(place_error) {}

  /// A look at `now`: the count, and the tick of the edge that was counted last.
  void look(chip::Tick now, std::int64_t count, chip::Tick counted_at) {
    if (!begun_) {
      begun_ = true;
    } else if (count != count_ && counted_at > counted_at_) {
      const double seconds = static_cast<double>(counted_at - counted_at_) / ticks_per_second_;
      speed_ = static_cast<double>(count - count_) / seconds;
      error_ = std::abs(speed_) / static_cast<double>(counted_at - counted_at_) + place_error_ / seconds;
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

  double ticks_per_second_;
  double place_error_;
  bool begun_ = false;
  std::int64_t count_ = 0;
  chip::Tick counted_at_ = 0;
  double speed_ = 0.0;
  double error_ = 0.0;
};

}  // namespace cogstride
