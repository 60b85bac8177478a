// The 8-bit AVR: a 16-bit timer that counts each cycle, its two compare outputs as STEP lines.
//
//   typedef Port::StepA<Port::Pin<'D', 4>> Traverse;      // STEP at the output of compare A, DIR at D4
//   chip::StepAxis<Traverse> traverse;
//   COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, traverse)
//
// A page of docs/chip.md says what a port has to give; this one is the model.
#pragma once

#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/pgmspace.h>
#include <stdint.h>
#include <string.h>

#include "../run_ring.hpp"
#include "../tick.hpp"

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
  COGSTRIDE_IN_INTERRUPT static void write(bool high) {
    if (high) {
      out() |= mask;
    } else {
      out() &= static_cast<uint8_t>(~mask);
    }
  }
  COGSTRIDE_IN_INTERRUPT static bool read() { return (in() & mask) != 0; }
  static void output() { ddr() |= mask; }

  COGSTRIDE_IN_INTERRUPT static volatile uint8_t& out() {
    return port == 'B' ? PORTB : port == 'C' ? PORTC : PORTD;
  }
  COGSTRIDE_IN_INTERRUPT static volatile uint8_t& in() {
    return port == 'B' ? PINB : port == 'C' ? PINC : PIND;
  }
  static volatile uint8_t& ddr() { return port == 'B' ? DDRB : port == 'C' ? DDRC : DDRD; }
};

/// A pin whose level is the other one: on is low.
template <class Wire>
struct Not {
  COGSTRIDE_IN_INTERRUPT static void write(bool on) { Wire::write(!on); }
  COGSTRIDE_IN_INTERRUPT static bool read() { return !Wire::read(); }
  static void output() { Wire::output(); }
};

/// An input, of a contact that needs the chip's own pull-up or has another.
template <class Wire>
struct PulledUp : Wire {
  static void begin() { Wire::write(true); }
};

/// Changes of inputs bring an interrupt: PCINT0_vect of port B, PCINT1_vect of C, PCINT2_vect of D.
/// @tparam bits  of the port
template <char port, uint8_t bits>
struct Changes {
  static void begin() {
    if (port == 'B') PCMSK0 |= bits;
    if (port == 'C') PCMSK1 |= bits;
    if (port == 'D') PCMSK2 |= bits;
    PCICR |= port == 'B' ? 1 << PCIE0 : port == 'C' ? 1 << PCIE1 : 1 << PCIE2;
  }
};

/// A serial line out, at pin D1.
/// @tparam per_bit  eighths of a bit's cycles: F_CPU / 8 / bits a second, rounded
template <uint16_t per_bit>
struct Serial {
  static void begin() {
    UCSR0A = 1 << U2X0;
    UBRR0 = per_bit - 1;
    UCSR0B = 1 << TXEN0;
    UCSR0C = (1 << UCSZ01) | (1 << UCSZ00);
  }
  static bool is_ready() { return (UCSR0A & (1 << UDRE0)) != 0; }
  static void send(uint8_t letter) { UDR0 = letter; }
};

/// A serial line both ways, at pins D0 and D1, by two interrupts: what comes and what goes waits in rings.
/// @tparam per_bit  as of Serial @tparam came_room, goes_room  bytes that wait each way, powers of two
template <uint16_t per_bit, uint8_t came_room, uint8_t goes_room>
struct SerialRings {
  static void begin() {
    UCSR0A = 1 << U2X0;
    UBRR0 = per_bit - 1;
    UCSR0B = (1 << RXEN0) | (1 << TXEN0) | (1 << RXCIE0);
    UCSR0C = (1 << UCSZ01) | (1 << UCSZ00);
  }
  static bool has_byte() { return !in().is_empty(); }
  static uint8_t byte() {
    const uint8_t oldest = in().front();
    in().pop();
    return oldest;
  }
  /// So many can be sent now.
  static uint8_t send_room() { return out().free(); }
  static void send(uint8_t byte) {
    out().put(byte);
    UCSR0B |= 1 << UDRIE0;
  }
  /// Call in USART_RX_vect. One that comes while its ring is full is lost.
  COGSTRIDE_IN_INTERRUPT static void came() {
    const uint8_t byte = UDR0;
    in().put(byte);
  }
  /// Call in USART_UDRE_vect.
  COGSTRIDE_IN_INTERRUPT static void goes() {
    UDR0 = out().front();
    out().pop();
    if (out().is_empty()) UCSR0B &= static_cast<uint8_t>(~(1 << UDRIE0));
  }

 private:
  COGSTRIDE_IN_INTERRUPT static RunRing<uint8_t, came_room>& in() {
    static RunRing<uint8_t, came_room> ring;
    return ring;
  }
  COGSTRIDE_IN_INTERRUPT static RunRing<uint8_t, goes_room>& out() {
    static RunRing<uint8_t, goes_room> ring;
    return ring;
  }
};

