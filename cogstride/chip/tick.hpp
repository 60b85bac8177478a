// Time on lines: whole ticks of the controller's timer clock, with a 16-bit fraction where runs are joined.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

/// Ticks of the timer clock since the controller's zero. 63 bits last for 6000 years at 48 MHz.
typedef int64_t Tick;

// Large, and called from several places of the main program: one copy in the chip's flash.
#define COGSTRIDE_ONCE __attribute__((noinline))
// In the interrupt of each step, however small the rest of a program is made.
#define COGSTRIDE_IN_INTERRUPT __attribute__((always_inline)) inline

/// What stands before it in the program has been written before what stands after it: for what an interrupt
/// shares.
inline void keep_order() {
  __asm__ __volatile__("" ::: "memory");
}

#if defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_BIG_ENDIAN__
constexpr bool is_little_endian = false;
#else
constexpr bool is_little_endian = true;
#endif

/// An instant between ticks: `tick + fraction / 65536`.
struct FineTick {
  Tick tick;
  uint16_t fraction;
};

/// The whole tick nearest to an instant, half up.
constexpr Tick nearest_tick(FineTick at) {
  return at.tick + (at.fraction >> 15);
}

/// An instant after another one by Q.16 ticks.
constexpr FineTick after(FineTick at, uint64_t gap) {
  return FineTick{at.tick + static_cast<Tick>(gap >> 16) +
                      static_cast<Tick>((static_cast<uint32_t>(at.fraction) + (gap & 0xffff)) >> 16),
                  static_cast<uint16_t>((at.fraction + gap) & 0xffff)};
}

/// The same on a chip whose timer has 16 bits. It runs half a tick ahead, so that its whole ticks are the
/// nearest ones.
struct CompareTime {
  uint32_t ahead;
};

/// Sets a compare register to the whole ticks. Half by half: 8-bit compilers take shifts by 16 for work.
/// @tparam Compare  has, static: at(tick)
template <class Compare>
COGSTRIDE_IN_INTERRUPT void set_compare(const CompareTime& time) {
  union {
    uint32_t whole;
    uint16_t half[2];
  } now = {time.ahead};
  Compare::at(now.half[is_little_endian ? 1 : 0]);
}
inline void begin_at(CompareTime& time, uint16_t tick, uint16_t fraction = 0) {
  time.ahead = (static_cast<uint32_t>(tick) << 16) + static_cast<uint32_t>(0x8000U + fraction);
}

/// Lets time pass by Q.16 ticks.
inline void pass(FineTick& time, uint64_t gap) {
  time = after(time, gap);
}
COGSTRIDE_IN_INTERRUPT void pass(CompareTime& time, uint32_t gap) {
  time.ahead += gap;
}

}  // namespace chip
}  // namespace cogstride
