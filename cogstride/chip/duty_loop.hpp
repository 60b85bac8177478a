// A motor held on a course by the counts of its encoder: once a period it takes the count and gives a duty.
//
//   DutyLoop<4> loop(setup);
//   loop.put(wanted);                            // from its tick on, in the place of what was put for later
//   if (loop.is_due(now)) duty = loop.step(count, counted_at, now);
//
// What is wanted is a course in stretches: a place, a speed, and a change of speed that lasts so many
// periods. The speed that is comes from the instants of edges (counts between two of them over the time
// between), so that it is as fine at a creep as at full speed. The loop itself is PI with feed-forward
// (speed_loop.hpp).
//
// Places are counts in 16.16, round and round; speeds counts a period in 16.16, measured ones in 20.12;
// duties 1/32768 of full. C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "count_course.hpp"
#include "speed_loop.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// Stretches that are known ahead, where a computer says what is wanted.
enum : uint8_t { loop_room = 5 };

/// What does not change while a loop is closed. Gains as in speed_loop.hpp, for a speed of 1/4096 count a
/// period.
struct DutyLoopSetup {
  uint32_t period = 0;    ///< ticks, 2048 to 2^22
  int32_t for_speed = 0;  ///< fed forward for the speed that is wanted
  int32_t for_emf = 0;    ///< that the back-EMF takes at the speed that is
  int16_t span = 32767;   ///< duty that may be given either side of that: what a current limit leaves
  int16_t most = 32767;
  int32_t brakes = 0;        ///< change of speed by which it is brought to rest by itself
  bool can_brake = true;     ///< it may be driven against its way
  bool is_reversed = false;  ///< its encoder counts backwards as it goes forwards
};

struct LoopWanted {
  enum : uint8_t {
    off = 1,     ///< the loop ends
    anew = 2,    ///< what was given way to before is forgotten
    yields = 4,  ///< what a limit keeps it from is not made up for: a speed
    eases = 8,   ///< where it stands on its count, or the next one, it is given `base` alone, and is pressed
                 ///< on until it does: a place
  };
  enum : uint8_t { lets_all = 128 };
  uint32_t tick = 0;
  uint32_t place = 0;
  int32_t speed = 0;
  int32_t change = 0;    ///< of it, each period
  uint16_t periods = 0;  ///< for so many
  int16_t base = 0;      ///< duty fed forward beside what the speed takes
  SpeedLoopGains gains{};
  uint8_t lets = lets_all;  ///< 1/128 of a duty that is let through
  uint8_t flags = off;
};

/// @tparam room  stretches that can be known ahead
template <uint8_t room>
class DutyLoop {
 public:
  explicit DutyLoop(const DutyLoopSetup& setup = DutyLoopSetup()) { set(setup); }
  /// Of one that is off.
  void set(const DutyLoopSetup& setup) {
    setup_ = setup;
    part_ = 0;
    while ((setup.period >> part_) > 2048) ++part_;
  }
  const DutyLoopSetup& setup() const { return setup_; }

  bool has_room(uint32_t tick) const { return kept(tick) < room; }
  /// Where there is room. What was put for then and later is dropped.
  COGSTRIDE_ONCE void put(const LoopWanted& wanted) {
    count_ = kept(wanted.tick);
    ahead_[count_++] = wanted;
    if (!is_on_) due_ = ahead_[0].tick;
  }
  void clear() {
    count_ = 0;
    is_on_ = false;
  }
  /// To rest by itself, and off there.
  void brake() {
    count_ = 0;
    if (!is_on_) return;
    now_.flags = static_cast<uint8_t>(now_.flags | LoopWanted::yields);
    const uint32_t size = static_cast<uint32_t>(now_.speed < 0 ? -now_.speed : now_.speed);
    const uint32_t by = setup_.brakes <= 0 ? size + 1 : static_cast<uint32_t>(setup_.brakes);
    const uint32_t periods = size / by;
    now_.periods = static_cast<uint16_t>(periods > 0xffff ? 0xffff : periods);
    now_.change = now_.speed < 0 ? static_cast<int32_t>(by) : -static_cast<int32_t>(by);
    brakes_ = true;
  }

  /// It holds something, or will.
  bool is_on() const { return is_on_ || count_ != 0; }
  bool is_due(uint32_t now) const { return is_on() && static_cast<int32_t>(due_ - now) <= 0; }
  uint32_t due() const { return due_; }

