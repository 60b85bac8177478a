// Ramps that a chip makes by itself, for what no host has planned: a key that is held, a knob, homing, a stop.
//
//   RampMaker ramp(16000000);                    // ticks a second of its timer
//   ramp.limits({8000, 200, 60000});             // steps/s, start steps/s, steps/s2
//   ramp.go_to(4000);
//   NarrowPulseRun run;
//   while (ramp.next(run)) axis.put(run);        // the main program, a few runs ahead
//
// By v^2 = u^2 + 2 a n, run by run: inside a run gaps change evenly, which is off the ramp by less than a part in a
// hundred of a gap. Divisions and roots are made here, in the main program, none while a run is played.
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

/// The whole root of a number, rounded down.
COGSTRIDE_ONCE inline uint16_t whole_root(uint32_t of) {
  uint16_t root = 0;
  for (uint16_t bit = 0x8000; bit != 0; bit = static_cast<uint16_t>(bit >> 1)) {
    const uint16_t tried = static_cast<uint16_t>(root | bit);
    if (static_cast<uint32_t>(tried) * tried <= of) root = tried;
  }
  return root;
}

class RampMaker {
 public:
  explicit RampMaker(uint32_t ticks_per_second)
      : ticks_per_second_(ticks_per_second), slow_(square_of(ticks_per_second / 50000)) {}

  /// May change while it moves: what is too fast now is braked down.
  void limits(const ChipLimits& limits) {
    const uint32_t speed = limits.speed > 65535 ? 65535 : limits.speed;
    const uint32_t start = limits.start_speed > speed ? speed : limits.start_speed;
    top_ = speed * speed;
    start_ = start * start;
    per_step_ = 2 * limits.acceleration;
  }
  /// To a step, from wherever it is: a way that has become too short is passed, and come back over.
  void go_to(int32_t target) {
    target_ = target;
    brakes_ = false;
  }
  /// To rest on a ramp.
  void brake() { brakes_ = true; }
  /// It was ended by something else, at a step.
  void stands_at(int32_t at) {
    at_ = target_ = at;
    square_ = 0;
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
    if (way_ != 0 && !brakes_ && square_ <= start_ && steps_left() == 0) come_to_rest();  // it turns round
    if (way_ == 0 && !start()) return false;
    const uint32_t left = steps_left();
    const uint32_t to_stop = square_ > start_ ? (square_ - start_ + per_step_ - 1) / per_step_ : 0;
    const uint32_t before = square_;
    uint32_t steps = steps_in_a_while(before);
    if (brakes_ || left <= to_stop || square_ > top_) {
      steps = least(steps, brakes_ || left == 0 ? (to_stop > 1 ? to_stop : 1) : left);
      square_ = before > start_ + per_step_ * steps ? before - per_step_ * steps : start_;
      if (!brakes_ && left > to_stop && square_ < top_) square_ = top_;
    } else if (square_ < top_ && left - to_stop > 1) {
      const uint32_t to_top = (top_ - square_ + per_step_ - 1) / per_step_;
      steps = least(steps, least(to_top, (left - to_stop) / 2));
      square_ = top_ - before > per_step_ * steps ? before + per_step_ * steps : top_;
    } else {
      steps = least(steps, left - to_stop);
    }
    at_ += way_ > 0 ? static_cast<int32_t>(steps) : -static_cast<int32_t>(steps);
    const bool ends = (brakes_ && square_ <= start_) || at_ == target_;
    make(run, before, static_cast<uint8_t>(steps), ends);
    if (ends) come_to_rest();
    return true;
  }

 private:
  static uint32_t square_of(uint32_t of) { return of * of; }
  static uint32_t least(uint32_t a, uint32_t b) { return a < b ? a : b; }

