#include "cogstride/motion/pulse_width/pulse_width_mover.hpp"

#include <cmath>

namespace cogstride {

PulseWidthMover::PulseWidthMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      driver_(mechanism, id, controller),
      scale_(mechanism),
      ticks_per_second_(controller.timer_clock.base().to_double()) {}

Tick PulseWidthMover::ticks(double seconds) const {
  return std::llround(std::ceil(seconds * ticks_per_second_));
}

std::optional<double> PulseWidthMover::pulse_share(Tick now) const {
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
  log().end(now, MotionStatus::cancelled);
  driver_.put_none(lines, now + lines.lead());
  has_pulses_ = false;
  next_act_ = never;
  has_lost_pulses();
  log().note(now, MotionNote::Kind::told, "release");
}

void PulseWidthMover::lines_were_cut(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  if (const std::optional<double> share = pulse_share(now)) went_off_ = WentOff{*share, now};
  log().end(now, why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  has_pulses_ = false;
  next_act_ = never;
  has_lost_pulses();
}

std::shared_ptr<MotionRecord> PulseWidthMover::begin_record(Tick now, std::string what) {
  log().end(now, MotionStatus::cancelled);
  return log().begin(now, std::move(what));
}

}  // namespace cogstride
