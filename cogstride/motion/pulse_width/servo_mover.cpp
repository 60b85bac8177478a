#include "cogstride/motion/pulse_width/servo_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr std::int64_t grains = 10'000'000;  // a turn or a metre, of what a ramp counts
constexpr double settling_lags = 6.0;        // time constants until nothing is left that it would follow

const HobbyServo& servo_of(const Mechanism& mechanism) {
  return std::get<HobbyServo>(mechanism.motor);
}

OutputSpeed own_speed(const Mechanism& mechanism) {
  return {output_kind(mechanism.train),
          servo_of(mechanism).speed.base() / motor_turns_per_base(mechanism.train)};
}

std::int64_t grain_at(OutputPosition position) {
  return (position.base * Ratio(grains)).rounded();
}

/// s that it needs after its last pulse has been said.
double settles_in(const Mechanism& mechanism) {
  return 1.0 / std::get<PulseWidthInput>(mechanism.board).frame_rate.base().to_double() +
         settling_lags * servo_of(mechanism).lag.base();
}

double first_swing_seconds(const Mechanism& mechanism) {
  return (range_of(mechanism).base / own_speed(mechanism).base).to_double() + settles_in(mechanism);
}

void require_inside(const Mechanism& mechanism, OutputPosition to) {
  const OutputPosition swing = range_of(mechanism);
  if (to.base >= Ratio(0) && to.base <= swing.base) return;
  throw RangeError(fmt::format("{}: {} lies beyond its measured end points, 0 {} and {}", mechanism.name,
                               to_text(to), display_unit(to.kind, 0), to_text(swing)));
}

}  // namespace

namespace {
/// That it swings with when nothing is said.
OutputSpeed swing_speed(const Mechanism& mechanism) {
  const OutputSpeed own = own_speed(mechanism);
  const OutputSpeed limit = mechanism.limits.speed;
  return limit.base > Ratio(0) && limit.base < own.base ? limit : own;
}
}  // namespace

RampLimits swing_limits(const Mechanism& mechanism, const std::optional<OutputSpeed>& speed,
                        const std::optional<OutputAcceleration>& acceleration) {
  const Limits& limits = mechanism.limits;
  const OutputSpeed own = own_speed(mechanism);
  OutputSpeed most = swing_speed(mechanism);
  if (speed) {
    require_kind(mechanism, speed->kind);
    if (speed->base <= Ratio(0))
      throw RangeError(fmt::format("{}: a swing's speed is above 0", mechanism.name));
    if (speed->base > most.base)
      throw RangeError(fmt::format("{}: {} is over {}, which {}", mechanism.name, to_text(*speed),
                                   to_text(most),
                                   most.base == own.base ? "is the servo's own speed" : "its limits allow"));
    most = *speed;
  }
  OutputAcceleration slope = limits.acceleration;
  if (acceleration) {
    require_kind(mechanism, acceleration->kind);
    if (acceleration->base <= Ratio(0))
      throw RangeError(fmt::format("{}: an acceleration is above 0", mechanism.name));
    if (limits.acceleration.base > Ratio(0) && acceleration->base > limits.acceleration.base)
      throw RangeError(fmt::format("{}: {} is over {}, which its limits allow", mechanism.name,
                                   to_text(*acceleration), to_text(limits.acceleration)));
    slope = *acceleration;
  }
  RampLimits ramp;
  ramp.speed = (most.base * Ratio(grains)).to_double();
  ramp.acceleration = (slope.base * Ratio(grains)).to_double();
  if (slope.base == Ratio(0)) {  // the servo's own motor is all that holds it back
    ramp.start_speed = ramp.speed;
    ramp.acceleration = ramp.speed / servo_of(mechanism).lag.base();
  }
  return ramp;
}

namespace {

/// Evenly, in a time: the speed that this takes, reached and left at once.
RampLimits even_limits(const Mechanism& mechanism, OutputPosition from, OutputPosition to,
                       const MoveOrder& order) {
  if (order.speed || order.acceleration)
    throw RangeError(
        fmt::format("{}: a swing 'in' a time has no speed or acceleration beside it", mechanism.name));
  const Ratio way = from.base < to.base ? to.base - from.base : from.base - to.base;
  const Ratio most = swing_speed(mechanism).base;
  const Ratio speed = way / order.in->base();
  if (speed > most)
    throw RangeError(fmt::format("{}: {} in {:.4g} s is faster than its {}: {:.4g} s at the least",
                                 mechanism.name, to_text(OutputPosition(from.kind, way)),
                                 order.in->base().to_double(), to_text(swing_speed(mechanism)),
                                 (way / most).to_double()));
  RampLimits ramp;
  ramp.speed = ramp.start_speed = std::max(1.0, (speed * Ratio(grains)).to_double());
  ramp.acceleration = 1e3 * ramp.speed;
  return ramp;
}

}  // namespace

double swing_seconds(const Mechanism& mechanism, const std::optional<OutputPosition>& from, OutputPosition to,
                     const MoveOrder& order) {
  if (order.in && from) {
    (void)even_limits(mechanism, *from, to, order);
    return order.in->base().to_double();
  }
  const RampLimits limits = swing_limits(mechanism, order.speed, order.acceleration);
  if (!from) return first_swing_seconds(mechanism);
  return plan_ramp({}, grain_at(to) - grain_at(*from), limits).duration() + settles_in(mechanism);
}

