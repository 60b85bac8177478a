// Homes an axis against a gate on pin D2 and goes where it is to stand; the bench moves the gate's flag.
#include "cogstride/chip/home_axis.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::StepA<avr8::Pin<'D', 4>> Step;
typedef avr8::Pin<'D', 2> Gate;
struct GateActs {
  static bool acts() { return Gate::read(); }
};

StepAxis<Step> axis;
AxisWalk<decltype(axis)::Runs> walk(axis, F_CPU);

}  // namespace

extern "C" {
// The bench writes over it.
extern const HomingGoal<int32_t> goal;
const HomingGoal<int32_t> goal COGSTRIDE_IN_FLASH __attribute__((used)) = {};
// What came of it.
volatile uint8_t fault;
volatile int32_t edge_step;
volatile int32_t stands;
}

namespace {
HomeAxis<decltype(axis)::Runs>* home;
const HomingPaces paces = {{5333, 400, 60000}, {533, 400, 60000}, {533, 1, 3500}};
}  // namespace

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, axis)
ISR(TIMER2_COMPA_vect) {
  avr8::Clock::tick();
}
ISR(INT0_vect) {
  home->edge(GateActs::acts());
}

int main() {
  Step::begin();
  avr8::Timer::begin();
  avr8::Clock::begin();
  const HomingGoal<int32_t> ways = avr8::from_flash(goal);
  HomeAxis<decltype(axis)::Runs> homes(axis, walk, ways, paces, GateActs::acts, no_switch, 50);
  home = &homes;
  EICRA = 1 << ISC00;  // any change
  EIMSK = 1 << INT0;
  sei();
  GPIOR0 = 1;
  const bool begins = homes.begin(false, avr8::Clock::now());
  while (homes.serve(avr8::Clock::now())) {
  }
  fault = begins ? static_cast<uint8_t>(homes.fault()) : 255;
  edge_step = homes.homing().edge_step();
  stands = axis.position();
  GPIOR0 = 2;
  for (;;) {
  }
}
