// A duty with ramps and a held speed, conversions that its timer begins, commutation by Halls, servo frames.
#include "cogstride/chip/duty_loop.hpp"
#include "cogstride/chip/duty_ramp.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/row_channel.hpp"
#include "cogstride/chip/servo_frame.hpp"
#include "cogstride/chip/six_step.hpp"

using namespace cogstride::chip;

namespace {

DutyRamp duty;
constexpr uint32_t loop_period = 65536;  // 256 periods of the duty
DutyLoop<1> held;
QuadratureTracks tracks;
int32_t counted;
uint32_t counted_at;
volatile bool holds;
uint8_t periods;
volatile bool is_due;
volatile int32_t at_loop;
volatile uint32_t came_at;

// Halls at C0 to C2, gates at B0 to B5.
constexpr SixStepTable six_steps COGSTRIDE_IN_FLASH = six_step_table(SixStepWiring{});
struct Gates {
  static void write(uint8_t row) { PORTB = static_cast<uint8_t>((PORTB & 0xc0) | row); }
  static void wait_dead_time() { __builtin_avr_delay_cycles(16); }
};
uint8_t row_on;

struct Servos {
  static void write(uint8_t which, bool high) {
    const uint8_t pin = which == 0 ? 1 << 6 : 1 << 7;
    if (high) {
      PORTD |= pin;
    } else {
      PORTD &= static_cast<uint8_t>(~pin);
    }
  }
};
ServoFrame<2, avr8::Compare<false>, Servos> servos(320000);

void commutate() {
  const SixStepRow row = row_by_hall(six_steps, PINC & 7, false, avr8::ReadFlash());
  write_row<Gates>(row_on, row.on);
  row_on = row.on;
}

}  // namespace

extern "C" {
// Written by the bench: what to do next.
volatile uint8_t order;
volatile int16_t target;
volatile uint16_t in_periods;
volatile int32_t speed;
volatile uint16_t widths[2];
// Read by it.
volatile uint16_t code;
volatile uint16_t codes;
volatile int32_t measured;
}

ISR(TIMER0_OVF_vect) {
  if (!holds) {
    avr8::Duty::write(static_cast<uint8_t>(duty.next()));
  } else if (++periods == 0) {
    // Every 256 periods: 244 Hz. The loop takes longer than a period: it is the main program's.
    at_loop = counted;
    came_at = counted_at;
    is_due = true;
  }
}
ISR(ADC_vect) {
  code = avr8::Converter::code();
  ++codes;
  avr8::Converter::rearm();
}
ISR(INT0_vect) {
  counted += tracks.take((PIND >> 2) & 3);
  counted_at = avr8::LongTime::now();
}
ISR(INT1_vect, ISR_ALIASOF(INT0_vect));
ISR(PCINT1_vect) {
  commutate();
}
ISR(TIMER1_OVF_vect) {
  avr8::LongTime::turned();
}
ISR(TIMER1_COMPB_vect) {
  servos.on_compare();
}

int main() {
  PORTB &= 0xc0;
  DDRB |= 0x3f;
  DDRD |= 0xc0;
  avr8::Timer::begin();
  avr8::LongTime::begin();
  avr8::Duty::begin(40);
  avr8::Converter::begin(5);
  EICRA = (1 << ISC00) | (1 << ISC10);
  EIMSK = (1 << INT0) | (1 << INT1);
  PCICR = 1 << PCIE1;
  PCMSK1 = 7;
  {
    avr8::Lock lock;
    servos.begin(static_cast<uint16_t>(avr8::Timer::now() + 1000));
    avr8::Compare<false>::on();
  }
  sei();
  GPIOR0 = 1;
  for (;;) {
    if (is_due) {
      is_due = false;
      const int16_t held_duty = held.step(static_cast<uint16_t>(at_loop), came_at, avr8::LongTime::now());
      measured = held.shaft().speed();
      avr8::Duty::write(static_cast<uint8_t>(held_duty >> 7));
    }
    if (order == 1) {
      duty.go_to(target, in_periods);
    } else if (order == 2) {
      DutyLoopSetup setup;
      setup.period = loop_period;
      setup.can_brake = false;
      held.set(setup);
      LoopWanted wanted;
      wanted.tick = avr8::LongTime::now();
      {
        avr8::Lock lock;
        wanted.place = static_cast<uint32_t>(counted) << 16;
      }
      wanted.speed = static_cast<int32_t>(speed * 65536 / (F_CPU / loop_period));
      wanted.base = 4000;
      wanted.gains.per_speed = 572000;
      wanted.gains.per_place = 400000;
      wanted.flags = LoopWanted::yields;
      held.put(wanted);
      holds = true;
    } else if (order == 3) {
      avr8::Lock lock;
      servos.set(0, widths[0]);
      servos.set(1, widths[1]);
    }
    order = 0;
  }
}