const MoverKind ServoMover::its_kind{"is no hobby servo"};

ServoMover::ServoMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : PulseWidthMover(mechanism, id, controller), swing_(range_of(mechanism)) {}

double ServoMover::share_at(Tick at) const {
  const double place = ramp_.position_at(seconds(at - began_)) / static_cast<double>(grains);
  return place / swing_.base.to_double();
}

bool ServoMover::frame_is_put(Tick now, Tick begins) {
  if (now >= done_at_) {
    done_at_ = never;
    log().end(now, MotionStatus::done);
  }
  return begins < ramp_ends_ || done_at_ != never;
}

/// A swing in a time is over when that has passed: the next one goes on from where this one leads.
void ServoMover::act(Lines& lines, std::span<const Reading> readings) {
  if (ends_at_ <= lines.now()) {
    ends_at_ = never;
    log().end(lines.now(), MotionStatus::done);
  }
  PulseWidthMover::act(lines, readings);
}

void ServoMover::go(Tick now, const Ramp& ramp, OutputPosition to, double settles) {
  ramp_ = ramp;
  began_ = now;
  ramp_ends_ = now + ticks(ramp.duration());
  done_at_ = ramp_ends_ + ticks(settles);
  goes_to_ = to;
  ends_at_ = never;
  put_from(now);
}

std::shared_ptr<MotionRecord> ServoMover::swing(Lines& lines, const MoveOrder& order) {
  const Mechanism& own = mechanism();
  if (order.way) throw RangeError(fmt::format("{}: a servo swings to an angle, not round", own.name));
  if (order.in && !goes_to_)
    throw RangeError(
        fmt::format("{}: nobody knows where it stands before its first pulse: its first swing goes as "
                    "fast as it can, not in a time",
                    own.name));
  if (!goes_to_ && !order.to)
    throw RangeError(
        fmt::format("{}: nobody knows where it stands before its first pulse: its first swing is to "
                    "an angle, not by one",
                    own.name));
  const OutputPosition from = goes_to_.value_or(OutputPosition{swing_.kind, Ratio(0)});
  const OutputPosition to = target_of(own, from, order);
  require_inside(own, to);
  const RampLimits limits =
      order.in ? even_limits(own, from, to, order) : swing_limits(own, order.speed, order.acceleration);
  log().require_no_obstacle();
  const Tick now = lines.now();
  auto record = begin_record(now, "swing to " + to_text(to));
  limits_ = limits;
  if (order.in) {
    go(now, plan_ramp({.position = {grain_at(from), 0.0}}, grain_at(to), limits), to, settles_in(own));
    ends_at_ = now + ticks(order.in->base().to_double());
  } else if (!goes_to_) {
    go(now, Ramp({grain_at(to), 0.0}), to, first_swing_seconds(own));
  } else {
    go(now, plan_ramp(ramp_.state_at(seconds(now - began_)), grain_at(to), limits), to, settles_in(own));
  }
  return record;
}

void ServoMover::brake(Lines& lines) {
  const Tick now = lines.now();
  const Ramp ramp = plan_stop(ramp_.state_at(seconds(now - began_)), limits_);
  const OutputPosition to{swing_.kind, Ratio(ramp.end().whole, grains)};
  go(now, ramp, to, settles_in(mechanism()));
}

std::shared_ptr<MotionRecord> ServoMover::stop(Lines& lines) {
  auto record = begin_record(lines.now(), "stop");
  if (goes_to_) {
    brake(lines);
  } else {
    log().end(lines.now(), MotionStatus::done);
  }
  return record;
}

void ServoMover::halt(Lines& lines, const Why& why) {
  const bool moves = !has_ended();
  log().end(lines.now(), why);
  if (moves && goes_to_) {
    begin_record(lines.now(), "stop");
    brake(lines);
  }
}

std::shared_ptr<MotionRecord> ServoMover::move(Lines& lines, const MoveOrder& order) {
  return swing(lines, order);
}

std::vector<TracedSignal> ServoMover::signals() const {
  return {{"asked", std::string(display_unit(swing_.kind, 0))}};
}

void ServoMover::sample(Tick now, std::span<double> values) const {
  values[0] = display_units_per_base(swing_.kind) * swing_.base.to_double() *
              pulse_share(now).value_or(std::numeric_limits<double>::quiet_NaN());
}

MoverVerdict ServoMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  const std::optional<double> share = pulse_share(now);
  verdict.add("asked",
              display_units_per_base(swing_.kind) * swing_.base.to_double() *
                  share.value_or(std::numeric_limits<double>::quiet_NaN()),
              std::string(display_unit(swing_.kind, 0)));
  verdict.sum = share ? fmt::format("sent to {:.1f} % of its swing", 100.0 * *share) : "without pulses";
  return verdict;
}

std::string ServoMover::asked(Tick now) const {
  const std::optional<double> share = pulse_share(now);
  if (!share) return {};
  return fmt::format("{:.0f} {}", *share * swing_.base.to_double() * display_units_per_base(swing_.kind),
                     display_unit(swing_.kind, 0));
}

}  // namespace cogstride
