// The 8-bit AVR: a 16-bit timer that counts each cycle, its two compare outputs as STEP lines.
//
//   typedef Port::StepA<Port::Pin<'D', 4>> Traverse;      // STEP at the output of compare A, DIR at D4
//   chip::StepAxis<Traverse> traverse;
//   ISR(TIMER1_COMPA_vect) { traverse.on_compare(); }
//
// A page of docs/chip.md says what a port has to give; this one is the model.
#pragma once

#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/pgmspace.h>
#include <stdint.h>
#include <string.h>

#define COGSTRIDE_IN_FLASH PROGMEM

namespace cogstride {
namespace chip {
namespace avr8 {

/// A copy of what lies in flash: of a constant that is declared with COGSTRIDE_IN_FLASH.
template <class T>
T from_flash(const T& there) {
  T copy;
  memcpy_P(&copy, &there, sizeof copy);
  return copy;
}
struct ReadFlash {
  template <class T>
  T operator()(const T& there) const {
    return from_flash(there);
  }
};

/// Interrupts are off while it lives.
class Lock {
 public:
  Lock() : flags_(SREG) { cli(); }
  ~Lock() { SREG = flags_; }
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;

 private:
  const uint8_t flags_;
};

/// An output pin, or an input.
/// @tparam port  'B', 'C' or 'D'; @tparam bit  0 to 7
template <char port, uint8_t bit>
struct Pin {
  static constexpr uint8_t mask = 1 << bit;
  static void write(bool high) {
    if (high) {
      out() |= mask;
    } else {
      out() &= static_cast<uint8_t>(~mask);
    }
  }
  static bool read() { return (in() & mask) != 0; }
  static void output() { ddr() |= mask; }

  static volatile uint8_t& out() { return port == 'B' ? PORTB : port == 'C' ? PORTC : PORTD; }
  static volatile uint8_t& in() { return port == 'B' ? PINB : port == 'C' ? PINC : PIND; }
  static volatile uint8_t& ddr() { return port == 'B' ? DDRB : port == 'C' ? DDRC : DDRD; }
};

/// The timer of the steps: it runs freely, 65536 cycles round.
struct Timer {
  static void begin() {
    TCCR1A = 0;
    TCCR1B = 1 << CS10;
    TIMSK1 = 0;
  }
  /// Interrupts are off.
  static uint16_t now() { return TCNT1; }
};

/// A compare channel whose output is not used: for rows and frames, whose levels its interrupt writes.
template <bool a>
struct Compare {
  typedef avr8::Lock Lock;
  static uint16_t now() { return TCNT1; }
  static void at(uint16_t tick) {
    if (a) {
      OCR1A = tick;
    } else {
      OCR1B = tick;
    }
  }
  static uint16_t tick() { return a ? OCR1A : OCR1B; }
  static void on() {
    TIFR1 = a ? 1 << OCF1A : 1 << OCF1B;
    TIMSK1 |= a ? 1 << OCIE1A : 1 << OCIE1B;
  }
  static void off() { TIMSK1 &= static_cast<uint8_t>(~(a ? 1 << OCIE1A : 1 << OCIE1B)); }
};

/// A compare channel whose output is a STEP line, high for a pulse. A match turns the output over, which
/// makes the edge; forcing one turns it back, which ends the pulse.
/// @tparam a  channel A (pin B1), else B (pin B2)
template <bool a, class Direction>
struct Step : Compare<a> {
  static constexpr uint8_t turn = a ? 1 << COM1A0 : 1 << COM1B0;
  static constexpr uint8_t clear = a ? 1 << COM1A1 : 1 << COM1B1;
  static constexpr uint8_t force = a ? 1 << FOC1A : 1 << FOC1B;
  static constexpr uint8_t pin = a ? 1 << PB1 : 1 << PB2;

