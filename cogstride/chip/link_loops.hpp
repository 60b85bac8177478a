// Loops that the chip closes for a computer, from the count of an encoder to duties: of the chip's end of a
// link. The computer says what is wanted, ahead of time; what is late on the way there does not matter to
// them.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "duty_loop.hpp"
#include "link_frame.hpp"
#include "link_words.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam count  of its loops
template <class Machine, uint8_t count = Machine::loops>
class LinkLoops {
 public:
  /// How the loop is made that an order names; of one that is off.
  COGSTRIDE_ONCE void set(FrameFields& frame) {
    const uint8_t which = frame.byte();
    const uint8_t counter = frame.byte();
    if (which >= count || counter >= Machine::counters || loops_[which].loop.is_on()) return;
    // In its place: there is no stack for another one.
    Loop& made = loops_[which];
    DutyLoopSetup setup;
    setup.period = frame.word();
    setup.for_speed = static_cast<int32_t>(frame.word());
    setup.for_emf = static_cast<int32_t>(frame.word());
    setup.span = static_cast<int16_t>(frame.half());
    setup.most = static_cast<int16_t>(frame.half());
    setup.brakes = static_cast<int32_t>(frame.word());
    const uint8_t flags = frame.byte();
    setup.can_brake = (flags & LoopFlags::can_brake) != 0;
    setup.is_reversed = (flags & LoopFlags::is_reversed) != 0;
    made.counter = counter;
    made.outputs = 0;
    while (frame.left() != 0 && made.outputs < most_outputs) {
      Output& output = made.output[made.outputs];
      output.line = frame.byte();
      output.gives = frame.byte();
      output.counts = frame.half();
      ++made.outputs;
    }
    made.is_set = !frame.is_short() && setup.period >= 2048;
    if (made.is_set) made.loop.set(setup);
  }
  /// @return false: no room for it, it has to come again
  COGSTRIDE_ONCE bool hold(FrameFields& frame) {
    const uint8_t which = frame.byte();
    LoopWanted wanted;
    wanted.flags = frame.byte();
    wanted.tick = frame.word();
    wanted.place = frame.word();
    wanted.speed = static_cast<int32_t>(frame.word());
    wanted.change = static_cast<int32_t>(frame.word());
    wanted.periods = frame.half();
    wanted.base = static_cast<int16_t>(frame.half());
    wanted.gains.per_speed = static_cast<int32_t>(frame.word());
    wanted.gains.per_place = static_cast<int32_t>(frame.word());
    wanted.lets = frame.byte();
    if (frame.is_short() || which >= count || !loops_[which].is_set) return true;
    if (wanted.gains.per_place <= 0 && (wanted.flags & LoopWanted::off) == 0) return true;
    if (!loops_[which].loop.has_room(wanted.tick)) return false;
    loops_[which].loop.put(wanted);
    return true;
  }
  COGSTRIDE_ONCE void serve() {
    for (uint8_t i = 0; i < count; ++i) {
      Loop& loop = loops_[i];
      const uint32_t now = Machine::now();
      if (!loop.is_set || !loop.loop.is_due(now)) continue;
      const uint32_t told = Machine::told_count(loop.counter, now);
      give(loop, loop.loop.step(static_cast<uint16_t>(told), now - (told >> 16) * 16, now));
    }
  }
  /// Its duty and what it gave way to, 1/16 count, low half.
  uint32_t told(uint8_t which) const {
    if (which >= count) return 0;
    const DutyLoop<loop_room>& loop = loops_[which].loop;
    return (static_cast<uint32_t>(static_cast<uint16_t>(loop.duty())) << 16) |
           static_cast<uint16_t>(loop.yielded() >> 4);
  }
  void brake() {
    for (uint8_t i = 0; i < count; ++i) loops_[i].loop.brake();
  }
  bool is_on() const {
    for (uint8_t i = 0; i < count; ++i)
      if (loops_[i].loop.is_on()) return true;
    return false;
  }
  void clear() {
    for (uint8_t i = 0; i < count; ++i) loops_[i].loop.clear();
  }
  /// Another computer, or another run of it.
  void forget() {
    clear();
    for (uint8_t i = 0; i < count; ++i) loops_[i].is_set = false;
  }

 private:
  static constexpr uint8_t most_outputs = 5;
  struct Output {
    uint8_t line = 0;
    uint8_t gives = 0;
    uint16_t counts = 0;  // of its timer's period; 0: a level
  };
  struct Loop {
    DutyLoop<loop_room> loop{};
    Output output[most_outputs]{};
    uint8_t outputs = 0;
    uint8_t counter = 0;
    bool is_set = false;
  };

  /// What is less than a timer can make is none.
  static COGSTRIDE_ONCE void give(const Loop& loop, int16_t duty) {
    const uint16_t size = static_cast<uint16_t>(duty < 0 ? -duty : duty);
    bool is_none = size == 0;
    for (uint8_t i = 0; i < loop.outputs; ++i) {
      const uint32_t counts = loop.output[i].counts;
      if (counts != 0 && size * counts < 32768) is_none = true;
    }
    const uint8_t at = is_none    ? LoopGives::none_at
                       : duty > 0 ? LoopGives::forwards_at
                                  : LoopGives::backwards_at;
    for (uint8_t i = 0; i < loop.outputs; ++i) {
      const Output& output = loop.output[i];
      const uint8_t gives = (output.gives >> at) & 3;
      if (output.counts == 0) {
        Machine::put(output.line, gives == LoopGives::high);
        continue;
      }
      const uint32_t share = (static_cast<uint32_t>(size) * output.counts + 16384) >> 15;
      Machine::put_duty(output.line, gives == LoopGives::low    ? 0
                                     : gives == LoopGives::high ? output.counts
                                                                : static_cast<uint16_t>(share));
    }
  }

  Loop loops_[count];
};

/// A chip that closes none.
template <class Machine>
class LinkLoops<Machine, 0> {
 public:
  void set(FrameFields&) {}
  bool hold(FrameFields&) { return true; }
  void serve() {}
  uint32_t told(uint8_t) const { return 0; }
  void brake() {}
  bool is_on() const { return false; }
  void clear() {}
  void forget() {}
};

}  // namespace chip
}  // namespace cogstride
