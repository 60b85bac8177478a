// Plays runs as rows of four coil ends on port C, full steps; ends first of all, and all off before that.
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/ports/avr8.hpp"
#include "cogstride/chip/row_channel.hpp"
#include "cogstride/chip/step_axis.hpp"

using namespace cogstride::chip;

namespace {

constexpr uint16_t most_runs = 600;
struct Table {
  uint16_t runs;
  NarrowPulseRun run[most_runs];
};

constexpr uint8_t full_steps[4] = {coil_row(Stepping::full, 0), coil_row(Stepping::full, 1),
                                   coil_row(Stepping::full, 2), coil_row(Stepping::full, 3)};

struct Coils {
  COGSTRIDE_IN_INTERRUPT static RowCycle& cycle() {
    static RowCycle rows(full_steps, 4);
    return rows;
  }
  COGSTRIDE_IN_INTERRUPT static void write(uint8_t row) {
    PORTC = static_cast<uint8_t>((PORTC & 0xf0) | row);
  }
  static void wait_dead_time() { __builtin_avr_delay_cycles(32); }
};

StepAxis<RowChannel<avr8::Compare<true>, Coils>> motor;

}  // namespace

extern "C" {
// The bench writes over it.
extern const Table table;
const Table table COGSTRIDE_IN_FLASH __attribute__((used)) = {1, {}};
volatile int32_t position;
}

COGSTRIDE_STEP_INTERRUPT(TIMER1_COMPA_vect, motor)

int main() {
  PORTC &= 0xf0;
  DDRC |= 0x0f;
  avr8::Timer::begin();
  Coils::write(Coils::cycle().row());
  sei();
  const uint16_t runs = avr8::from_flash(table.runs);
  uint16_t next = 0;
  bool begun = false;
  while (next < runs || motor.is_playing()) {
    if (next < runs && !motor.is_full()) {
      motor.put(avr8::from_flash(table.run[next++]));
    } else if (!begun) {
      begun = true;
      GPIOR0 = 1;
      motor.start(4000);
    }
    if (next == runs && !begun) {
      begun = true;
      GPIOR0 = 1;
      motor.start(4000);
    }
  }
  position = motor.position();
  GPIOR0 = 2;
  for (;;) {
  }
}
