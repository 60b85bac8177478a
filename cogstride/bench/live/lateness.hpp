// How late edges went out, in a fixed room: counts by size, four to a doubling.
#pragma once

#include <array>
#include <cstdint>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class LatenessRecord {
 public:
  void add(Tick late) {
    ++edges_;
    if (late > worst_) worst_ = late;
    ++counts_[place_of(late)];
  }
  [[nodiscard]] std::int64_t edges() const { return edges_; }
  [[nodiscard]] Tick worst() const { return worst_; }
  /// Lateness that a share (0.99) of the edges does not exceed; at most a quarter too much.
  [[nodiscard]] Tick at_share(double share) const {
    std::int64_t left = static_cast<std::int64_t>(share * static_cast<double>(edges_));
    for (std::size_t place = 0; place < counts_.size(); ++place) {
      left -= counts_[place];
      if (left < 0) return upper_of(place) < worst_ ? upper_of(place) : worst_;
    }
    return worst_;
  }
  /// Edges that were certainly later than `bound`.
  void add_beyond() { ++beyond_; }
  [[nodiscard]] std::int64_t beyond() const { return beyond_; }

 private:
  static constexpr std::size_t places = 4 * 60;
  static std::size_t place_of(Tick late) {
    if (late < 4) return late < 0 ? 0 : static_cast<std::size_t>(late);
    std::size_t doublings = 0;
    auto value = static_cast<std::uint64_t>(late);
    while (value >= 8) {
      value >>= 1;
      ++doublings;
    }
    return 4 + 4 * doublings + static_cast<std::size_t>(value - 4);
  }
  /// The largest lateness of a place.
  static Tick upper_of(std::size_t place) {
    if (place < 4) return static_cast<Tick>(place);
    const std::size_t doublings = (place - 4) / 4;
    return ((static_cast<Tick>((place - 4) % 4) + 5) << doublings) - 1;
  }

  std::int64_t edges_ = 0;
  std::int64_t beyond_ = 0;
  Tick worst_ = 0;
  std::array<std::int64_t, places> counts_{};
};

}  // namespace cogstride
