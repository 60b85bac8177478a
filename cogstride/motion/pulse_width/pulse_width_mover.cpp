#include "cogstride/motion/pulse_width/pulse_width_mover.hpp"

#include <fmt/format.h>

#include <cmath>

namespace cogstride {

PulseWidthMover::PulseWidthMover(const Mechanism& mechanism, MechanismId id, PwmGroup group,
                                 const Controller& controller)
    : mechanism_(mechanism),
      driver_(mechanism, id, group, controller),
      scale_(mechanism),
      ticks_per_second_(controller.timer_clock.base().to_double()) {}

Tick PulseWidthMover::ticks(double seconds) const {
  return std::llround(std::ceil(seconds * ticks_per_second_));
}

std::optional<double> PulseWidthMover::asked(Tick now) const {
  return has_pulses_ ? std::optional(share_at(now)) : std::nullopt;
}

void PulseWidthMover::act(Lines& lines, std::span<const Reading>) {
  const Tick now = lines.now();
  if (next_act_ > now) return;
  next_act_ = never;
  const Tick begins = driver_.frame_from(now + lines.lead());
  driver_.put_pulse(lines, begins, scale_.pulse_at(share_at(begins)));
  // Just soon enough for the frame after it.
  if (frame_is_put(now, begins)) next_act_ = begins + driver_.frame() - lines.lead();
}

void PulseWidthMover::release(Lines& lines) {
  const Tick now = lines.now();
  finish(now, MotionStatus::cancelled);
  driver_.put_none(lines, now + lines.lead());
  has_pulses_ = false;
  next_act_ = never;
  has_lost_pulses();
  note(now, MotionNote::Kind::told, "release");
}

void PulseWidthMover::lines_were_cut(Tick now, const std::string& why) {
  if (const std::optional<double> share = asked(now)) went_off_ = WentOff{*share, now};
  finish(now, MotionStatus::faulted, why.empty() ? "the lines were cut" : why);
  has_pulses_ = false;
  next_act_ = never;
  has_lost_pulses();
}

void PulseWidthMover::require_no_obstacle() const {
  if (const std::string in_the_way = obstacle_ ? obstacle_(mechanism_) : ""; !in_the_way.empty())
    throw RangeError(fmt::format("{}: {}", mechanism_.name, in_the_way));
}

std::shared_ptr<MotionRecord> PulseWidthMover::begin_record(Tick now, std::string what) {
  finish(now, MotionStatus::cancelled);
  record_ = running_record(now, std::move(what));
  note(now, MotionNote::Kind::began, record_->what);
  return record_;
}

void PulseWidthMover::finish(Tick now, MotionStatus status, const std::string& fault) {
  const std::shared_ptr<MotionRecord> on = std::move(record_);
  record_.reset();
  if (on == nullptr) return;
  const MotionNote ended = end_record(*on, now, driver_.id(), status, fault);
  if (sink_) sink_(ended);
}

void PulseWidthMover::note(Tick at, MotionNote::Kind kind, const std::string& text) const {
  if (sink_) sink_({at, driver_.id(), kind, text});
}

}  // namespace cogstride
