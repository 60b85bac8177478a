// Proves the compare channel of a port on its own chip: what StepAxis takes for granted, tried one thing
// after another.
//
//   Conformance<Channel> proof;
//   ISR(...) { proof.on_compare(); }
//   const uint8_t found = proof.run();           // 0: all is as it must be; else the number of a check below
//
// docs/chip.md says what each check is about. Nothing has to be wired up: a channel reads its own output.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

enum : uint8_t {
  channel_is_right = 0,
  timer_does_not_run = 1,
  compare_is_not_kept = 2,  ///< tick() gives back what at() was given
  acts_while_off = 3,       ///< no edge and no interrupt after off()
  pulse_while_silent = 4,   ///< makes_pulses(false): the match makes no edge
  no_interrupt = 5,         ///< one a match
  edge_too_early = 6,       ///< the match makes the edge on its tick
  edge_too_late = 7,
  pulse_does_not_end = 8,         ///< end_pulse() brings it low
  lock_does_not_hold = 9,         ///< no interrupt comes while a Lock lives
  edge_waits_for_interrupt = 10,  ///< the edge comes all the same
  interrupt_is_lost = 11,         ///< and the interrupt when the Lock is gone
  train_is_wrong = 12             ///< a hundred pulses, each set in the interrupt of the one before
};

/// @tparam Channel  as StepAxis wants it, with tick()
template <class Channel>
class Conformance {
 public:
  /// @param slack  ticks in which the program sees an edge that has come
  explicit Conformance(uint16_t slack = 200) : slack_(slack) {}

  /// The channel's interrupt.
  void on_compare() {
    interrupts_ = static_cast<uint8_t>(interrupts_ + 1);
    if (train_ == 0) return;
    Channel::end_pulse();
    train_ = static_cast<uint8_t>(train_ - 1);
    if (train_ != 0) Channel::at(static_cast<uint16_t>(Channel::tick() + train_gap));
  }

  /// Interrupts are on, and the channel has begun. @return channel_is_right, or what is not
  COGSTRIDE_ONCE uint8_t run() {
    const uint8_t found = look();
    Channel::off();
    return found;
  }

 private:
  static constexpr uint16_t train_gap = 2000;

  static uint16_t now() {
    typename Channel::Lock lock;
    return Channel::now();
  }
  void set(uint16_t ahead) {
    typename Channel::Lock lock;
    at_ = static_cast<uint16_t>(Channel::now() + ahead);
    Channel::at(at_);
  }
  /// Until so many ticks after the compare.
  void wait(uint16_t after) const {
    while (static_cast<int16_t>(now() - static_cast<uint16_t>(at_ + after)) < 0) {
    }
  }
  uint8_t taken() {
    typename Channel::Lock lock;
    const uint8_t taken = interrupts_;
    interrupts_ = 0;
    return taken;
  }

  uint8_t look() {
    Channel::off();
    const uint16_t first = now();
    uint16_t reads = 0;
    while (now() == first)
      if (++reads == 60000) return timer_does_not_run;

    set(12345);
    if (Channel::tick() != at_) return compare_is_not_kept;
    set(1000);
    wait(slack_);
    if (Channel::is_high() || taken() != 0) return acts_while_off;

    Channel::makes_pulses(false);
    set(1000);
    Channel::on();
    wait(static_cast<uint16_t>(8 * slack_));
    if (Channel::is_high()) return pulse_while_silent;
    if (taken() != 1) return no_interrupt;

    Channel::makes_pulses(true);
    set(2000);
    uint16_t seen;
    do {
      seen = now();
    } while (!Channel::is_high() && static_cast<int16_t>(seen - at_) < 8 * static_cast<int16_t>(slack_));
    // The level is read after the time: an edge in between belongs to the next reading.
    if (static_cast<int16_t>(now() - at_) < 0) return edge_too_early;
    if (static_cast<int16_t>(seen - at_) > static_cast<int16_t>(slack_)) return edge_too_late;
    if (taken() != 1) return no_interrupt;
    Channel::end_pulse();
    if (Channel::is_high()) return pulse_does_not_end;

    {
      typename Channel::Lock lock;
      set(1000);
      wait(slack_);
      if (interrupts_ != 0) return lock_does_not_hold;
      if (!Channel::is_high()) return edge_waits_for_interrupt;
    }
    wait(static_cast<uint16_t>(2 * slack_));
    if (taken() != 1) return interrupt_is_lost;
    Channel::end_pulse();

    train_ = 100;
    set(train_gap);
    const uint16_t begins = at_;
    uint16_t rounds = 0;
    while (train_ != 0)
      if (++rounds == 60000) return train_is_wrong;
    const uint16_t lasted = static_cast<uint16_t>(now() - begins);
    const uint16_t wanted = static_cast<uint16_t>(99UL * train_gap);
    // The last interrupt is over, too.
    if (static_cast<uint16_t>(lasted - wanted) > 2 * slack_ || taken() != 100 || Channel::is_high())
      return train_is_wrong;

    Channel::off();
    set(1000);
    wait(slack_);
    return Channel::is_high() || taken() != 0 ? acts_while_off : channel_is_right;
  }

  uint16_t slack_;
  uint16_t at_ = 0;
  volatile uint8_t interrupts_ = 0;
  volatile uint8_t train_ = 0;
};

}  // namespace chip
}  // namespace cogstride