/// The timer of the steps: it runs freely, 65536 cycles round.
struct Timer {
  static void begin() {
    TCCR1A = 0;
    TCCR1B = 1 << CS10;
    TIMSK1 = 0;
  }
  /// Interrupts are off.
  COGSTRIDE_IN_INTERRUPT static uint16_t now() { return TCNT1; }
};

/// Its ticks since it began, 32 bits of them: TIMER1_OVF_vect counts its turns.
struct LongTime {
  static void begin() { TIMSK1 |= 1 << TOIE1; }
  /// Call in the interrupt.
  COGSTRIDE_IN_INTERRUPT static void turned() { ++turns(); }
  COGSTRIDE_ONCE static uint32_t now() {
    Lock lock;
    const uint16_t ticks = TCNT1;
    uint16_t high = turns();
    if ((TIFR1 & (1 << TOV1)) != 0 && ticks < 0x8000) ++high;
    return (static_cast<uint32_t>(high) << 16) | ticks;
  }

 private:
  COGSTRIDE_IN_INTERRUPT static volatile uint16_t& turns() {
    static volatile uint16_t counted = 0;
    return counted;
  }
};

/// A compare channel whose output is not used: for rows and frames, whose levels its interrupt writes.
template <bool a>
struct Compare {
  typedef avr8::Lock Lock;
  COGSTRIDE_IN_INTERRUPT static uint16_t now() { return TCNT1; }
  COGSTRIDE_IN_INTERRUPT static void at(uint16_t tick) {
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

  /// Of COGSTRIDE_CATCH_UP; interrupts are off. @param interrupt  calls the compare's own
  template <class Interrupt>
  COGSTRIDE_IN_INTERRUPT static void catch_up(Interrupt interrupt) {
    constexpr uint8_t flag = a ? 1 << OCF1A : 1 << OCF1B;
    constexpr uint8_t is_on = a ? 1 << OCIE1A : 1 << OCIE1B;
    uint16_t due = tick();  // by its axis, however late it is
    while ((TIFR1 & TIMSK1 & flag) != 0) {
      TIFR1 = flag;
      interrupt();
      if ((TIMSK1 & is_on) == 0) return;
      const uint16_t gap = static_cast<uint16_t>(tick() - due);
      if (static_cast<uint16_t>(now() - due) < gap) return;
      due = static_cast<uint16_t>(due + gap);
      at(static_cast<uint16_t>(now() + 16));
      while ((TIFR1 & flag) == 0) {
      }
    }
  }
};
static_assert(OCIE1A == OCF1A && OCIE1B == OCF1B, "a compare's two bits have one place");

/// A compare channel whose output is a STEP line, high for a pulse. A match turns the output over, which
/// makes the edge; forcing one turns it back, which ends the pulse.
/// @tparam a  channel A (pin B1), else B (pin B2)
template <bool a, class Direction>
struct Step : Compare<a> {
  static constexpr uint8_t turn = a ? 1 << COM1A0 : 1 << COM1B0;
  static constexpr uint8_t clear = a ? 1 << COM1A1 : 1 << COM1B1;
  static constexpr uint8_t force = a ? 1 << FOC1A : 1 << FOC1B;
  static constexpr uint8_t pin = a ? 1 << PB1 : 1 << PB2;

  /// The rest levels, before all else: low, and DIR backwards.
  static void begin() {
    PORTB &= static_cast<uint8_t>(~pin);
    DDRB |= pin;
    Direction::write(true);
    Direction::output();
    TCCR1A = static_cast<uint8_t>((TCCR1A & ~turn) | clear);
    TCCR1C = force;
    off();
  }
  COGSTRIDE_IN_INTERRUPT static void off() {
    makes_pulses(false);
    Compare<a>::off();
  }
  /// Whether a match turns the output over; it is low when this changes.
  COGSTRIDE_IN_INTERRUPT static void makes_pulses(bool whether) {
    const uint8_t other = static_cast<uint8_t>(TCCR1A & ~(turn | clear));
    TCCR1A = whether ? static_cast<uint8_t>(other | turn) : other;
  }
  COGSTRIDE_IN_INTERRUPT static void end_pulse() { TCCR1C = force; }
  COGSTRIDE_IN_INTERRUPT static bool is_high() { return (PINB & pin) != 0; }
  /// At least 40 cycles after the edge, wherever it was.
  COGSTRIDE_IN_INTERRUPT static void end_pulse_when_long_enough() {
    __builtin_avr_delay_cycles(40);
    end_pulse();
  }
  COGSTRIDE_IN_INTERRUPT static void direction(bool backwards) { Direction::write(backwards); }
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

/// What the 8-bit timer 0 makes at its outputs D6 and D5: periods of `counts`, each of `prescaler` cycles.
/// With fewer than 256 counts it has the second one alone.
template <uint16_t prescaler, uint16_t counts>
struct Periods {
  static void begin() {
    if (counts < 256) OCR0A = static_cast<uint8_t>(counts - 1);
    TCCR0A = static_cast<uint8_t>((TCCR0A & 0xf0) | (1 << WGM01) | (1 << WGM00));
    TCCR0B = static_cast<uint8_t>((counts < 256 ? 1 << WGM02 : 0) | select);
  }
  static constexpr uint8_t select = prescaler == 1     ? 1 << CS00
                                    : prescaler == 8   ? 1 << CS01
                                    : prescaler == 64  ? (1 << CS01) | (1 << CS00)
                                    : prescaler == 256 ? 1 << CS02
                                                       : (1 << CS02) | (1 << CS00);
};
/// The duty of one of the two. @tparam rests_high  it is low for the duty, and high in the rest of a period
template <bool first, bool rests_high, uint16_t counts>
struct OutputDuty {
  static constexpr uint8_t bits = first ? (1 << COM0A1) | (1 << COM0A0) : (1 << COM0B1) | (1 << COM0B0);
  static constexpr uint8_t makes = first
                                       ? static_cast<uint8_t>((1 << COM0A1) | (rests_high ? 1 << COM0A0 : 0))
                                       : static_cast<uint8_t>((1 << COM0B1) | (rests_high ? 1 << COM0B0 : 0));
  typedef Pin<'D', first ? 6 : 5> Wire;