  bool start() {
    if (brakes_) target_ = at_;
    brakes_ = false;
    if (target_ == at_) return false;
    way_ = target_ > at_ ? 1 : -1;
    square_ = start_;
    return true;
  }
  void come_to_rest() {
    way_ = 0;
    square_ = 0;
    if (brakes_) target_ = at_;
    brakes_ = false;
  }
  /// 0 once the target lies behind: it brakes then.
  uint32_t steps_left() const {
    if (way_ > 0) return target_ > at_ ? static_cast<uint32_t>(target_) - static_cast<uint32_t>(at_) : 0;
    return target_ < at_ ? static_cast<uint32_t>(at_) - static_cast<uint32_t>(target_) : 0;
  }
  /// As many as keep the speed within a sixteenth, and take an eightieth of a second at the most. One where gaps come near
  /// to a turn of the timer.
  uint32_t steps_in_a_while(uint32_t square) const {
    if (square < slow_) return 1;
    const uint32_t even = square / 8 / per_step_;
    const uint32_t quick = whole_root(square) / 80;
    const uint32_t steps = least(least(even, quick), 255);
    return steps > 1 ? steps : 1;
  }

  /// Q16 ticks of a gap at a speed, by its square; clipped at 2^16 ticks times 2^`shift`.
  struct Gap {
    uint32_t ticks;  // Q16 of 2^-shift
    uint8_t shift;
  };
  COGSTRIDE_ONCE Gap gap_at(uint32_t square) const {
    Gap gap{0, 0};
    if (square == 0) square = 1;
    while (square < 0x40000000UL) {
      square <<= 2;
      ++gap.shift;
    }
    const uint32_t root = whole_root(square);  // of 2^shift times the speed, at least 2^15
    const uint32_t whole = ticks_per_second_ / root;
    const uint32_t rest = ticks_per_second_ % root;
    gap.ticks = (whole << 16) + (rest << 16) / root;
    return gap;
  }

  void make(NarrowPulseRun& run, uint32_t before, uint8_t steps, bool ends) {
    const uint8_t flags = static_cast<uint8_t>((way_ < 0 ? run_backwards : 0) | (ends ? run_ends : 0));
    // In the middle of the first step and of the last; from rest the first takes longer.
    const uint32_t half = per_step_ / 2;
    const uint32_t slower = before < square_ ? before : square_;
    uint32_t first = before;
    uint32_t last = square_;
    if (before != square_) {
      if (steps == 1) {
        first = last = slower == 0 ? half / 2 : before / 2 + square_ / 2;
      } else {
        first = before < square_ ? before + half : before - half;
        last = before < square_ ? square_ - half : square_ + half;
      }
    } else if (slower == 0) {
      first = last = half / 2;
    }
    const Gap begins = gap_at(first);
    if (begins.shift != 0 && (begins.ticks >> (32 - begins.shift)) != 0) {
      // Longer than a turn of the timer: silence, then the pulse.
      const uint32_t ticks = begins.shift > 15 ? begins.ticks >> 16 << begins.shift : begins.ticks >> (16 - begins.shift);
      const uint8_t parts = static_cast<uint8_t>((ticks >> 16) + 2);
      const uint32_t each = ticks / parts;
      run = NarrowPulseRun{each << 16, 0, 0, static_cast<uint8_t>(parts - 1), static_cast<uint8_t>(flags | run_silent)};
      run.flags &= static_cast<uint8_t>(~run_ends);
      pulses_ = NarrowPulseRun{(ticks - each * (parts - 1)) << 16, 0, 0, 1, flags};
      has_pulses_ = true;
      return;
    }
    run = NarrowPulseRun{begins.ticks << begins.shift, 0, 0, steps, flags};
    if (steps > 1) {
      const Gap ended = gap_at(last);
      run.change = static_cast<int32_t>((ended.ticks << ended.shift) - run.gap) / (steps - 1);
    }
  }

  uint32_t ticks_per_second_;
  uint32_t slow_;          // square of a speed
  uint32_t top_ = 1;       // squares of speeds
  uint32_t start_ = 0;
  uint32_t per_step_ = 2;  // twice the acceleration
  uint32_t square_ = 0;
  int32_t at_ = 0;
  int32_t target_ = 0;
  int8_t way_ = 0;
  bool brakes_ = false;
  bool has_pulses_ = false;
  NarrowPulseRun pulses_{};
};

}  // namespace chip
}  // namespace cogstride
