// A duty that goes evenly to another one, period by period of its timer.
//
//   DutyRamp duty;
//   duty.go_to(180, 400);                        // counts of the timer, in so many periods
//   OCR = duty.next();                           // in the timer's interrupt, once a period
//
// C++14 with <stdint.h> alone; the one division is made by go_to(), in the main program.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

class DutyRamp {
 public:
  /// From where it is. @param target  counts of the timer, 0 to 32767; @param periods  0: at once
  COGSTRIDE_ONCE void go_to(int16_t target, uint16_t periods) {
    // It stands from here until all is known: an interrupt in between changes nothing, and sees a byte or the
    // other.
    goes_ = false;
    keep_order();
    const int32_t to = static_cast<int32_t>(target) * 65536;
    target_ = to;
    by_ = periods == 0 ? 0 : (to - now_) / periods;
    if (periods == 0) now_ = to;
    left_ = periods;
    keep_order();
    goes_ = periods != 0;
  }
  /// The duty of the next period; an interrupt's side.
  int16_t next() {
    if (goes_) {
      now_ += by_;
      if (--left_ == 0) {
        now_ = target_;
        goes_ = false;
      }
    }
    return duty();
  }
  int16_t duty() const { return static_cast<int16_t>(now_ >> 16); }
  bool is_steady() const { return !goes_; }

 private:
  int32_t now_ = 0;
  int32_t by_ = 0;
  int32_t target_ = 0;
  uint16_t left_ = 0;  // periods; the interrupt's while it goes
  volatile bool goes_ = false;
};

}  // namespace chip
}  // namespace cogstride
