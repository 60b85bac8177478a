#include "cogstride/motion/pulse_width/throttle_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

const PulseWidthInput& input_of(const Mechanism& mechanism) {
  return std::get<PulseWidthInput>(mechanism.board);
}

/// A stage lasts from its first pulse to its last: one frame more for the pulse itself, one that makes sure
/// of it, and one that is on its way.
constexpr int frames_to_be_sure = 3;

std::optional<double> as_seconds(const std::optional<ExactTime>& exact) {
  return exact ? std::optional(exact->base().to_double()) : std::nullopt;
}

}  // namespace

DutyLimits throttle_limits(const Mechanism& mechanism) {
  const auto* const motor = std::get_if<ThrottledMotor>(&mechanism.motor);
  if (motor == nullptr)
    throw RangeError(
        fmt::format("{}: a {} motor has no throttle", mechanism.name, kind_name(mechanism.motor)));
  const Limits& given = mechanism.limits;
  DutyLimits limits;
  limits.lowest = given.lowest_duty.value_or(motor->start_throttle).base().to_double();
  if (given.highest_duty) limits.highest = given.highest_duty->base().to_double();
  limits.full_ramp = given.full_ramp.base();
  // Three time constants: a twentieth of its speed is left.
  limits.pause = given.reversal_pause ? given.reversal_pause->base() : 3.0 * motor->lag.base();
  return limits;
}

double arming_seconds(const Mechanism& mechanism) {
  const PulseWidthInput& input = input_of(mechanism);
  double seconds = 0.0;
  for (const PulseWidthInput::ArmingStage& stage : input.arming)
    seconds += stage.lasts.base() + frames_to_be_sure / input.frame_rate.base().to_double();
  return seconds;
}

const MoverKind ThrottleMover::its_kind{"is no motor behind a speed controller"};

ThrottleMover::ThrottleMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : PulseWidthMover(mechanism, id, controller),
      course_(throttle_limits(mechanism), controller.timer_clock.base().to_double()) {}

double ThrottleMover::share_at(Tick at) const {
  if (stage_) return scale().share_at(input_of(mechanism()).arming[*stage_].pulse.base());
  return course_.at(at);
}

std::shared_ptr<MotionRecord> ThrottleMover::arm(Lines& lines) {
  if (is_armed_) throw RangeError(fmt::format("{}: is armed already", mechanism().name));
  log().require_no_obstacle();
  const Tick now = lines.now();
  auto record = begin_record(now, "arm");
  course_.stay(0.0);
  if (input_of(mechanism()).arming.empty()) {
    is_armed_ = true;
    log().end(now, MotionStatus::done);
  } else {
    stage_ = 0;
    stage_ends_ = never;
  }
  put_from(now);
  return record;
}

bool ThrottleMover::frame_is_put(Tick now, Tick begins) {
  if (stage_) {
    const auto& stages = input_of(mechanism()).arming;
    if (stage_ends_ == never) {  // its first frame
      stage_ends_ = begins + ticks(stages[*stage_].lasts.base()) + frames_to_be_sure * driver().frame();
    } else if (begins + driver().frame() >= stage_ends_) {
      stage_ends_ = never;
      if (++*stage_ == stages.size()) {
        stage_.reset();
        is_armed_ = true;
        log().end(now, MotionStatus::done);
      }
    }
    return true;
  }
  const double throttle = course_.at(begins);
  if (throttle != 0.0) {
    turned_until_ = begins;
    turned_way_ = throttle < 0.0 ? -1 : 1;
  }
  if (!course_.is_on_its_way()) return false;
  if (begins >= course_.piece_ends() && course_.end_piece(begins)) {
    log().end(now, MotionStatus::done);
    return false;
  }
  return true;
}

void ThrottleMover::has_lost_pulses() {
  is_armed_ = false;
  stage_.reset();
  course_.stay(0.0);
}

void ThrottleMover::require_armed() const {
  if (is_armed_) return;
  throw RangeError(fmt::format("{}: is not armed: its speed controller would not obey", mechanism().name));
}