  /// Due. @param count  as it is told, and the tick at which it came @return duty, 1/32768 of full
  COGSTRIDE_ONCE int16_t step(uint16_t count, uint32_t counted_at, uint32_t now) {
    if (setup_.is_reversed) count = static_cast<uint16_t>(~count);
    while (count_ != 0 && static_cast<int32_t>(ahead_[0].tick - due_) <= 0) begin(count, now);
    if (!is_on_) return end();
    shaft_.look(count, counted_at, now, part_, setup_.period >> part_);
    duty_ = given(static_cast<int32_t>(now - due_));
    // What could not be done in time is left out, and the course goes on all the same.
    do {
      go_on();
      due_ += setup_.period;
    } while (static_cast<int32_t>(due_ - now) <= 0);
    if (brakes_ && now_.periods == 0) return end();
    return duty_;
  }
  int16_t duty() const { return duty_; }
  /// Counts by which it has given way, 1/256.
  int32_t yielded() const { return yielded_; }
  const CountedCourse& shaft() const { return shaft_; }

 private:
  uint8_t kept(uint32_t tick) const {
    uint8_t stays = 0;
    while (stays < count_ && static_cast<int32_t>(ahead_[stays].tick - tick) < 0) ++stays;
    return stays;
  }
  int16_t end() {
    is_on_ = brakes_ = false;
    duty_ = 0;
    return 0;
  }
  void begin(uint16_t count, uint32_t now) {
    if (!is_on_) {
      shaft_.begin(count, now);
      yielded_ = 0;
    }
    now_ = ahead_[0];
    --count_;
    for (uint8_t i = 1; i <= count_ && i < room; ++i) ahead_[i - 1] = ahead_[i];
    is_on_ = (now_.flags & LoopWanted::off) == 0;
    brakes_ = false;
    if ((now_.flags & LoopWanted::anew) != 0) yielded_ = 0;
    // It may have begun a little ago.
    for (uint32_t at = now_.tick; static_cast<int32_t>(due_ - at - setup_.period) >= 0; at += setup_.period)
      go_on();
  }
  void go_on() {
    if (now_.periods == 0) {
      now_.place += static_cast<uint32_t>(now_.speed);
      return;
    }
    --now_.periods;
    now_.place += static_cast<uint32_t>(now_.speed + now_.change / 2);
    now_.speed += now_.change;
    if (now_.periods == 0 && brakes_) now_.speed = 0;
  }
  int16_t clamped(int64_t duty) const {
    return static_cast<int16_t>(duty > setup_.most ? setup_.most : duty < -setup_.most ? -setup_.most : duty);
  }
  /// @param late  ticks since its period began
  int16_t given(int32_t late) {
    const int32_t speed = now_.speed >> 4;
    const int64_t emf = by_gain(setup_.for_emf, shaft_.speed());
    int16_t least = clamped(emf - setup_.span);
    int16_t most = clamped(emf + setup_.span);
    if (!setup_.can_brake && least > 0) least = 0;
    if (!setup_.can_brake && most < 0) most = 0;
    const int32_t meanwhile =
        late <= 0 || static_cast<uint32_t>(late) > setup_.period
            ? 0
            : (speed >> 4) * (late >> part_) / static_cast<int32_t>(setup_.period >> part_);
    const int32_t off = static_cast<int32_t>(now_.place - shaft_.place()) / 256 + meanwhile - yielded_;
    int32_t duty = 0;
    const bool is_to_stand = (now_.flags & LoopWanted::eases) != 0 && now_.speed == 0 && now_.periods == 0;
    const int16_t counts_off = static_cast<int16_t>(shaft_.count() - static_cast<uint16_t>(now_.place >> 16));
    const bool is_on_its_count = counts_off >= -1 && counts_off <= 1;
    constexpr uint8_t a_while = 15;  // periods
    // Closer, friction would make it hunt to and fro.
    if (is_to_stand && is_on_its_count && shaft_.quiet() >= a_while) {
      duty = now_.base > most ? most : now_.base < least ? least : now_.base;
    } else {
      const int32_t feed = now_.base + static_cast<int32_t>(by_gain(setup_.for_speed, speed));
      const SpeedLoopStep made = speed_loop_step(now_.gains, feed, speed - shaft_.speed(), off, least, most);
      if ((now_.flags & LoopWanted::yields) != 0) yielded_ += made.beyond;
      if (is_to_stand && !is_on_its_count && made.beyond == 0) yielded_ -= off / 32;
      duty = made.duty;
    }
    return static_cast<int16_t>(duty * now_.lets / LoopWanted::lets_all);
  }
  DutyLoopSetup setup_{};
  LoopWanted now_{};
  LoopWanted ahead_[room]{};
  CountedCourse shaft_{};
  uint32_t due_ = 0;
  int32_t yielded_ = 0;
  int16_t duty_ = 0;
  uint8_t count_ = 0;
  uint8_t part_ = 0;  // ticks of a grain: a power of two
  bool is_on_ = false;
  bool brakes_ = false;
};

}  // namespace chip
}  // namespace cogstride
