// Ramps that a chip makes by itself, for what no host has planned: a key that is held, a knob, homing, a
// stop.
//
//   RampMaker ramp(16000000);                    // ticks a second of its timer
//   ramp.limits({8000, 200, 60000});             // steps/s, start steps/s, steps/s2
//   ramp.go_to(4000);
//   NarrowPulseRun run;
//   while (ramp.next(run)) axis.put(run);        // the main program, a few runs ahead
//
// By v^2 = u^2 + 2 a n, run by run: inside a run gaps change evenly, which is off the ramp by less than a
// part in a hundred of a gap. Divisions and roots are made here, in the main program, none while a run is
// played.
//
// C++14 with <stdint.h> alone; 32-bit integers.
#pragma once

#include <stdint.h>

#include "pulse_run.hpp"

namespace cogstride {
namespace chip {

struct ChipLimits {
  uint32_t speed;         ///< steps/s, 1 to 65535
  uint32_t start_speed;   ///< steps/s that may be reached or left at once; below speed
  uint32_t acceleration;  ///< steps/s^2, 1 to 2^24
};

/// The whole root of a number, rounded down: bit by bit, without a product.
COGSTRIDE_ONCE inline uint16_t whole_root(uint32_t of) {
  uint32_t root = 0;
  for (uint32_t bit = 0x40000000UL; bit != 0; bit >>= 2) {
    const uint32_t tried = root + bit;
    root >>= 1;
    if (of >= tried) {
      of -= tried;
      root += bit;
    }
  }
  return static_cast<uint16_t>(root);
}

/// Its speed is told by how many steps it is from the start speed on the way up, so that it is as many from
/// rest.
class RampMaker {
 public:
  /// @param ticks_per_second  1 million to 4000 million
  explicit RampMaker(uint32_t ticks_per_second) : scaled_(ticks_per_second) {
    while (scaled_ < 0x80000000UL) {
      scaled_ <<= 1;
      ++scaled_by_;
    }
  }

  /// May change while it moves: what is too fast now is braked down.
  COGSTRIDE_ONCE void limits(const ChipLimits& limits) {
    const uint32_t now = square(up_);
    const uint32_t speed = limits.speed > 65535 ? 65535 : limits.speed;
    const uint32_t start = limits.start_speed > speed ? speed : limits.start_speed;
    top_ = speed * speed;
    start_ = start * start;
    per_step_ = 2 * limits.acceleration;
    top_up_ = steps_above_start(top_);
    even_ = start_ / per_step_ / 8;
    if (way_ != 0) up_ = steps_above_start(now);
  }
  /// Ticks that a run takes at the most, where it has several steps.
  void longest(uint32_t ticks) { longest_ = ticks; }
  /// To a step, from wherever it is: a way that has become too short is passed, and come back over.
  void go_to(int32_t target) {
    target_ = target;
    brakes_ = false;
  }
  /// To rest on a ramp.
  void brake() { brakes_ = true; }
  /// It moves already, and comes to rest on a ramp from here on.
  /// @param way  1 or -1 @param limits  with the speed that it has
  COGSTRIDE_ONCE void brake_from(int32_t at, int8_t way, const ChipLimits& now) {
    way_ = 0;
    limits(now);
    at_ = target_ = at;
    way_ = way;
    up_ = top_up_;
    const Gap gap = gap_at(top_);
    gap_ = gap.shift != 0 && (gap.ticks >> (32 - gap.shift)) != 0 ? UINT32_MAX : gap.ticks << gap.shift;
    has_pulses_ = false;
    brakes_ = true;
  }
  /// It was ended by something else, at a step.
  void stands_at(int32_t at) {
    at_ = target_ = at;
    up_ = 0;
    way_ = 0;
    has_pulses_ = false;
    brakes_ = false;
  }

  bool is_at_rest() const { return way_ == 0 && !has_pulses_; }
  /// Where the runs made so far lead to.
  int32_t leads_to() const { return at_; }

  /// The next run. @return false at rest, where it is to be
  COGSTRIDE_ONCE bool next(NarrowPulseRun& run) {
    if (has_pulses_) {
      has_pulses_ = false;
      run = pulses_;
      return true;
    }
    if (way_ != 0 && !brakes_ && up_ == 0 && steps_left() == 0) come_to_rest();  // it turns round
    if (way_ == 0 && !start()) return false;
    const uint32_t left = steps_left();
    const uint32_t before = up_;
    uint32_t steps = steps_in_a_while();
    if (brakes_ || left <= up_ || up_ > top_up_) {
      steps = least(steps, brakes_ || left == 0 ? (up_ > 1 ? up_ : 1) : left > up_ ? up_ - top_up_ : left);
      up_ = up_ > steps ? up_ - steps : 0;
    } else if (up_ < top_up_ && left - up_ > 1) {
      steps = least(steps, least(top_up_ - up_, (left - up_) / 2));
      up_ += steps;
    } else {
      steps = least(steps, left - up_);
    }
    at_ += way_ > 0 ? static_cast<int32_t>(steps) : -static_cast<int32_t>(steps);
    const bool ends = (brakes_ && up_ == 0) || at_ == target_;
    make(run, before, static_cast<uint8_t>(steps), ends);
    if (ends) come_to_rest();
    return true;
  }

