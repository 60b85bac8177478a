#include "cogstride/board/pulse_width.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {

PulseDriver::PulseDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : name_(mechanism.name), id_(id), ticks_per_second_(controller.timer_clock.base().to_double()) {
  const auto* const input = std::get_if<PulseWidthInput>(&mechanism.board);
  if (input == nullptr)
    throw RangeError(fmt::format("{}: a {} takes no pulse width", name_, kind_name(mechanism.board)));
  line_ = std::get<PulseWidthWiring>(mechanism.wiring).pulse;
  timing_ = pwm_timing(mechanism, controller, input->frame_rate, Alignment::edge);
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
  setup.period = timing_.period;
  setup.channels.push_back({line_id(line_), std::nullopt});
  return setup;
}

void PulseDriver::put_pulse(Lines& lines, Tick at, double seconds) const {
  const Tick counts = std::llround(seconds * ticks_per_second_ / static_cast<double>(timing_.grain));
  lines.put(at, std::array{Compare{line_id(line_), counts * timing_.grain}});
}

void PulseDriver::put_none(Lines& lines, Tick at) const {
  lines.put(at, std::array{Compare{line_id(line_), 0}});
}

}  // namespace cogstride
