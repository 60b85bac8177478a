#include "cogstride/board/pwm_timing.hpp"

#include <fmt/format.h>

#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {

PwmTiming pwm_timing(const Mechanism& mechanism, const Controller& controller, ExactFrequency frequency,
                     Alignment alignment) {
  TimerUnit timer;
  timer.width = 32;
  for (const TimerUnit& each : controller.timers)
    if (mechanism.common.timer == each.name) timer = each;
  const TimerChoice choice = choose_counts(controller.timer_clock, timer, frequency, alignment);
  if (!choice.fits)
    throw RangeError(fmt::format("{}: its timer cannot make {}; give it a larger prescaler or another one",
                                 mechanism.name, to_text(frequency, "Hz")));
  const Tick grain = timer.prescaler * (alignment == Alignment::centre ? 2 : 1);
  return {grain * choice.counts, grain};
}

}  // namespace cogstride
