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
constexpr ExactFrequency by_edges = ExactFrequency::from_base({100});  // where the rig says no other
}  // namespace

OutputSwitch::OutputSwitch(const PlainOutput& output, ExactFrequency clock) : output_(output) {
  period_ = (clock.base() / output.pwm_frequency.value_or(by_edges).base()).rounded();
  stride_ = std::max(period_, ticks_at_least(between_changes, clock));
}

LineSetup OutputSwitch::line_setup() const {
  LineSetup setup;
  setup.id = line_id(output_.line);
  setup.name = output_.name;
  setup.owner = static_cast<MechanismId>(0xffff);
  setup.use = has_timer() ? LineSetup::Use::pwm : LineSetup::Use::level;
  setup.rest_high = level_for(output_.line, false);
  return setup;
}

std::optional<PwmSetup> OutputSwitch::pwm_setup() const {
  if (!has_timer()) return std::nullopt;
  PwmSetup setup;
  setup.period = period_;
  setup.channels = {{line_id(output_.line), std::nullopt}};
  return setup;
}

void OutputSwitch::put(Lines& lines, double share) {
  share_ = share;
  const Tick at = free_from(lines);
  if (has_timer()) {
    const std::array compares{
        Compare{line_id(output_.line), std::llround(share * static_cast<double>(period_))}};
    lines.put(at, compares);
  } else {
    const std::array levels{Level{line_id(output_.line), level_for(output_.line, share > 0.0)}};
    lines.put(at, levels);
    last_edge_ = at;
  }
}

void OutputSwitch::set(Lines& lines, bool on) {
  next_ = never;
  is_fading_ = false;
  put(lines, on ? 1.0 : 0.0);
}

void OutputSwitch::fade(Lines& lines, double share, Tick lasts) {
  if (!(share >= 0.0 && share <= 1.0))
    throw RangeError(
        fmt::format("{}: {:.4g} % is no share of full duty; 0 % to 100 % are", output_.name, 100.0 * share));
  from_ = share_;
  to_ = share;
  began_ = lines.now();
  ends_ = began_ + std::max<Tick>(0, lasts);
  is_fading_ = true;
  if (next_ != never && !has_timer()) return;  // its next period takes it up
  period_begins_ = free_from(lines);
  next_ = has_timer() ? began_ : period_begins_ - lines.lead();
}

double OutputSwitch::wanted(Tick at) const {
  if (at >= ends_) return to_;
  return from_ + (to_ - from_) * static_cast<double>(at - began_) / static_cast<double>(ends_ - began_);
}

/// One period of a plain line: on, and off again.
void OutputSwitch::put_period(Lines& lines) {
  share_ = wanted(lines.now());
  is_fading_ = lines.now() < ends_;
  const Tick on_for = std::llround(share_ * static_cast<double>(period_));
  const auto level = [&](Tick at, bool on) {
    const std::array levels{Level{line_id(output_.line), level_for(output_.line, on)}};
    lines.put(at, levels);
    last_edge_ = at;
  };
  level(period_begins_, on_for > 0);
  if (on_for > 0 && on_for < period_) level(period_begins_ + on_for, false);
  period_begins_ += period_;
  const bool stays = !is_fading_ && (on_for == 0 || on_for == period_);
  next_ = stays ? never : period_begins_ - lines.lead();
}

void OutputSwitch::act(Lines& lines, std::span<const Reading>) {
  const Tick now = lines.now();
  if (next_ > now) return;
  if (!has_timer()) return put_period(lines);
  put(lines, wanted(now));
  is_fading_ = now < ends_;
  next_ = is_fading_ ? std::min(now + stride_, ends_) : never;
}

}  // namespace cogstride
