// A carriage on a small controller board, with chip/ alone: it homes against a gate, then goes to and fro as
// long as a key is held, as fast as a knob says. An emergency stop ends it at once.
//
//   STEP B1, DIR D4, ENABLE B0 (low: on); gate D2 (high: blocked), emergency stop D3 (high: pressed), key D6,
//   knob C0
//
// scripts/test-chip compiles it and runs it. docs/chip.md says what a board of another kind has to give.
#include "cogstride/chip/hands.hpp"
#include "cogstride/chip/home_axis.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::StepA<avr8::Pin<'D', 4>> Step;
typedef avr8::Pin<'B', 0> Disable;
typedef avr8::Pin<'D', 3> Stop;
typedef avr8::Pin<'D', 6> Key;
struct Gate {
  static bool acts() { return avr8::Pin<'D', 2>::read(); }
};

// 200 full steps in 8, a screw of 6 mm: 266.67 steps/mm. The goal's ways are what `cogstride inspect` says of
// the rig.
HomingGoal<int32_t> goal_of_rig() {
  HomingGoal<int32_t> ways;
  ways.towards = -1;
  ways.alignment_way = 32;
  ways.approach_range = 3000;
  ways.back_off_range = 600;
  ways.clear_range = 600;
  ways.return_way = 265;
  return ways;
}

StepAxis<Step> axis;
AxisWalk<decltype(axis)::Runs> walk(axis, F_CPU);
const HomingGoal<int32_t> goal = goal_of_rig();
const HomingPaces paces = {{5333, 400, 60000}, {533, 400, 60000}, {533, 1, 3500}};
HomeAxis<decltype(axis)::Runs> homes(axis, walk, goal, paces, Gate::acts, no_switch, 50);
DebouncedSwitch key(5);
KnobSpeed knob(20, 1000, 3, 200, 6000);
volatile uint16_t code;

}  // namespace

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, axis)
ISR(TIMER2_COMPA_vect) {
  avr8::Clock::tick();
}
ISR(INT0_vect) {
  homes.edge(Gate::acts());
}
ISR(INT1_vect) {
  if (!Stop::read()) return;
  axis.end_here();
  Disable::write(true);
}
ISR(ADC_vect) {
  code = avr8::Converter::code();
}

int main() {
  // Off comes first.
  Disable::write(true);
  Disable::output();
  Step::begin();
  avr8::Timer::begin();
  avr8::Clock::begin();
  avr8::Converter::begin(0);
  ADCSRB = 0;  // one conversion after another
  ADCSRA |= 1 << ADSC;
  EICRA = (1 << ISC00) | (1 << ISC10);
  EIMSK = (1 << INT0) | (1 << INT1);
  key.begin(Key::read());
  sei();
  GPIOR0 = 1;

  Disable::write(false);
  (void)homes.begin(false, avr8::Clock::now());  // a goal with a switch is never refused
  while (homes.serve(avr8::Clock::now())) {
  }
  GPIOR0 = homes.has_found() ? 2 : 3;
  if (!homes.has_found()) {
    Disable::write(true);
    for (;;) {
    }
  }
  // What is called 0 is where it stands now; the gate's side is -265 steps, less 10 to spare.
  axis.set_position(0);
  walk.ended();
  axis.limit(-255, 2400);
  int32_t target = 2000;
  for (;;) {
    key.look(Key::read(), avr8::Clock::now());
    uint16_t now_code;
    {
      avr8::Lock lock;
      now_code = code;
    }
    const uint16_t speed = knob.look(now_code);
    if (!key.level() || speed == 0) {
      walk.brake();
    } else {
      if (!walk.is_busy() && axis.position() == target) target = target == 0 ? 2000 : 0;
      walk.go_to(target, {speed, 200, 40000});
    }
    walk.serve();
    if (Stop::read()) {
      // Only a reset begins again: it homes, since nothing is known of where it stands.
      for (;;) {
      }
    }
  }
}
