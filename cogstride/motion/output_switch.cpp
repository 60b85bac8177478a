#include "cogstride/motion/output_switch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {
constexpr ExactTime between_changes = ExactTime::from_base({1, 200});
}

OutputSwitch::OutputSwitch(const PlainOutput& output, ExactFrequency clock) : output_(output) {
  if (!output.timer || !output.pwm_frequency) return;
  period_ = (clock.base() / output.pwm_frequency->base()).rounded();
  stride_ = std::max(period_, ticks_at_least(between_changes, clock));
}

LineSetup OutputSwitch::line_setup() const {
  LineSetup setup;
  setup.id = line_id(output_.line);
  setup.name = output_.name;
  setup.owner = static_cast<MechanismId>(0xffff);
  setup.use = can_fade() ? LineSetup::Use::pwm : LineSetup::Use::level;
  setup.rest_high = level_for(output_.line, false);
  return setup;
}

std::optional<PwmSetup> OutputSwitch::pwm_setup() const {
  if (!can_fade()) return std::nullopt;
  PwmSetup setup;
  setup.period = period_;
  setup.channels = {{line_id(output_.line), std::nullopt}};
  return setup;
}

void OutputSwitch::put(Lines& lines, double share) {
  share_ = share;
  const Tick at = lines.now() + lines.lead();
  if (can_fade()) {
    const std::array compares{
        Compare{line_id(output_.line), std::llround(share * static_cast<double>(period_))}};
    lines.put(at, compares);
  } else {
    const std::array levels{Level{line_id(output_.line), level_for(output_.line, share > 0.0)}};
    lines.put(at, levels);
  }
}

void OutputSwitch::set(Lines& lines, bool on) {
  next_ = never;
  put(lines, on ? 1.0 : 0.0);
}

void OutputSwitch::fade(Lines& lines, double share, Tick lasts) {
  if (!can_fade()) {
    throw RangeError(fmt::format(
        "{}: it is only switched; to fade it, give it a timer and a pwm_frequency in the rig", output_.name));
  }
  if (!(share >= 0.0 && share <= 1.0))
    throw RangeError(
        fmt::format("{}: {:.4g} % is no share of full duty; 0 % to 100 % are", output_.name, 100.0 * share));
  from_ = share_;
  to_ = share;
  began_ = lines.now();
  ends_ = began_ + std::max<Tick>(0, lasts);
  next_ = began_;
}

void OutputSwitch::act(Lines& lines, std::span<const Reading>) {
  if (next_ > lines.now()) return;
  const Tick now = lines.now();
  const double done =
      now >= ends_ ? 1.0 : static_cast<double>(now - began_) / static_cast<double>(ends_ - began_);
  put(lines, from_ + done * (to_ - from_));
  next_ = now >= ends_ ? never : std::min(now + stride_, ends_);
}

}  // namespace cogstride