std::shared_ptr<MotionRecord> ThrottleMover::begin(Lines& lines, double to, std::optional<double> ramp,
                                                   std::optional<double> holds_for, std::string what) {
  require_armed();
  if (to < 0.0 && !scale().goes_both_ways())
    throw RangeError(fmt::format("{}: turns one way alone: its board has no centre_pulse", mechanism().name));
  if (to != 0.0) log().require_no_obstacle();
  const Tick now = lines.now();
  const double wait = turned_way_ * to < 0.0 ? limits().pause - seconds(now - turned_until_) : 0.0;
  DutyCourse next = course_;
  try {
    next.go(now, course_.at(now), to, ramp, holds_for, wait);
  } catch (const RangeError& error) {
    throw RangeError(fmt::format("{}: {}", mechanism().name, error.what()));
  }
  auto record = begin_record(now, std::move(what));
  course_ = next;
  put_from(now);
  return record;
}

std::shared_ptr<MotionRecord> ThrottleMover::spin(Lines& lines, const DutyOrder& order) {
  require_finite(order.duty.base(), "a throttle");
  std::string what = "throttle to " + duty_text(order.duty.base());
  if (order.lasts) what += fmt::format(" for {:.4g} s", order.lasts->base().to_double());
  return begin(lines, order.duty.base(), as_seconds(order.in), as_seconds(order.lasts), std::move(what));
}

std::shared_ptr<MotionRecord> ThrottleMover::change(Lines& lines, Fraction by) {
  const double from = course_.goal();
  if (from == 0.0) throw RangeError(fmt::format("{}: has no throttle", mechanism().name));
  const double to = std::abs(from) + require_finite(by.base(), "a throttle");
  if (to <= 0.0)
    throw RangeError(
        fmt::format("{}: of {} nothing would be left; stop it instead", mechanism().name, duty_text(from)));
  return begin(lines, std::copysign(to, from), {}, {},
               fmt::format("go on at {}", duty_text(std::copysign(to, from))));
}

std::shared_ptr<MotionRecord> ThrottleMover::reverse(Lines& lines, std::optional<ExactTime> ramp) {
  const double from = course_.goal();
  if (from == 0.0) throw RangeError(fmt::format("{}: has no throttle", mechanism().name));
  return begin(lines, -from, as_seconds(ramp), {}, "reverse to " + duty_text(-from));
}

std::shared_ptr<MotionRecord> ThrottleMover::stop(Lines& lines, std::optional<ExactTime> ramp) {
  if (is_armed_) return begin(lines, 0.0, as_seconds(ramp), {}, "stop");
  // While it is being armed it gets no throttle: nothing but the safe pulse, or none.
  auto record = begin_record(lines.now(), "stop");
  log().end(lines.now(), MotionStatus::done);
  if (has_pulses()) release(lines);
  return record;
}

void ThrottleMover::halt(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  log().end(now, why);
  if (!is_armed_) {
    if (has_pulses()) release(lines);
    return;
  }
  if (course_.at(now) == 0.0) {
    course_.stay(0.0);
    put_from(now);
    return;
  }
  begin_record(now, "stop");
  course_.go(now, course_.at(now), 0.0, {});
  put_from(now);
}

void ThrottleMover::let(Lines&, SlowsBy how) {
  throw RangeError(fmt::format("{}: its speed controller slows it in its own way, it cannot {}", name(),
                               how == SlowsBy::braking ? "be braked" : "coast"));
}

std::vector<TracedSignal> ThrottleMover::signals() const {
  return {{"asked", "%"}};
}

void ThrottleMover::sample(Tick now, std::span<double> values) const {
  values[0] = 100.0 * pulse_share(now).value_or(std::numeric_limits<double>::quiet_NaN());
}

MoverVerdict ThrottleMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  const std::optional<double> share = pulse_share(now);
  verdict.add("asked", 100.0 * share.value_or(std::numeric_limits<double>::quiet_NaN()), "%");
  if (share) {
    verdict.sum = fmt::format("at {:.3g} % throttle", 100.0 * *share);
    return verdict;
  }
  const double before = seconds(now - went_off().at);
  verdict.add("cut_with_share", went_off().share);
  verdict.add("cut_before", before, "s");
  verdict.sum = went_off().share == 0.0
                    ? "without pulses"
                    : fmt::format(
                          "without pulses; its motor had {:.3g} % throttle until {:.2g} s before the "
                          "end, and MAY STILL TURN",
                          100.0 * went_off().share, before);
  return verdict;
}

std::string ThrottleMover::asked(Tick now) const {
  if (!is_armed_) return "arms";
  return fmt::format("{:.0f} %", 100.0 * throttle_at(now));
}

}  // namespace cogstride
