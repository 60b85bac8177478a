// Proves this port's channel, and channels that are wrong in one thing each: the numbers of what was found.
#include "cogstride/chip/conformance.hpp"

#include "machine.hpp"

using namespace cogstride::chip;

namespace {

typedef cortex_m0::Step<machine::Timer, 0, machine::Direction> Right;

struct NotKept : Right {
  static void at(uint16_t tick) { Right::at(static_cast<uint16_t>(tick & 0xff00)); }
};
struct PulsesWhileSilent : Right {
  static void makes_pulses(bool) { Right::makes_pulses(true); }
};
struct NoInterrupt : Right {
  static void on() {}
};
struct DoesNotEnd : Right {
  static void end_pulse() {}
};
struct TooLate : Right {
  static void at(uint16_t tick) { Right::at(static_cast<uint16_t>(tick + 1500)); }
  static uint16_t tick() { return static_cast<uint16_t>(Right::tick() - 1500); }
};

void (*on_compare)();
template <class Channel>
Conformance<Channel>& proof() {
  static Conformance<Channel> kept(600);  // reading this timer takes longer than reading a register
  return kept;
}
template <class Channel>
void look() {
  Right::begin();
  on_compare = [] { proof<Channel>().on_compare(); };
  machine::say(proof<Channel>().run());
}

}  // namespace

extern "C" void timer_handler() {
  Right::forget();
  on_compare();
}

void run() {
  machine::Timer::begin();
  look<Right>();
  look<NotKept>();
  look<PulsesWhileSilent>();
  look<NoInterrupt>();
  look<TooLate>();
  look<DoesNotEnd>();
  machine::say("\n");
}
