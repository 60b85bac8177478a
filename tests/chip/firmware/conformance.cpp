// Proves this port's channels, and channels that are wrong in one thing each: the bench says which.
#include "cogstride/chip/conformance.hpp"
#include "cogstride/chip/ports/avr8.hpp"

using namespace cogstride::chip;

namespace {

typedef avr8::StepA<avr8::Pin<'D', 4>> Right;
typedef avr8::StepB<avr8::Pin<'D', 5>> RightB;

struct NotKept : Right {
  static void at(uint16_t tick) { Right::at(static_cast<uint16_t>(tick & 0xff00)); }
};
struct ActsWhileOff : Right {
  static void off() {}
};
struct PulsesWhileSilent : Right {
  static void makes_pulses(bool) { Right::makes_pulses(true); }
};
struct NoInterrupt : Right {
  static void on() {}
};
struct TooLate : Right {
  static void at(uint16_t tick) { Right::at(static_cast<uint16_t>(tick + 400)); }
  static uint16_t tick() { return static_cast<uint16_t>(Right::tick() - 400); }
};
struct TooEarly : Right {
  static void at(uint16_t tick) { Right::at(static_cast<uint16_t>(tick - 400)); }
  static uint16_t tick() { return static_cast<uint16_t>(Right::tick() + 400); }
};
struct DoesNotEnd : Right {
  static void end_pulse() {}
};
struct OpenLock : Right {
  struct Lock {
    Lock() { open = 1; }
    ~Lock() {}
    volatile uint8_t open;
  };
};

void (*on_compare)();
template <class Channel>
Conformance<Channel>& proof() {
  static Conformance<Channel> kept;
  return kept;
}
template <class Channel>
uint8_t found() {
  Right::begin();
  RightB::begin();
  on_compare = [] { proof<Channel>().on_compare(); };
  return proof<Channel>().run();
}

}  // namespace

extern "C" {
volatile uint8_t results[10];
}

ISR(TIMER1_COMPA_vect) {
  on_compare();
}
ISR(TIMER1_COMPB_vect) {
  on_compare();
}

int main() {
  avr8::Timer::begin();
  sei();
  results[0] = found<Right>();
  results[1] = found<RightB>();
  results[2] = found<NotKept>();
  results[3] = found<ActsWhileOff>();
  results[4] = found<PulsesWhileSilent>();
  results[5] = found<NoInterrupt>();
  results[6] = found<TooLate>();
  results[7] = found<TooEarly>();
  results[8] = found<DoesNotEnd>();
  results[9] = found<OpenLock>();
  GPIOR0 = 2;
  for (;;) {
  }
}
