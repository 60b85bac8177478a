// Voltages, counts and what loops do, that are told each so many ticks, or once: of the chip's end of a link.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "link_words.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

template <class Machine>
class LinkSamples {
 public:
  /// @param channel  or 0x80 and a counter's number, 0xa0 and an axis's, 0xc0 and a loop's; @param period
  /// ticks; 0: once, UINT32_MAX: no more
  void ask(uint8_t channel, uint32_t first, uint32_t period) {
    uint8_t place = room;
    for (uint8_t i = 0; i < room; ++i) {
      if (asked_[i].is_on && asked_[i].channel == channel) place = i;
      if (place == room && !asked_[i].is_on) place = i;
    }
    if (place == room) return;
    asked_[place] = Asked{first, period, channel, period != UINT32_MAX};
  }
  void clear() {
    for (uint8_t i = 0; i < room; ++i) asked_[i].is_on = false;
  }
  /// @param node  is told, where it has room for that: what else happens comes first
  template <class Node>
  COGSTRIDE_ONCE void serve(Node& node) {
    if (converts_ != 0 && Machine::has_code()) {
      const uint16_t code = Machine::code();
      Asked& asked = asked_[converts_ - 1];
      if (asked.is_on && asked.channel == converted_) {
        node.add(LinkReading::code, converted_, code_at_, code);
        go_on(asked, code_at_);
      }
      converts_ = 0;
    }
    for (uint8_t i = 0; i < room; ++i) {
      Asked& asked = asked_[i];
      const uint32_t now = Machine::now();
      if (!asked.is_on || static_cast<int32_t>(asked.next - now) > 0) continue;
      if (!node.has_time()) return;
      const uint8_t counter = asked.channel & 0x7f;
      if ((asked.channel & 0xc0) == 0xc0) {
        node.add(LinkReading::held, asked.channel & 0x3f, now,
                 static_cast<int32_t>(node.told_loop(asked.channel & 0x3f)));
        go_on(asked, now);
      } else if ((asked.channel & 0xe0) == 0xa0) {
        const uint8_t axis = asked.channel & 0x1f;
        if (axis < Machine::axes) node.add(LinkReading::place, axis, now, Machine::runs(axis).position());
        go_on(asked, now);
      } else if (counter != asked.channel) {
        if (counter < Machine::counters)
          node.add(LinkReading::count, counter, now, static_cast<int32_t>(Machine::told_count(counter, now)));
        go_on(asked, now);
      } else if (converts_ == 0) {
        converted_ = asked.channel;
        Machine::convert(converted_);
        code_at_ = now;
        converts_ = static_cast<uint8_t>(i + 1);
      }
    }
  }

 private:
  static constexpr uint8_t room = 4 + 2 * Machine::counters + Machine::loops;
  struct Asked {
    uint32_t next;
    uint32_t period;
    uint8_t channel;
    bool is_on;
  };

  /// What could not be taken in time is left out.
  static void go_on(Asked& asked, uint32_t now) {
    if (asked.period == 0) asked.is_on = false;
    while (asked.is_on && static_cast<int32_t>(asked.next - now) <= 0) asked.next += asked.period;
  }

  Asked asked_[room]{};
  uint32_t code_at_ = 0;
  uint8_t converts_ = 0;  // the place, and 1, of what is asked for whose channel is
  uint8_t converted_ = 0;
};

}  // namespace chip
}  // namespace cogstride
