// Pulses of several servos, one after another in a frame, by one compare's interrupt.
//
//   ServoFrame<3, Timing, Pins> servos(320000);          // ticks a frame: 20 ms of 16 MHz
//   servos.set(0, 1500 * 16);                            // ticks
//   ISR(...) { servos.on_compare(); }
//
// Pulses are begun and ended in the interrupt: both are late by the same latency, so that a width is off by
// its jitter alone. A new width counts from the servo's next pulse on; 0 makes none, which lets the servo go.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

/// @tparam Timing  at(tick), tick() of a compare; @tparam Pins  static write(which, high)
template <uint8_t count, class Timing, class Pins>
class ServoFrame {
 public:
  /// @param frame  ticks from a servo's pulse to its next one
  explicit ServoFrame(uint32_t frame) : frame_(frame) {}

  /// @param ticks  width; the sum of all must leave some of the frame. 0: none. Interrupts are off.
  void set(uint8_t which, uint16_t ticks) { width_[which] = ticks; }

  /// From a tick on. Interrupts are off.
  void begin(uint16_t tick) {
    at_ = count;
    left_ = 0;
    Timing::at(tick);
  }
  void on_compare() {
    if (at_ < count) {
      Pins::write(at_, false);
      ++at_;
    } else if (left_ == 0) {
      at_ = 0;
      left_ = frame_;
    }
    while (at_ < count && width_[at_] == 0) ++at_;
    uint16_t next;
    if (at_ < count) {
      Pins::write(at_, true);
      next = width_[at_];
    } else {
      // Until the frame is over, in parts of less than a turn of the timer.
      next = left_ > 60000 ? 30000 : static_cast<uint16_t>(left_);
    }
    left_ = left_ > next ? left_ - next : 0;
    Timing::at(static_cast<uint16_t>(Timing::tick() + next));
  }

 private:
  uint32_t frame_;
  uint32_t left_ = 0;   // of the frame
  uint8_t at_ = count;  // the servo whose pulse is on; count: none
  uint16_t width_[count] = {};
};

}  // namespace chip
}  // namespace cogstride
