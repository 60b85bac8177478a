// The runs that are still to be played: filled by the main program while an interrupt takes from the other
// end.
//
//   RunRing<NarrowPulseRun, 16> ring;
//   ring.put(run);                 // the main program; false: full
//   if (!ring.is_empty()) { play(ring.front()); ring.pop(); }     // the interrupt
//
// One program puts, one interrupt takes: each writes its own index alone, a byte, which every chip writes at
// once.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam room  a power of two, 2 to 128: it holds one less
template <class Run, uint8_t room>
class RunRing {
 public:
  static_assert(room >= 2 && room <= 128 && (room & (room - 1)) == 0, "a power of two");

  constexpr RunRing() : runs_() {}

  /// @return false when it is full: nothing was put
  bool put(const Run& run) {
    const uint8_t at = put_;
    const uint8_t next = (at + 1) & (room - 1);
    if (next == taken_) return false;
    runs_[at] = run;
    keep_order();
    put_ = next;
    return true;
  }
  /// The oldest; of the interrupt's side, and only while it is not empty.
  COGSTRIDE_IN_INTERRUPT const Run& front() const { return runs_[taken_]; }
  /// Done with the oldest.
  COGSTRIDE_IN_INTERRUPT void pop() {
    keep_order();
    taken_ = (taken_ + 1) & (room - 1);
  }
  /// The youngest, and without it; only while it is not empty, with interrupts off.
  Run& back() { return runs_[(put_ - 1) & (room - 1)]; }
  /// The one that is so many before the youngest.
  const Run& before_back(uint8_t many) const { return runs_[(put_ - 1 - many) & (room - 1)]; }
  void take_back() { put_ = static_cast<uint8_t>((put_ - 1) & (room - 1)); }
  /// Drops all that has not been taken; of the interrupt's side.
  COGSTRIDE_IN_INTERRUPT void drop() { taken_ = put_; }

  COGSTRIDE_IN_INTERRUPT bool is_empty() const { return taken_ == put_; }
  bool is_full() const { return ((put_ + 1) & (room - 1)) == taken_; }
  /// How many more it can hold.
  uint8_t free() const { return (taken_ - put_ - 1) & (room - 1); }

 private:
  Run runs_[room];
  volatile uint8_t put_ = 0;
  volatile uint8_t taken_ = 0;
};

}  // namespace chip
}  // namespace cogstride
