#include "cogstride/bench/handles.hpp"

#include <fmt/format.h>

#include "cogstride/bench/bench.hpp"

namespace cogstride {

void Motion::wait() {
  const std::string fault = result();
  if (!fault.empty()) throw MotionFault(fault);
}

std::string Motion::result() {
  bench_->run_until([this] { return record_->has_ended(); });
  return record_->fault;
}

void Motion::cancel(Braking how) {
  mover_->cancel(bench_->lines(), *record_, how);
}

std::optional<Time> Motion::duration() const {
  if (!record_->has_ended() || record_->began == never) return std::nullopt;
  const double ticks = static_cast<double>(record_->ended - record_->began);
  return Time(ticks / bench_->rig().controller.timer_clock.base().to_double(), units::s);
}

template <class M>
Lines& HandleOf<M>::lines() const {
  return bench_->lines();
}

Motion MechanismHandle::home() {
  return motion(mover_->home());
}

Motion MechanismHandle::move(const MoveOrder& order) {
  return motion(mover_->move(order));
}

std::optional<OutputPosition> MechanismHandle::position() const {
  return mover_->position(lines().now());
}

Motion MechanismHandle::spin(const SpeedOrder& order) {
  return motion(mover_->spin(order));
}

Motion MechanismHandle::turn(const TurnOrder& order) {
  return motion(mover_->turn(order));
}

Motion MechanismHandle::faster(OutputSpeed by) {
  return motion(mover_->change_speed(lines(), by));
}

Motion MechanismHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion MechanismHandle::reverse() {
  return motion(mover_->reverse(lines()));
}

void MechanismHandle::stop(Braking how) {
  mover_->stop(lines(), how);
  bench_->wait_for_stop([this] { return mover_->has_ended(); });
}

void MechanismHandle::hold() {
  mover_->hold(lines());
}

Motion MechanismHandle::measure() {
  return motion(mover_->measure());
}

Measured MechanismHandle::measured() const {
  for (const auto& watch : bench_->encoders_) {
    if (&watch->mover() != mover_) continue;
    return {watch->encoder().name, watch->count(), watch->position(), watch->speed(), watch->speed_error()};
  }
  throw RangeError(fmt::format("{}: has no encoder", parts().name));
}

Motion MechanismHandle::redirect(const MoveOrder& order) {
  return motion(mover_->redirect(lines(), order));
}

Motion MechanismHandle::redirect(const SpeedOrder& order) {
  return motion(mover_->redirect(lines(), order));
}

void MechanismHandle::release() {
  mover_->release(lines());
}

Motion SixStepHandle::spin(const SpeedOrder& order) {
  return motion(mover_->spin(lines(), order));
}

Motion SixStepHandle::faster(OutputSpeed by) {
  return motion(mover_->change_speed(lines(), by));
}

Motion SixStepHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion SixStepHandle::reverse() {
  return motion(mover_->reverse(lines()));
}

Motion SixStepHandle::stop() {
  return motion(mover_->stop(lines()));
}

double SixStepHandle::wanted_speed() const {
  return mover_->wanted_speed(lines().now());
}

Motion PairHandle::drive(const CartOrder& order) {
  return motion(mover_->drive(lines(), order));
}

void PairHandle::stop() {
  mover_->stop(lines());
  bench_->wait_for_stop([this] { return bench_->all_are_idle(); });
}

Motion ServoHandle::swing(const MoveOrder& order) {
  return motion(mover_->swing(lines(), order));
}

Motion ServoHandle::stop() {
  return motion(mover_->stop(lines()));
}

void ServoHandle::release() {
  mover_->release(lines());
}

Motion ThrottleHandle::arm() {
  return motion(mover_->arm(lines()));
}

Motion ThrottleHandle::throttle(const DutyOrder& order) {
  return motion(mover_->throttle(lines(), order));
}

Motion ThrottleHandle::faster(ExactFraction by) {
  return motion(mover_->change(lines(), by.base().to_double()));
}

Motion ThrottleHandle::slower(ExactFraction by) {
  return motion(mover_->change(lines(), -by.base().to_double()));
}

Motion ThrottleHandle::reverse(std::optional<ExactTime> ramp) {
  return motion(mover_->reverse(lines(), ramp));
}

Motion ThrottleHandle::stop(std::optional<ExactTime> ramp) {
  return motion(mover_->stop(lines(), ramp));
}

void ThrottleHandle::release() {
  mover_->release(lines());
}

double ThrottleHandle::throttle() const {
  return mover_->throttle_at(lines().now());
}

Motion DriveHandle::spin(const DutyOrder& order) {
  return motion(mover_->spin(lines(), order));
}

Motion DriveHandle::spin(const SpeedOrder& order) {
  return motion(mover_->hold_speed(lines(), order));
}

Motion DriveHandle::move(const MoveOrder& order) {
  return motion(mover_->move(lines(), order));
}

Motion DriveHandle::faster(OutputSpeed by) {
  return motion(mover_->change_speed(lines(), by));
}

Motion DriveHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion DriveHandle::spin_fraction(double fraction, std::optional<ExactTime> ramp) {
  return spin({.duty = duty_of_fraction(fraction, mover_->limits()), .in = ramp});
}

Motion DriveHandle::faster(ExactFraction by) {
  return motion(mover_->change(lines(), by.base().to_double()));
}

Motion DriveHandle::slower(ExactFraction by) {
  return motion(mover_->change(lines(), -by.base().to_double()));
}

Motion DriveHandle::reverse(std::optional<ExactTime> ramp) {
  return motion(mover_->reverse(lines(), ramp));
}

Motion DriveHandle::stop(std::optional<ExactTime> ramp) {
  return motion(mover_->stop(lines(), ramp));
}

void DriveHandle::brake() {
  mover_->brake(lines());
}

void DriveHandle::coast() {
  mover_->coast(lines());
}

double DriveHandle::duty() const {
  return mover_->duty(lines().now());
}

Measured DriveHandle::measured() const {
  for (const Sensor& sensor : parts().sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    const std::int64_t count = mover_->count().value_or(0);
    const OutputPosition turned{output_kind(parts().train),
                                Ratio(count) / counts_per_base(parts(), *encoder)};
    return {encoder->name, count, turned, mover_->speed(), mover_->speed_error()};
  }
  throw RangeError(fmt::format("{}: has no encoder", parts().name));
}

double DriveHandle::measured_current() const {
  const std::optional<double> amperes = mover_->measured_current();
  if (!amperes) throw RangeError(fmt::format("{}: has no shunt, or it was not read yet", parts().name));
  return *amperes;
}

void OutputHandle::on() {
  mover_->set(lines(), true);
}

void OutputHandle::off() {
  mover_->set(lines(), false);
}

void OutputHandle::fade(double share, Time lasts) {
  mover_->fade(lines(), share, bench_->ticks(lasts));
}

}  // namespace cogstride