 private:
  static uint32_t least(uint32_t a, uint32_t b) { return a < b ? a : b; }

  bool start() {
    if (brakes_) target_ = at_;
    brakes_ = false;
    if (target_ == at_) return false;
    way_ = target_ > at_ ? 1 : -1;
    up_ = 0;
    gap_ = UINT32_MAX;
    return true;
  }
  void come_to_rest() {
    way_ = 0;
    up_ = 0;
    if (brakes_) target_ = at_;
    brakes_ = false;
  }
  /// 0 once the target lies behind: it brakes then.
  uint32_t steps_left() const {
    if (way_ > 0) return target_ > at_ ? static_cast<uint32_t>(target_) - static_cast<uint32_t>(at_) : 0;
    return target_ < at_ ? static_cast<uint32_t>(at_) - static_cast<uint32_t>(target_) : 0;
  }
  uint32_t steps_above_start(uint32_t square) const {
    return square > start_ ? (square - start_ - 1) / per_step_ + 1 : 0;
  }
  /// The speed's, so many steps from the start speed.
  uint32_t square(uint32_t up) const { return up == top_up_ ? top_ : start_ + per_step_ * up; }

  /// As many as keep the speed within a sixteenth, and take a few hundredths of a second at the most. One
  /// where gaps come near to a turn of the timer.
  uint32_t steps_in_a_while() const {
    if (gap_ > 0xa0000000UL) return 1;
    uint32_t steps = least(even_ + up_ / 8, 255);
    const uint32_t ticks = gap_ >> 16;
    while (steps > 1 && steps * ticks > longest_) steps /= 2;
    return steps > 1 ? steps : 1;
  }

  /// The gap at a speed, by its square.
  struct Gap {
    uint32_t ticks;  // Q16, of 2^-shift
    uint8_t shift;
  };
  COGSTRIDE_ONCE Gap gap_at(uint32_t square) const {
    Gap gap{0, 0};
    if (square == 0) square = 1;
    while (square < 0x40000000UL) {
      square <<= 2;
      ++gap.shift;
    }
    // The root is 2^shift times the speed, 2^15 and more.
    gap.ticks = scaled_ / whole_root(square);
    if (scaled_by_ < 16) {
      gap.ticks <<= 16 - scaled_by_;
    } else {
      gap.ticks >>= scaled_by_ - 16;
    }
    return gap;
  }

  void make(NarrowPulseRun& run, uint32_t before, uint8_t steps, bool ends) {
    const uint8_t flags = static_cast<uint8_t>((way_ < 0 ? run_backwards : 0) | (ends ? run_ends : 0));
    // In the middle of the first step and of the last; from rest the first takes longer.
    const uint32_t half = per_step_ / 2;
    uint32_t first = square(before);
    uint32_t last = square(up_);
    const uint32_t slower = first < last ? first : last;
    if (steps == 1) {
      first = slower == 0 ? half / 2 : first / 2 + last / 2;
    } else if (up_ > before) {
      first += half;
      last -= half;
    } else if (up_ < before) {
      first -= half;
      last += half;
    }
    const Gap begins = gap_at(first);
    if (begins.shift != 0 && (begins.ticks >> (32 - begins.shift)) != 0) {
      // Longer than a turn of the timer: silence, then the pulse.
      const uint32_t ticks =
          begins.shift > 15 ? begins.ticks >> 16 << begins.shift : begins.ticks >> (16 - begins.shift);
      const uint8_t parts = static_cast<uint8_t>((ticks >> 16) + 2);
      const uint32_t each = ticks / parts;
      run = NarrowPulseRun{each << 16, 0, 0, static_cast<uint8_t>(parts - 1),
                           static_cast<uint8_t>((flags & ~run_ends) | run_silent)};
      pulses_ = NarrowPulseRun{(ticks - each * (parts - 1)) << 16, 0, 0, 1, flags};
      has_pulses_ = true;
      gap_ = UINT32_MAX;
      return;
    }
    run = NarrowPulseRun{begins.ticks << begins.shift, 0, 0, steps, flags};
    gap_ = run.gap;
    if (steps > 1 && up_ != before) {
      const Gap ended = gap_at(last);
      gap_ = ended.ticks << ended.shift;
      run.change = static_cast<int32_t>(gap_ - run.gap) / (steps - 1);
    }
  }

  uint32_t scaled_;  // ticks a second, shifted to the top
  uint8_t scaled_by_ = 0;
  uint32_t top_ = 1;  // squares of speeds
  uint32_t start_ = 0;
  uint32_t per_step_ = 2;  // twice the acceleration
  uint32_t top_up_ = 1;    // steps from the start speed to the top speed
  uint32_t even_ = 0;
  uint32_t longest_ = 200000;
  uint32_t up_ = 0;            // steps from the start speed, now
  uint32_t gap_ = UINT32_MAX;  // Q16 ticks, of the last step made
  int32_t at_ = 0;
  int32_t target_ = 0;
  int8_t way_ = 0;
  bool brakes_ = false;
  bool has_pulses_ = false;
  NarrowPulseRun pulses_{};
};

}  // namespace chip
}  // namespace cogstride
