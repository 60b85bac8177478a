// An axis geared to what an encoder counts, on ramps that the chip makes: it belongs on the very step that
// whole numbers say, and goes there within its limits.
//
//   StepFollow follow(16000000);
//   follow.begin(ramp, what, position, count, now);   // RampMaker ramp(16000000)
//   follow.look(count, counted_at, now, ahead);  // once a period; `ahead`: ticks that its runs still take
//   while (follow.next(run)) axis.put(run);      // a little ahead
//
// It looks how fast its leader turns, and goes as fast, and faster or slower by what it is off. What it is
// told to do it does some milliseconds later, by which it looks ahead: a leader that turns evenly is followed
// to a step, and when it stands, it stands where it belongs.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "count_course.hpp"
#include "ramp_maker.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

struct CountFollow {
  uint32_t tick = 0;   ///< from then on
  int32_t steps = 0;   ///< for so many
  int32_t counts = 1;  ///< counts; both up to 65535
  uint16_t count = 0;  ///< when the counter says so,
  int32_t place = 0;   ///< it belongs on this step, and so many
  int32_t rest = 0;    ///< of `counts` parts of one beyond
  ChipLimits limits{1, 1, 1};
};

class StepFollow {
 public:
  enum : uint8_t { looks_per_second = 250 };
  /// Runs are made so far ahead, and are so long at the most; ticks.
  uint32_t ahead() const { return period_ + period_ / 4; }

  explicit StepFollow(uint32_t ticks_per_second) : period_(ticks_per_second / looks_per_second) {
    while ((period_ >> part_) > 2048) ++part_;
  }

  /// It stands on the step `at`. @param ramp  its alone until it is let go @param count  as it is now
  COGSTRIDE_ONCE void begin(RampMaker& ramp, const CountFollow& what, int32_t at, uint16_t count,
                            uint32_t now) {
    ramp_ = &ramp;
    shaft_.begin(count, now);
    ramp_->longest(period_ / 2);
    ramp_->limits(what.limits);
    ramp_->stands_at(at);
    speed_ = 0;
    go_by(what);
    due_ = now;
  }
  /// Other steps for counts, while it goes on.
  COGSTRIDE_ONCE void go_by(const CountFollow& what) {
    steps_ = what.steps;
    counts_ = what.counts;
    limits_ = what.limits;
    belongs_ = what.place;
    rest_ = what.rest;
    count_ = what.count;
    ratio_ = static_cast<int32_t>(static_cast<int64_t>(what.steps) * 65536 / what.counts);
    stops_ = false;
  }
  /// To rest on a ramp, wherever that is.
  void stop() {
    stops_ = true;
    ramp_->brake();
  }
  bool is_stopping() const { return stops_; }
  bool is_due(uint32_t now) const { return static_cast<int32_t>(due_ - now) <= 0; }
  uint32_t due() const { return due_; }

  /// @param left  ticks that the runs that it has made still take
  COGSTRIDE_ONCE void look(uint16_t count, uint32_t counted_at, uint32_t now, uint32_t left) {
    while (static_cast<int32_t>(due_ - now) <= 0) due_ += period_;
    shaft_.look(count, counted_at, now, part_, period_ >> part_);
    go_on(count);
    if (stops_) return;
    // Of its leader: steps a second, 1/16.
    const int32_t leads =
        static_cast<int32_t>((static_cast<int64_t>(shaft_.speed()) * ratio_ >> 16) * looks_per_second / 256);
    // What it is off where its runs end, 1/256 step.
    const int32_t meanwhile =
        static_cast<int32_t>(static_cast<int64_t>(leads) * 16 * (left >> part_) / (period_ >> part_)) /
        looks_per_second;
    const int32_t whole = belongs_ - ramp_->leads_to();
    const int32_t near = whole > 8000 ? 8000 : whole < -8000 ? -8000 : whole;
    const int32_t off =
        near * 256 + static_cast<int32_t>(static_cast<int64_t>(rest_) * 256 / counts_) + meanwhile;
    // Made up for in 32 ms.
    const int32_t wanted = leads + off * 2;
    const uint32_t size = static_cast<uint32_t>((wanted < 0 ? -wanted : wanted) / 16);
    const bool is_back = (wanted < 0) != (leads < 0) && leads != 0;
    // A step that is made takes no longer than a few looks: it would be of what was.
    constexpr uint32_t slowest = looks_per_second / 4;
    limit(is_back || size < slowest ? slowest : size);
    // Beyond where it belongs by what it takes to stop from its leader's speed.
    const uint32_t fast = static_cast<uint32_t>(leads < 0 ? -leads : leads) / 16;
    const uint32_t own = fast > limits_.speed ? limits_.speed : fast;
    int32_t beyond = static_cast<int32_t>(own * own / (2 * limits_.acceleration));
    // Close to it, its ramps would brake: that it goes no faster is left to its speed, two looks long.
    beyond += static_cast<int32_t>(own / (looks_per_second / 2)) + (own > 100 ? 1 : 0);
    if (own != 0) beyond += (meanwhile < 0 ? -meanwhile : meanwhile) / 256;
    ramp_->go_to(belongs_ + (leads < 0 ? -beyond : beyond));
  }
  /// The next run. @return false: there is none, where it is
  bool next(NarrowPulseRun& run) { return ramp_->next(run); }
  bool is_at_rest() const { return ramp_->is_at_rest(); }
  /// Where its runs lead to.
  int32_t leads_to() const { return ramp_->leads_to(); }

 private:
  /// As whole numbers say (GearedPlace).
  void go_on(uint16_t count) {
    const int32_t sum = rest_ + static_cast<int16_t>(count - count_) * steps_;
    count_ = count;
    belongs_ += sum / counts_;
    rest_ = sum % counts_;
  }
  void limit(uint32_t speed) {
    if (speed > limits_.speed) speed = limits_.speed;
    if (speed == speed_) return;
    speed_ = speed;
    ChipLimits now = limits_;
    now.speed = speed;
    ramp_->limits(now);
  }

  RampMaker* ramp_ = nullptr;
  CountedCourse shaft_{};
  ChipLimits limits_{1, 1, 1};
  int32_t steps_ = 0;
  int32_t counts_ = 1;
  uint32_t period_;
  uint32_t due_ = 0;
  int32_t belongs_ = 0;
  int32_t rest_ = 0;
  int32_t ratio_ = 0;  // steps a count, 2^-16
  uint32_t speed_ = 0;
  uint16_t count_ = 0;
  uint8_t part_ = 0;
  bool stops_ = false;
};

}  // namespace chip
}  // namespace cogstride
