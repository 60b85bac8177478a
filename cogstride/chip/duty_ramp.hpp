// A duty that goes evenly to another one, period by period of its timer; and a motor held at a speed by it.
//
//   DutyRamp duty;
//   duty.go_to(180, 400);                        // counts of the timer, in so many periods
//   OCR = duty.next();                           // in the timer's interrupt, once a period
//
// C++14 with <stdint.h> alone; the one division is made by go_to(), in the main program.
#pragma once

#include <stdint.h>

#include "speed_loop.hpp"
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

/// Holds the speed of a motor whose encoder counts: once a loop's period takes the count and gives the duty.
class HeldSpeed {
 public:
  /// @param loops_per_second  1 to 4095; @param least, most  duties that may be given, 1/32768 of full
  constexpr HeldSpeed(const SpeedLoopGains& gains, uint16_t loops_per_second, int16_t least, int16_t most)
      : gains_(gains), loops_(loops_per_second), least_(least), most_(most) {}

  /// @param speed  counts a second; @param feed  duty that is known to make it about so
  COGSTRIDE_ONCE void hold(int32_t speed, int16_t feed) {
    speed_ = speed * 16;
    feed_ = feed;
    // A loop's way in 1/256 count: whole ones, and what is left of one, in parts of a second.
    each_ = speed * 256 / loops_;
    left_ = speed * 256 % loops_;
  }
  /// From rest at a count.
  void begin(int32_t count) {
    last_ = count;
    behind_ = 0;
    measured_ = 0;
    over_ = 0;
  }
  /// One loop's period later. @return duty, 1/32768 of full
  int16_t step(int32_t count) {
    const int32_t went = count - last_;
    last_ = count;
    // Speeds in 1/16 count/s, smoothed over four loops; places in 1/256 count.
    measured_ += (went * 16 * loops_ - measured_) >> 2;
    behind_ += each_ - went * 256;
    over_ += left_;
    if (over_ >= loops_ || over_ <= -loops_) {
      behind_ += over_ > 0 ? 1 : -1;
      over_ -= over_ > 0 ? loops_ : -loops_;
    }
    const SpeedLoopStep made = speed_loop_step(gains_, feed_, speed_ - measured_, behind_, least_, most_);
    behind_ -= made.beyond;
    return static_cast<int16_t>(made.duty);
  }
  /// 1/16 count/s.
  int32_t measured() const { return measured_; }

 private:
  SpeedLoopGains gains_;
  int32_t loops_;
  int16_t least_;
  int16_t most_;
  int32_t speed_ = 0;  // 1/16 count/s
  int16_t feed_ = 0;
  int32_t last_ = 0;
  int32_t measured_ = 0;
  int32_t behind_ = 0;
  int32_t each_ = 0;
  int32_t left_ = 0;
  int32_t over_ = 0;
};

}  // namespace chip
}  // namespace cogstride
