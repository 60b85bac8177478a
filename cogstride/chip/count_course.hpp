// What an encoder says of its shaft: where it is and how fast, from its count and the instants of its edges.
//
//   CountedCourse shaft;
//   shaft.begin(count, now);
//   shaft.look(count, counted_at, now, 4, 2000); // once a period of 2000 grains of 16 ticks
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

/// What an encoder says of its shaft, forwards.
class CountedCourse {
 public:
  void begin(uint16_t count, uint32_t now) {
    count_ = edge_ = count;
    edge_at_ = now;
    speed_ = 0;
    quiet_ = 0;
    has_edge_ = false;
  }
  /// @param at  tick of the last count; @param part  ticks of a grain; @param period  grains of a period
  COGSTRIDE_ONCE void look(uint16_t count, uint32_t at, uint32_t now, uint8_t part, uint32_t period) {
    const int16_t went = static_cast<int16_t>(count - count_);
    if (went != 0) {
      count_ = count;
      const uint16_t edge = static_cast<uint16_t>(went > 0 ? count : count + 1);
      const uint32_t apart = (at - edge_at_) >> part;
      if (has_edge_) speed_ = speed_of(static_cast<int16_t>(edge - edge_), period, apart == 0 ? 1 : apart);
      edge_ = edge;
      edge_at_ = at;
      has_edge_ = true;
      quiet_ = 0;
    } else if (quiet_ != 0xffff) {
      ++quiet_;
    }
    // Since the last edge it has not gone farther than to the next one.
    const uint32_t since = quiet_ >= 1024 ? 0 : (now - edge_at_) >> part;
    if (quiet_ >= 1024) speed_ = 0;
    if (since != 0) {
      const int32_t most = static_cast<int32_t>((period << 12) / since);
      speed_ = speed_ > most ? most : speed_ < -most ? -most : speed_;
    }
    const int32_t gone =
        speed_ == 0 ? 0 : speed_ * static_cast<int32_t>(since) / static_cast<int32_t>(period);
    place_ = (static_cast<uint32_t>(edge_) << 16) + static_cast<uint32_t>(gone * 16);
    // It is on its count, wherever its last edge was taken to be.
    const int32_t beyond = static_cast<int32_t>(place_ - (static_cast<uint32_t>(count_) << 16));
    if (beyond < 0 || beyond > 65536)
      place_ = (static_cast<uint32_t>(count_) << 16) + static_cast<uint32_t>(beyond < 0 ? 0 : 65536);
  }
  uint16_t count() const { return count_; }
  uint32_t place() const { return place_; }  ///< 16.16
  int32_t speed() const { return speed_; }   ///< 20.12 counts a period
  uint16_t quiet() const { return quiet_; }  ///< periods without a count

 private:
  /// Nothing wraps up to 32767 counts in a period.
  static int32_t speed_of(int16_t counts, uint32_t period, uint32_t apart) {
    const uint32_t size = static_cast<uint32_t>(counts < 0 ? -static_cast<int32_t>(counts) : counts);
    const uint32_t speed = size < 256 ? size * (period << 12) / apart : size * period / apart << 12;
    return counts < 0 ? -static_cast<int32_t>(speed) : static_cast<int32_t>(speed);
  }

  uint32_t place_ = 0;
  uint32_t edge_at_ = 0;
  int32_t speed_ = 0;
  uint16_t count_ = 0;
  uint16_t edge_ = 0;  // the place of the last one
  uint16_t quiet_ = 0;
  bool has_edge_ = false;
};

}  // namespace chip
}  // namespace cogstride
