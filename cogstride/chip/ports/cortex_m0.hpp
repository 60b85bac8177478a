// The Cortex-M0+: what its core has, and a 16-bit timer of whoever made the chip.
//
//   typedef cortex_m0::Step<Timer, 0, cortex_m0::Pin<Port, 4>> Traverse;      // Timer, Port: see below
//   chip::StepAxis<Traverse> traverse;
//   extern "C" void timer_handler() { cortex_m0::step_interrupt<Traverse>(traverse); }
//
// Timers are no part of the core: each maker has other registers. What is wanted of one is a struct of static
// functions, a line or two of registers each:
//
//   count()                     its count, 16 bits, which runs freely
//   compare(channel)            the value of a compare, and
//   compare(channel, value)     sets it
//   interrupt(channel, on)      whether a match brings an interrupt; a match that was is forgotten
//   forget(channel)             the match that the interrupt came for
//   rises(channel, whether)     whether a match takes the output high; it is low from now on
//   is_high(channel)            the output's level
//
// docs/chip.md says what a port has to give. C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "../tick.hpp"

#define COGSTRIDE_IN_FLASH
/// For code that is quick where the rest of a program is small (-Os).
#define COGSTRIDE_QUICK __attribute__((optimize("O2")))

namespace cogstride {
namespace chip {
namespace cortex_m0 {

/// Flash and RAM are one memory.
struct ReadFlash {
  template <class T>
  const T& operator()(const T& there) const {
    return there;
  }
};

/// Interrupts are off while it lives.
class Lock {
 public:
  Lock() { __asm__ __volatile__("mrs %0, primask\n\tcpsid i" : "=r"(masked_) : : "memory"); }
  ~Lock() { __asm__ __volatile__("msr primask, %0" : : "r"(masked_) : "memory"); }
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;

 private:
  uint32_t masked_;
};

/// A register, by its address.
inline volatile uint32_t& word(uint32_t address) {
  return *reinterpret_cast<volatile uint32_t*>(static_cast<uintptr_t>(address));
}

/// An output, or an input, of a port with a register that sets bits and one that clears them.
/// @tparam Port  has, static: set(bits), clear(bits), read(), output(bits)
template <class Port, uint8_t bit>
struct Pin {
  static constexpr uint32_t mask = 1UL << bit;
  COGSTRIDE_IN_INTERRUPT static void write(bool high) {
    if (high) {
      Port::set(mask);
    } else {
      Port::clear(mask);
    }
  }
  COGSTRIDE_IN_INTERRUPT static bool read() { return (Port::read() & mask) != 0; }
  static void output() { Port::output(mask); }
};

/// A compare channel whose output is not used: for rows and frames, whose levels its interrupt writes.
template <class Timer, uint8_t channel>
struct Compare {
  typedef cortex_m0::Lock Lock;
  COGSTRIDE_IN_INTERRUPT static uint16_t now() { return Timer::count(); }
  COGSTRIDE_IN_INTERRUPT static void at(uint16_t tick) { Timer::compare(channel, tick); }
  COGSTRIDE_IN_INTERRUPT static uint16_t tick() { return Timer::compare(channel); }
  static void on() { Timer::interrupt(channel, true); }
  static void off() { Timer::interrupt(channel, false); }
  COGSTRIDE_IN_INTERRUPT static void forget() { Timer::forget(channel); }
};

/// A compare channel whose output is a STEP line, high for a pulse.
/// @tparam Direction  has, static: write(backwards), output()
/// @tparam pulse  ticks that one lasts at the least
template <class Timer, uint8_t channel, class Direction, uint16_t pulse = 120>
struct Step : Compare<Timer, channel> {
  /// The rest levels, before all else: low, and DIR backwards.
  static void begin() {
    off();
    Direction::write(true);
    Direction::output();
  }
  static void off() {
    makes_pulses(false);
    Timer::interrupt(channel, false);
  }
  COGSTRIDE_IN_INTERRUPT static void makes_pulses(bool whether) {
    rises_ = whether;
    Timer::rises(channel, whether);
  }
  COGSTRIDE_IN_INTERRUPT static void end_pulse() { Timer::rises(channel, rises_); }
  COGSTRIDE_IN_INTERRUPT static bool is_high() { return Timer::is_high(channel); }
  COGSTRIDE_IN_INTERRUPT static void end_pulse_when_long_enough() {
    const uint16_t from = Timer::count();
    while (static_cast<uint16_t>(Timer::count() - from) < pulse) {
    }
    end_pulse();
  }
  COGSTRIDE_IN_INTERRUPT static void direction(bool backwards) { Direction::write(backwards); }

 private:
  static volatile bool rises_;
};
template <class Timer, uint8_t channel, class Direction, uint16_t pulse>
volatile bool Step<Timer, channel, Direction, pulse>::rises_ = false;

/// What the channel's interrupt does. The core saves registers by itself: there is nothing to be gained by
/// parts.
template <class Channel, class Axis>
COGSTRIDE_IN_INTERRUPT void step_interrupt(Axis& axis) {
  Channel::forget();
  if (!axis.step() && !axis.next_run()) axis.next_part();
}

/// A clock of milliseconds, by the core's own timer: its interrupt is the 15th exception.
struct Clock {
  /// @param ticks_per_ms  of the core
  static void begin(uint32_t ticks_per_ms) {
    word(0xe000e014) = ticks_per_ms - 1;
    word(0xe000e018) = 0;
    word(0xe000e010) = 7;
  }
  /// Call in the interrupt.
  static void tick() { ++ms(); }
  static uint16_t now() { return ms(); }
  static volatile uint16_t& ms() {
    static volatile uint16_t counted = 0;
    return counted;
  }
};

}  // namespace cortex_m0
}  // namespace chip
}  // namespace cogstride
