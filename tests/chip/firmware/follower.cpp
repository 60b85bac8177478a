// One axis follows an encoder at pins D2 and D3: STEP at pin B1, DIR at D4, by port writes.
#include "cogstride/chip/follower.hpp"
#include "cogstride/chip/ports/avr8.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::Pin<'D', 4> Direction;
typedef avr8::Pin<'B', 1> Step;

struct Channel {
  static void step(bool high) { Step::write(high); }
  static void direction(bool backwards) { Direction::write(backwards); }
  static void wait_direction() { __builtin_avr_delay_cycles(32); }
  static void wait_pulse() { __builtin_avr_delay_cycles(12); }
};

FollowAxis<Channel, int16_t> axis;

uint8_t tracks() {
  uint8_t pins = PIND;
  pins >>= 2;
  return pins & 3;
}

}  // namespace

extern "C" {
// Written by the bench.
volatile int32_t steps = 7;
volatile int32_t counts = 25;
volatile uint8_t changed = 1;
// Read by it.
volatile int32_t position;
volatile uint8_t refused;
}

COGSTRIDE_FOLLOW_INTERRUPT(INT0_vect, axis, tracks())
ISR(INT1_vect, ISR_ALIASOF(INT0_vect));

int main() {
  Step::write(false);
  Step::output();
  Direction::output();
  axis.tracks().begin(tracks());
  EICRA = (1 << ISC00) | (1 << ISC10);
  EIMSK = (1 << INT0) | (1 << INT1);
  sei();
  for (;;) {
    if (changed) {
      avr8::Lock lock;
      refused = axis.follower().set_ratio(steps, counts) ? 0 : 1;
      changed = 0;
    }
    {
      avr8::Lock lock;
      axis.make_owed();
    }
    {
      avr8::Lock lock;
      position = axis.follower().position();
    }
    GPIOR0 = 1;
  }
}
