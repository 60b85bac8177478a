// A key that bounces and is held to run, at a knob's speed: the key at pin D3, its renewals by the bench.
#include "cogstride/chip/hands.hpp"
#include "cogstride/chip/axis_walk.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::StepA<avr8::Pin<'D', 4>> Step;
typedef avr8::Pin<'D', 3> Key;

StepAxis<Step> axis;
AxisWalk<decltype(axis)::Runs> walk(axis, F_CPU);
DebouncedSwitch key(5);
HoldToRun hold(300);
KnobSpeed knob(20, 1000, 3, 200, 4000);

}  // namespace

extern "C" {
// Written by the bench.
volatile uint8_t is_renewed = 1;
volatile uint16_t code = 500;
// Read by it.
volatile uint16_t presses;
volatile int8_t way;
volatile int32_t position;
volatile uint8_t timed_out;
volatile uint8_t starved;
}

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, axis)
ISR(TIMER2_COMPA_vect) {
  avr8::Clock::tick();
}

int main() {
  Step::begin();
  avr8::Timer::begin();
  avr8::Clock::begin();
  axis.limit(-100000, 3000);
  key.begin(Key::read());
  sei();
  GPIOR0 = 1;
  uint16_t last_speed = 0;
  for (;;) {
    const uint16_t now = avr8::Clock::now();
    if (key.look(Key::read(), now)) {
      if (key.level()) {
        ++presses;
        hold.press(1, now);
      } else {
        hold.release();
      }
    } else if (key.level() && is_renewed && hold.look(now) != 0) {
      hold.press(1, now);
    }
    const int8_t wanted = hold.look(now);
    const uint16_t speed = knob.look(code);
    if (wanted != way || speed != last_speed) {
      if (wanted != 0 && speed != 0) {
        walk.go_on(wanted, {speed, 200, 40000});
      } else {
        walk.brake();
      }
    }
    last_speed = speed;
    way = wanted;
    walk.serve();
    position = axis.position();
    timed_out = hold.timed_out();
    starved = walk.starved();
  }
}
