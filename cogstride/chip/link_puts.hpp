// Levels and duties that are to come to lines, on their ticks: of the chip's end of a link.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

/// What is to come to a line.
template <bool has_duties>
struct LinkPut {
  LinkPut() : tick(0), line(0), on(no_duty) {}
  LinkPut(uint32_t at, uint8_t which, uint16_t value) : tick(at), line(which), on(value) {}
  static constexpr uint16_t no_duty = 0xffff;
  bool is_duty() const { return on != no_duty; }
  uint32_t tick;
  uint8_t line;  // 0x80: high
  uint16_t on;   // compare value
};
template <>
struct LinkPut<false> {
  LinkPut() : tick(0), line(0) {}
  LinkPut(uint32_t at, uint8_t which, uint16_t) : tick(at), line(which) {}
  static constexpr uint16_t on = 0;
  static constexpr uint16_t no_duty = 0;
  bool is_duty() const { return false; }
  uint32_t tick;
  uint8_t line;
};

template <class Machine>
class LinkPuts {
 public:
  typedef LinkPut<Machine::has_duties> Put;

  bool has_room(uint8_t count) const { return static_cast<uint8_t>(room - count_) >= count; }
  /// Where there is room.
  void add(const Put& put) { puts_[count_++] = put; }
  void clear() { count_ = 0; }
  /// What was to come to a line from a tick on does not.
  void keep(uint8_t line, uint32_t from) {
    for (uint8_t i = count_; i != 0; --i) {
      const Put& put = puts_[i - 1];
      if ((put.line & 0x7f) == line && static_cast<int32_t>(put.tick - from) >= 0)
        take_out(static_cast<uint8_t>(i - 1));
    }
  }
  /// What is due comes, in its order.
  COGSTRIDE_ONCE void serve() {
    while (count_ != 0) {
      uint8_t first = 0;
      for (uint8_t i = 1; i < count_; ++i)
        if (static_cast<int32_t>(puts_[i].tick - puts_[first].tick) < 0) first = i;
      const Put& put = puts_[first];
      if (static_cast<int32_t>(put.tick - Machine::now()) > 0) return;
      if (put.is_duty())
        Machine::put_duty(put.line, put.on);
      else
        Machine::put(put.line & 0x7f, (put.line & 0x80) != 0);
      take_out(first);
    }
  }

 private:
  static constexpr uint8_t room = Machine::has_duties ? 24 : 12;

  void take_out(uint8_t place) {
    --count_;
    for (uint8_t i = place; i < count_; ++i) puts_[i] = puts_[i + 1];
  }

  Put puts_[room];
  uint8_t count_ = 0;
};

}  // namespace chip
}  // namespace cogstride
