#include "cogstride/motion/gearing/shaft_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/motion/speed/held_range.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr double at_once = 1e12;  // turns/s2: a master without an acceleration changes its speed at once

}  // namespace

const MoverKind ShaftMover::its_kind{"is no shaft that others only follow", "shaft"};

ShaftMover::ShaftMover(const Shaft& shaft, MechanismId id, const Controller& controller)
    : Mover(id, shaft.name),
      shaft_(shaft),
      parts_(parts_of(shaft)),
      ticks_per_second_(controller.timer_clock.base().to_double()) {}

Tick ShaftMover::tick_of(double seconds) const {
  return began_ + static_cast<Tick>(std::ceil(seconds * ticks_per_second_));
}

MotionState ShaftMover::state(Tick at) const {
  return ramp_.state_at(static_cast<double>(std::max<Tick>(0, at - began_)) / ticks_per_second_);
}

RampLimits ShaftMover::limits() const {
  const double grains = static_cast<double>(grains_per_base);
  const double acceleration = shaft_.acceleration ? shaft_.acceleration->base.to_double() : at_once;
  return {shaft_.speed.base.to_double() * grains, acceleration * grains};
}

std::shared_ptr<MotionRecord> ShaftMover::go(Lines& lines, Ramp ramp, std::string what) {
  log().end(lines.now(), MotionStatus::cancelled);
  ramp_ = ramp;
  began_ = lines.now();
  arrives_at_ = tick_of(ramp_.is_endless() ? ramp_.phases().back().start : ramp_.duration());
  return log().begin(lines.now(), std::move(what));
}

std::shared_ptr<MotionRecord> ShaftMover::spin(Lines& lines, const SpeedOrder& order) {
  if (!shaft_.is_master())
    throw RangeError(fmt::format("{}: is turned by another machine, and not by this rig", name()));
  require_kind(parts_, order.at.kind);
  const double speed = order.at.base.to_double();
  if (std::abs(speed) > shaft_.speed.base.to_double() * (1.0 + 1e-12))
    throw RangeError(fmt::format("{}: {} is over its speed of {}", name(), speed_text(order.at.kind, speed),
                                 speed_text(order.at.kind, shaft_.speed.base.to_double())));
  if (order.lasts) throw RangeError(fmt::format("{}: turns until it is stopped, or for a way", name()));
  RampLimits with = limits();
  if (order.acceleration) {
    require_kind(parts_, order.acceleration->kind);
    with.acceleration = order.acceleration->base.to_double() * static_cast<double>(grains_per_base);
  }
  const MotionState from = state(lines.now());
  if (order.in && ExactTime() < *order.in) {
    const double change = std::abs(speed * static_cast<double>(grains_per_base) - from.speed);
    if (change > 0.0) with.acceleration = change / order.in->base().to_double();
  }
  asked_ = order.at.base;
  std::string what = "turn at " + speed_text(order.at.kind, speed);
  if (order.by) {
    const Ratio way = (order.at.base < Ratio(0) ? -order.by->base : order.by->base) * Ratio(grains_per_base);
    with.speed = std::abs(speed) * static_cast<double>(grains_per_base);
    what += fmt::format(" for {}", to_text(*order.by));
    return go(lines, plan_ramp(from, from.position.whole + way.rounded(), with), std::move(what));
  }
  return go(lines, plan_speed(from, speed * static_cast<double>(grains_per_base), with), std::move(what));
}

std::shared_ptr<MotionRecord> ShaftMover::change_speed(Lines& lines, OutputSpeed by) {
  if (asked_ == Ratio(0)) throw RangeError(name() + ": does not turn");
  const Ratio from = asked_;
  const Ratio to = from < Ratio(0) ? from - by.base : from + by.base;
  if (to * from <= Ratio(0))
    throw RangeError(name() + ": of its speed nothing would be left; stop it instead");
  return spin(lines, {.at = OutputSpeed{by.kind, to}});
}

std::shared_ptr<MotionRecord> ShaftMover::reverse_speed(Lines& lines) {
  if (asked_ == Ratio(0)) throw RangeError(name() + ": does not turn");
  return spin(lines, {.at = OutputSpeed{output_kind(shaft_.train), -asked_}});
}

void ShaftMover::stop(Lines& lines, Braking) {
  if (!shaft_.is_master()) return;
  asked_ = Ratio(0);
  go(lines, plan_stop(state(lines.now()), limits()), "stop");
}

/// Its followers stop by themselves; nothing of it turns.
void ShaftMover::halt(Lines& lines, const Why& why) {
  log().end(lines.now(), why);
  asked_ = Ratio(0);
  if (!shaft_.is_master() || state(lines.now()).speed == 0.0) return;
  ramp_ = plan_stop(state(lines.now()), limits());
  began_ = lines.now();
  arrives_at_ = never;
}

void ShaftMover::lines_were_cut(Lines& lines, const Why& why) {
  log().end(lines.now(), why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  ramp_ = Ramp(state(lines.now()).position);
  began_ = lines.now();
  arrives_at_ = never;
  asked_ = Ratio(0);
}

Commanded::Ahead ShaftMover::commanded(Tick now, Tick at) const {
  const MotionState then = state(at);
  return {way_between({commanded_step(now), 0.0}, then.position), then.speed};
}

void ShaftMover::act(Lines& lines, std::span<const Reading>) {
  if (lines.now() < arrives_at_) return;
  arrives_at_ = never;
  if (!ramp_.is_endless()) asked_ = Ratio(0);
  log().end(lines.now(), MotionStatus::done);
}

MoverVerdict ShaftMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  if (!shaft_.is_master()) return verdict;
  const OutputKind kind = output_kind(shaft_.train);
  const double went = state(now).position.to_double() / static_cast<double>(grains_per_base);
  verdict.sum = kind == OutputKind::rotary ? fmt::format("a master speed: {:.6g} turns", went)
                                           : fmt::format("a master speed: {:.6g} mm", 1e3 * went);
  verdict.add("asked", display_units_per_base(kind) * went, std::string(display_unit(kind, 0)));
  return verdict;
}

std::vector<TracedSignal> ShaftMover::signals() const {
  if (!shaft_.is_master()) return {};
  return {{"asked_speed", std::string(speed_unit(output_kind(shaft_.train)))}};
}

void ShaftMover::sample(Tick now, std::span<double> values) const {
  if (!shaft_.is_master()) return;
  values[0] = speed_units_per_base(output_kind(shaft_.train)) * state(now).speed /
              static_cast<double>(grains_per_base);
}

std::string ShaftMover::asked(Tick now) const {
  if (!shaft_.is_master()) return {};
  return speed_text(output_kind(shaft_.train), state(now).speed / static_cast<double>(grains_per_base));
}

}  // namespace cogstride