  /// Low: the rest levels, before all else.
  static void begin() {
    PORTB &= static_cast<uint8_t>(~pin);
    DDRB |= pin;
    Direction::write(false);
    Direction::output();
    TCCR1A = static_cast<uint8_t>((TCCR1A & ~turn) | clear);
    TCCR1C = force;
    off();
  }
  static void off() {
    makes_pulses(false);
    Compare<a>::off();
  }
  /// Whether a match turns the output over; it is low when this changes.
  static void makes_pulses(bool whether) {
    const uint8_t other = static_cast<uint8_t>(TCCR1A & ~(turn | clear));
    TCCR1A = whether ? static_cast<uint8_t>(other | turn) : other;
  }
  static void end_pulse() { TCCR1C = force; }
  static bool is_high() { return (PINB & pin) != 0; }
  /// At least 40 cycles after the edge, wherever it was.
  static void end_pulse_when_long_enough() {
    __builtin_avr_delay_cycles(40);
    end_pulse();
  }
  static void direction(bool backwards) { Direction::write(backwards); }
};

/// A duty at pin D5, 62.5 kHz of 256 counts, by the 8-bit timer 0; its overflow's interrupt takes the next
/// one. A conversion begins in each period at the count `sample_at`.
struct Duty {
  static void begin(uint8_t sample_at) {
    PORTD &= static_cast<uint8_t>(~(1 << PD5));
    DDRD |= 1 << PD5;
    OCR0A = sample_at;
    TCCR0A = (1 << WGM01) | (1 << WGM00);
    TCCR0B = 1 << CS00;
    TIMSK0 = 1 << TOIE0;
  }
  /// @param counts  0 to 255; 0 is none at all
  static void write(uint8_t counts) {
    if (counts == 0) {
      TCCR0A &= static_cast<uint8_t>(~(1 << COM0B1));
    } else {
      OCR0B = counts;
      TCCR0A |= 1 << COM0B1;
    }
  }
};

/// Conversions that the duty's timer begins: ADC_vect has each.
struct Converter {
  /// @param channel  0 to 7
  static void begin(uint8_t channel) {
    ADMUX = static_cast<uint8_t>((1 << REFS0) | channel);
    ADCSRB = (1 << ADTS1) | (1 << ADTS0);  // at timer 0's compare A
    ADCSRA = (1 << ADEN) | (1 << ADATE) | (1 << ADIE) | (1 << ADPS2) | (1 << ADPS1);
  }
  static uint16_t code() { return ADC; }
  /// Call in the interrupt: the next compare begins one again.
  static void rearm() { TIFR0 = 1 << OCF0A; }
};

/// A clock of milliseconds, on the 8-bit timer 2: its interrupt is TIMER2_COMPA_vect.
struct Clock {
  static void begin() {
    TCCR2A = 1 << WGM21;
    TCCR2B = 1 << CS22;  // 64 cycles a tick
    OCR2A = F_CPU / 64 / 1000 - 1;
    TIMSK2 = 1 << OCIE2A;
  }
  /// Call in the interrupt.
  static void tick() { ++ms(); }
  static uint16_t now() {
    Lock lock;
    return ms();
  }
  static volatile uint16_t& ms() {
    static volatile uint16_t counted = 0;
    return counted;
  }
};

template <class Direction>
using StepA = Step<true, Direction>;
template <class Direction>
using StepB = Step<false, Direction>;

}  // namespace avr8
}  // namespace chip
}  // namespace cogstride

/// The interrupt of a step axis: only what each step takes saves its registers, few as they are; the end of a
/// run is gone through by a function that saves its own.
#define COGSTRIDE_STEP_INTERRUPT(vector, axis)                                                \
  extern "C" void __vector_end_of_run_##axis() __attribute__((signal, used, noinline));       \
  extern "C" void __vector_end_of_run_##axis() {                                              \
    (axis).next_run();                                                                        \
  }                                                                                           \
  ISR(vector) {                                                                               \
    if (!(axis).step()) __asm__ __volatile__("call __vector_end_of_run_" #axis ::: "memory"); \
  }

/// The interrupt of an axis that follows an encoder. @param tracks  bit 0: A, bit 1: B, as they are now
#define COGSTRIDE_FOLLOW_INTERRUPT(vector, axis, tracks)                                              \
  extern "C" void __vector_rest_of_edge_##axis() __attribute__((signal, used, noinline));             \
  extern "C" void __vector_rest_of_edge_##axis() {                                                    \
    (axis).rest_of_edge();                                                                            \
  }                                                                                                   \
  ISR(vector) {                                                                                       \
    if (!(axis).edge(tracks)) __asm__ __volatile__("call __vector_rest_of_edge_" #axis ::: "memory"); \
  }
