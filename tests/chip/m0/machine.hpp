// The machine that is emulated: its timer as cortex_m0.hpp wants one, words to the host, how a program
// begins.
//
// Its timer has no output. A second compare with the same value stands for one: its event comes at the match
// whatever the program does just then, and stays until it is cleared, as a pin would that a match takes high.
#pragma once

#include <stddef.h>
#include <stdint.h>

#include "cogstride/chip/ports/cortex_m0.hpp"

namespace machine {

using cogstride::chip::cortex_m0::word;

struct Timer {
  static constexpr uint32_t base = 0x40008000;
  static constexpr int output = 1;   // compare that stands for channel 0's output
  static constexpr int capture = 3;  // that takes the count
  static volatile uint32_t& event(int compare) { return word(base + 0x140 + 4 * compare); }
  static volatile uint32_t& value(int compare) { return word(base + 0x540 + 4 * compare); }

  static void begin() {
    word(base + 0x504) = 0;  // counts its clock
    word(base + 0x508) = 0;  // 16 bits
    word(base + 0x510) = 0;  // undivided: 16 MHz
    word(base) = 1;
    word(0xe000e100) = 1UL << 8;  // its interrupt
  }
  static uint16_t count() {
    word(base + 0x40 + 4 * capture) = 1;
    return static_cast<uint16_t>(value(capture));
  }
  static uint16_t compare(uint8_t channel) { return static_cast<uint16_t>(value(channel)); }
  static void compare(uint8_t channel, uint16_t tick) {
    value(channel) = tick;
    value(output) = tick;
  }
  static void interrupt(uint8_t channel, bool on) {
    event(channel) = 0;
    word(base + (on ? 0x304 : 0x308)) = 0x10000UL << channel;
  }
  static void forget(uint8_t channel) { event(channel) = 0; }
  static void rises(uint8_t, bool whether) {
    event(output) = 0;
    rising() = whether;
  }
  static bool is_high(uint8_t) { return rising() && event(output) != 0; }
  static volatile bool& rising() {
    static volatile bool does = false;
    return does;
  }
};

/// Its DIR line.
struct Direction {
  static void write(bool backwards) { level() = backwards; }
  static void output() {}
  static volatile bool& level() {
    static volatile bool backwards = true;
    return backwards;
  }
};

/// What a debugger's line would take: 4 writes text, 0x18 ends.
inline int32_t host(uint32_t what, const void* with) {
  register uint32_t r0 __asm__("r0") = what;
  register const void* r1 __asm__("r1") = with;
  __asm__ __volatile__("bkpt 0xab" : "+r"(r0) : "r"(r1) : "memory");
  return static_cast<int32_t>(r0);
}
inline void say(const char* text) {
  host(4, text);
}
inline void say(int32_t number) {
  char text[13];
  char* at = text + sizeof text - 1;
  *at = 0;
  *--at = ' ';
  uint32_t left = number < 0 ? 0U - static_cast<uint32_t>(number) : static_cast<uint32_t>(number);
  do {
    *--at = static_cast<char>('0' + left % 10);
    left /= 10;
  } while (left != 0);
  if (number < 0) *--at = '-';
  say(at);
}
[[noreturn]] inline void end() {
  host(0x18, reinterpret_cast<const void*>(0x20026));
  for (;;) {
  }
}

}  // namespace machine

void run();
extern "C" {
void timer_handler();
extern uint32_t stack_top[], data_begin[], data_end[], data_stored[], bss_begin[], bss_end[];
extern void (*inits_begin[])();
extern void (*inits_end[])();
void reset_handler();
void fault_handler();
/// What a compiler takes for granted.
__attribute__((used, optimize("no-tree-loop-distribute-patterns"))) void* memset(void* at, int value,
                                                                                 size_t size) {
  for (size_t i = 0; i < size; ++i) static_cast<uint8_t*>(at)[i] = static_cast<uint8_t>(value);
  return at;
}
}

void reset_handler() {
  const volatile uint32_t* from = data_stored;
  for (volatile uint32_t* to = data_begin; to < data_end; ++to) *to = *from++;
  for (volatile uint32_t* to = bss_begin; to < bss_end; ++to) *to = 0;
  for (void (**init)() = inits_begin; init < inits_end; ++init) (*init)();
  run();
  machine::end();
}
void fault_handler() {
  machine::say("fault\n");
  machine::end();
}

typedef void (*Handler)();
/// What the core begins with, and where it goes when something happens.
struct Vectors {
  uint32_t* stack;
  Handler reset, unmasked, fault;
  Handler none[7];
  Handler call;
  Handler none_either[2];
  Handler pending, tick;
  Handler others[8];
  Handler timer;
};
__attribute__((section(".vectors"), used)) const Vectors vectors = {stack_top,
                                                                    reset_handler,
                                                                    fault_handler,
                                                                    fault_handler,
                                                                    {},
                                                                    fault_handler,
                                                                    {},
                                                                    fault_handler,
                                                                    fault_handler,
                                                                    {},
                                                                    timer_handler};
