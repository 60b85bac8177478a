#include "cogstride/board/pulse_width.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {

PulseDriver::PulseDriver(const Mechanism& mechanism, MechanismId id, PwmGroup group,
                         const Controller& controller)
    : name_(mechanism.name),
      id_(id),
      group_(group),
      ticks_per_second_(controller.timer_clock.base().to_double()) {
  const auto* const input = std::get_if<PulseWidthInput>(&mechanism.board);
  if (input == nullptr)
    throw RangeError(fmt::format("{}: a {} takes no pulse width", name_, kind_name(mechanism.board)));
  line_ = std::get<PulseWidthWiring>(mechanism.wiring).pulse;
  TimerUnit timer;
  timer.width = 32;  // where the rig names none: ticks are counted
  for (const TimerUnit& each : controller.timers)
    if (mechanism.common.timer == each.name) timer = each;
  const TimerChoice choice = choose_counts(controller.timer_clock, timer, input->frame_rate, Alignment::edge);
  if (!choice.fits)
    throw RangeError(fmt::format("{}: its timer cannot make {}; give it a larger prescaler or another one",
                                 name_, to_text(input->frame_rate, "Hz")));
  grain_ = timer.prescaler;
  frame_ = grain_ * choice.counts;
}

LineSetup PulseDriver::line_setup() const {
  LineSetup setup;
  setup.id = line_id(line_);
  setup.name = name_ + ".pulse";
  setup.owner = id_;
  setup.use = LineSetup::Use::pwm;
  setup.rest_high = level_for(line_, false);
  return setup;
}

PwmSetup PulseDriver::pwm_setup() const {
  PwmSetup setup;
  setup.group = group_;
  setup.period = frame_;
  setup.channels.push_back({line_id(line_), std::nullopt});
  return setup;
}

void PulseDriver::put_pulse(Lines& lines, Tick at, double seconds) const {
  const Tick counts = std::llround(seconds * ticks_per_second_ / static_cast<double>(grain_));
  lines.put(group_, at, std::array{Compare{0, counts * grain_}});
}

void PulseDriver::put_none(Lines& lines, Tick at) const {
  lines.put(group_, at, std::array{Compare{0, 0}});
}

}  // namespace cogstride
