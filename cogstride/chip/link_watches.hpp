// Inputs at which a chip puts all at rest by itself: of its end of a link.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "link_words.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// Times in ms.
struct LinkWatch {
  uint8_t line;
  uint8_t axis;  // that has to move
  bool when_high;
  bool is_there;   // it acts, as it was looked at last,
  uint16_t since;  // since then
  bool has_acted;  // and has to go first
  bool is_off;
  bool is_due;
  uint16_t due_at;
  uint16_t steady;
  uint16_t released;
  uint16_t waits;
  volatile bool met;  // an edge to where it acts has come
};

template <class Machine>
class LinkWatches {
 public:
  typedef typename Machine::Lock Lock;

  /// More than there is room for are not looked at.
  void add(const LinkWatch& watch) {
    if (count_ == room) return;
    Lock lock;
    all_[count_] = watch;
    count_ = static_cast<uint8_t>(count_ + 1);
  }
  /// Interrupts are off.
  void clear() { count_ = 0; }
  /// An input has changed: in its interrupt.
  void edge(uint8_t line, bool high) {
    for (uint8_t i = 0; i < count_; ++i)
      if (all_[i].line == line && all_[i].when_high == high) all_[i].met = true;
  }
  /// Somebody else acts on what waits for that.
  void answered() {
    for (uint8_t i = 0; i < count_; ++i)
      if (all_[i].waits != 0) all_[i].is_due = false;
  }
  void switch_off(uint8_t axis, bool is_off) {
    for (uint8_t i = 0; i < count_; ++i)
      if (all_[i].axis == axis) {
        all_[i].is_off = is_off;
        if (is_off) all_[i].is_due = false;
      }
  }

  /// A contact that bounces acts once: until it has been back for long enough it is the same press.
  /// @param axes  whose is_on says whether they move @return LinkState: why all has to rest; well: it has not
  template <class Axis>
  COGSTRIDE_ONCE uint8_t look(const Axis* axes) {
    const uint16_t now = Machine::ms();
    uint8_t why = LinkState::well;
    for (uint8_t i = 0; i < count_; ++i) {
      LinkWatch& each = all_[i];
      const bool is_there = Machine::read(each.line) == each.when_high || each.met;
      each.met = false;
      if (is_there != each.is_there) {
        each.is_there = is_there;
        each.since = now;
      }
      const uint16_t for_ms = static_cast<uint16_t>(now - each.since);
      if (!is_there && each.has_acted && for_ms >= each.released) each.has_acted = false;
      if (is_there && !each.has_acted && for_ms >= each.steady) {
        each.has_acted = true;
        each.is_due = !each.is_off && (each.axis >= Machine::axes || axes[each.axis].is_on);
        each.due_at = static_cast<uint16_t>(now + each.waits);
      }
      if (!each.is_due || static_cast<int16_t>(now - each.due_at) < 0) continue;
      each.is_due = false;
      why = static_cast<uint8_t>(why | (each.waits == 0 ? LinkState::acted : LinkState::unanswered));
    }
    return why;
  }

 private:
  static constexpr uint8_t room = 4;

  LinkWatch all_[room];
  volatile uint8_t count_ = 0;
};

}  // namespace chip
}  // namespace cogstride
