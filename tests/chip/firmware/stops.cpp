// Two axes go on and on; an emergency stop at pin D3 ends both in its interrupt and takes ENABLE (pin B0,
// low: on) away.
#include "cogstride/chip/axis_walk.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::StepA<avr8::Pin<'D', 4>> FirstStep;
typedef avr8::StepB<avr8::Pin<'D', 5>> SecondStep;
typedef avr8::Pin<'B', 0> Disable;
typedef avr8::Pin<'D', 3> Pressed;

StepAxis<FirstStep> first;
StepAxis<SecondStep> second;
AxisWalk<decltype(first)::Runs> first_walk(first, F_CPU);
AxisWalk<decltype(second)::Runs> second_walk(second, F_CPU);
volatile bool stopped;

}  // namespace

extern "C" {
volatile int32_t positions[2];
volatile uint8_t moves_again;
volatile uint8_t starved;
}

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, first)
COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPB_vect, second)
ISR(INT1_vect) {
  if (!Pressed::read()) return;
  first.end_here();
  second.end_here();
  Disable::write(true);
  stopped = true;
}

int main() {
  // Off before all else.
  Disable::write(true);
  Disable::output();
  FirstStep::begin();
  SecondStep::begin();
  avr8::Timer::begin();
  EICRA = 1 << ISC10;
  EIMSK = 1 << INT1;
  sei();
  GPIOR0 = 1;
  Disable::write(false);
  first.limit(-100000, 100000);
  for (uint8_t round = 0;; ++round) {
    const int8_t way = (round & 1) != 0 ? -1 : 1;
    first_walk.go_to(first.position() + way * 700, {9000, 300, 90000});
    second_walk.go_to(second.position() - way * 500, {6000, 300, 70000});
    bool busy = true;
    while (busy && !stopped) {
      const bool one = first_walk.serve();
      const bool two = second_walk.serve();
      busy = one || two;
    }
    if (stopped) break;
  }
  positions[0] = first.position();
  positions[1] = second.position();
  starved = static_cast<uint8_t>(first_walk.starved() + second_walk.starved());
  GPIOR0 = 2;
  // What was planned is over: nothing of it comes.
  for (uint16_t i = 0; i < 20000; ++i) {
    if (first.is_playing() || second.is_playing()) moves_again = 1;
  }
  GPIOR0 = 3;
  for (;;) {
  }
}
