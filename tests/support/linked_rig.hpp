// Mechanisms of the benches behind a link to a small chip, and a wheel that somebody turns.
#pragma once

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::testing_support {

/// 1000 counts a turn, its tracks at two pins of port C: `bit` and the one above.
inline Shaft wheel_at_c(int bit) {
  Shaft wheel;
  wheel.name = "wheel";
  wheel.speed = OutputSpeed{OutputKind::rotary, Ratio(10)};
  wheel.encoder = Encoder{.name = "encoder",
                          .line_a = line_of(Pin{'C', bit}),
                          .line_b = line_of(Pin{'C', bit + 1}),
                          .lines_per_turn = 250};
  return wheel;
}

/// One axis of the lace winder alone, at 0 from the start, over 250 kbaud, and the wheel.
inline Rig linked_axis(const std::string& name, Time delay) {
  Rig rig = only_with(read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml"), {name});
  rig.whole.reset();
  rig.mechanisms[0].sensors.clear();
  rig.mechanisms[0].homing.reset();
  rig.hands.clear();
  rig.bindings.clear();
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.link->delay = delay;
  rig.controller.small_chip->serial_baud = 250'000;
  rig.controller.counters = QuadratureCounters{1, ExactFrequency(50, units::kHz)};
  rig.shafts = {wheel_at_c(4)};
  return rig;
}

/// What the bench's feeder, or another one of its brushed motors, has to be on the chip of the lace winder:
/// by the two outputs of its 8-bit timer.
inline void put_on_chip(Mechanism& brushed) {
  brushed.common.timer = "fast";
  auto& wiring = std::get<BridgeWiring>(brushed.wiring);
  wiring.input_a->number = line_of(Pin{'D', 6});
  wiring.input_b->number = line_of(Pin{'D', 5});
  wiring.enable->number = line_of(Pin{'C', 1});
  wiring.pwm_frequency = ExactFrequency::from_base(Ratio(15'625, 2));
}
/// The timer that makes them.
inline void slow_down_fast_timer(Rig& rig) {
  for (TimerUnit& timer : rig.controller.timers)
    if (timer.name == "fast") timer.prescaler = 8;
}
/// Its encoder's tracks at C4 and C5.
inline void put_on_chip(Encoder& encoder) {
  encoder.line_a = line_of(Pin{'C', 4});
  encoder.line_b = line_of(Pin{'C', 5});
  encoder.filter.reset();
}

}  // namespace cogstride::testing_support
