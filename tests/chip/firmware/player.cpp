// Plays the runs of two tables in flash on two axes; the bench puts the tables there.
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

constexpr uint16_t most_runs = 1000;

struct Table {
  uint16_t runs;
  NarrowPulseRun run[most_runs];
};

}  // namespace

extern "C" {
// The bench writes over these.
extern const Table tables[2];
const Table tables[2] COGSTRIDE_IN_FLASH __attribute__((used)) = {{1, {}}, {1, {}}};
// What it looks at when all has been played.
volatile int32_t positions[2];
volatile uint8_t starved;
volatile uint32_t idle;  // rounds of the main program
}

namespace {

StepAxis<avr8::StepA<avr8::Pin<'D', 4>>> first;
StepAxis<avr8::StepB<avr8::Pin<'D', 5>>> second;

template <class Axis>
class Feeder {
 public:
  Feeder(Axis& axis, const Table& table) : axis_(axis), table_(table), runs_(avr8::from_flash(table.runs)) {}
  bool feed() {
    if (next_ == runs_ || axis_.is_full()) return false;
    axis_.put(avr8::from_flash(table_.run[next_]));
    ++next_;
    return true;
  }
  bool has_ended() const { return next_ == runs_ && !axis_.is_playing(); }

 private:
  Axis& axis_;
  const Table& table_;
  const uint16_t runs_;
  uint16_t next_ = 0;
};

}  // namespace

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, first)
COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPB_vect, second)

int main() {
  avr8::StepA<avr8::Pin<'D', 4>>::begin();
  avr8::StepB<avr8::Pin<'D', 5>>::begin();
  avr8::Timer::begin();
  Feeder<decltype(first)> feeds_first(first, tables[0]);
  Feeder<decltype(second)> feeds_second(second, tables[1]);
  while (feeds_first.feed()) {
  }
  while (feeds_second.feed()) {
  }
  sei();
  {
    avr8::Lock lock;
    const uint16_t at = static_cast<uint16_t>(avr8::Timer::now() + 2000);
    GPIOR0 = 1;
    first.start_at(at);
    second.start_at(at);
  }
  while (!feeds_first.has_ended() || !feeds_second.has_ended()) {
    feeds_first.feed();
    feeds_second.feed();
    ++idle;
  }
  positions[0] = first.position();
  positions[1] = second.position();
  starved = static_cast<uint8_t>(first.starved() | (second.starved() << 1));
  GPIOR0 = 2;
  for (;;) {
  }
}
