// Plays a table of runs, and says when each pulse rose, by its compare's values, and where the axis stands.
#include "cogstride/chip/run_feed.hpp"
#include "cogstride/chip/step_axis.hpp"
#include "machine.hpp"
#include "runs.inc"  // const NarrowPulseRun runs[], of a test

using namespace cogstride::chip;

namespace {

/// What it was told, in the order in which it was told.
struct Noted : cortex_m0::Step<machine::Timer, 0, machine::Direction> {
  static uint16_t values[2048];
  static uint16_t count;
  static void at(uint16_t tick) {
    machine::Timer::compare(0, tick);
    if (count < 2048) values[count++] = tick;
  }
};
uint16_t Noted::values[2048];
uint16_t Noted::count = 0;

StepAxis<Noted> axis;
RunFeed<StepAxis<Noted>::Runs, cortex_m0::ReadFlash> feed(axis);
const RunPiece pieces[] = {{runs, sizeof runs / sizeof runs[0]}};

}  // namespace

extern "C" __attribute__((optimize("O2"))) void timer_handler() {
  cortex_m0::step_interrupt<Noted>(axis);
}

void run() {
  machine::Timer::begin();
  Noted::begin();
  feed.begin(pieces, 1);
  axis.start(20000);
  while (feed.serve() || axis.is_playing()) {
  }
  for (uint16_t i = 0; i < Noted::count; ++i) machine::say(Noted::values[i]);
  machine::say("\n");
  machine::say(axis.position());
  machine::say(axis.starved());
  machine::say("\n");
}