  /// @param on  counts of a period, 0 to all of it
  static void write(uint16_t on) {
    if (on == 0 || on >= counts) {
      // None at all, or all of it: the timer would leave a gap of a count.
      Wire::write((on == 0) == rests_high);
      TCCR0A = static_cast<uint8_t>(TCCR0A & ~bits);
      return;
    }
    const uint8_t last = static_cast<uint8_t>(on - 1);
    if (first) {
      OCR0A = last;
    } else {
      OCR0B = last;
    }
    TCCR0A = static_cast<uint8_t>((TCCR0A & ~bits) | makes);
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

/// A voltage now and then: one conversion at a time, of 10 bits, asked for by the main program.
struct Analogue {
  static void begin() {
    ADCSRB = 0;
    ADCSRA = (1 << ADEN) | (1 << ADPS2) | (1 << ADPS1) | (1 << ADPS0);
  }
  /// @param channel  0 to 7
  static void ask(uint8_t channel) {
    ADMUX = static_cast<uint8_t>((1 << REFS0) | channel);
    ADCSRA |= 1 << ADSC;
  }
  static bool is_ready() { return (ADCSRA & (1 << ADSC)) == 0; }
  static uint16_t code() { return ADC; }
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

/// For code that is quick where the rest of a program is small (-Os).
#define COGSTRIDE_QUICK __attribute__((optimize("O2")))

/// The interrupt of a step axis: only what each step takes saves its registers, few as they are; the end of a
/// run, and the parts of slow ones, are gone through by functions that save their own.
#define COGSTRIDE_STEP_INTERRUPT(vector, axis)                                                        \
  extern "C" void __vector_part_of_##vector() __attribute__((signal, used, noinline));                \
  extern "C" void __vector_part_of_##vector() {                                                       \
    (axis).begin_part();                                                                              \
    cogstride::chip::NarrowPulseRun part;                                                             \
    sei();                                                                                            \
    (axis).slow_part(part);                                                                           \
    cli();                                                                                            \
    (axis).take_part(part);                                                                           \
  }                                                                                                   \
  extern "C" void __vector_end_of_##vector() __attribute__((signal, used, noinline)) COGSTRIDE_QUICK; \
  extern "C" void __vector_end_of_##vector() {                                                        \
    if (!(axis).next_run()) __asm__ __volatile__("call __vector_part_of_" #vector ::: "memory");      \
  }                                                                                                   \
  ISR(vector, COGSTRIDE_QUICK) {                                                                      \
    if (!(axis).step()) __asm__ __volatile__("call __vector_end_of_" #vector ::: "memory");           \
  }

#define COGSTRIDE_NAME_OF(what) #what

/// At the end of an interrupt that may take longer than the gap of a fast axis, as an edge's does. Where two
/// come one right after the other, the axis would set its next compare behind the tick, and that matches a
/// turn of the timer later. So what has become due meanwhile is made here, one after another, as soon as can
/// be. It costs the steps themselves nothing.
/// @param vector  of the axis' compare @param a  whether that is A
#define COGSTRIDE_CATCH_UP(vector, a)                                                                 \
  cogstride::chip::avr8::Compare<a>::catch_up([] {                                                    \
    /* It saves what it uses, and ends with interrupts on; none comes before the next instruction. */ \
    __asm__ __volatile__("call " COGSTRIDE_NAME_OF(vector) "\n\tcli" ::: "memory");                   \
  });

/// The interrupt of an axis that follows an encoder. @param tracks  bit 0: A, bit 1: B, as they are now
#define COGSTRIDE_FOLLOW_INTERRUPT(vector, axis, tracks)                                           \
  extern "C" void __vector_rest_of_##vector() __attribute__((signal, used, noinline));             \
  extern "C" void __vector_rest_of_##vector() {                                                    \
    (axis).rest_of_edge();                                                                         \
  }                                                                                                \
  ISR(vector) {                                                                                    \
    if (!(axis).edge(tracks)) __asm__ __volatile__("call __vector_rest_of_" #vector ::: "memory"); \
  }
