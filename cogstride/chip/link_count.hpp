// An encoder's counts, as a link tells them: the low half of the count, and how long ago its last one came.
//
//   LinkCount wheel;
//   wheel.edge(tracks, tick);                    // in the interrupt of its tracks
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "quadrature.hpp"

namespace cogstride {
namespace chip {

class LinkCount {
 public:
  /// Ticks of a part of the time that is told.
  enum : uint8_t { grain = 16 };

  /// @param tracks  bit 0: A, bit 1: B. From 0.
  void begin(uint8_t tracks) {
    tracks_.begin(tracks);
    count_ = 0;
  }
  void edge(uint8_t tracks, uint32_t tick) {
    const int8_t way = tracks_.take(tracks);
    if (way == 0) return;
    count_ = static_cast<uint16_t>(count_ + way);
    at_ = tick;
  }
  /// Interrupts are off. @param now  a moment ago
  /// @return low half: the count; high half: how long ago it came, in grains; 0xffff: longer
  uint32_t told(uint32_t now) const {
    // It may have come since `now` was looked at.
    const uint32_t ago = static_cast<int32_t>(now - at_) < 0 ? 0 : (now - at_) / grain;
    return (static_cast<uint32_t>(ago > 0xffff ? 0xffff : ago) << 16) | count_;
  }

 private:
  QuadratureTracks tracks_{};
  uint16_t count_ = 0;
  uint32_t at_ = 0;
};

}  // namespace chip
}  // namespace cogstride
