#include "cogstride/bench/handles.hpp"

#include <fmt/format.h>

#include <type_traits>
#include <variant>

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
  const auto take_back = [&](auto* mover) {
    if constexpr (std::is_same_v<decltype(mover), StepperMover*>) {
      mover->cancel(bench_->lines(), *record_, how);
    } else if (!record_->has_ended()) {
      mover->stop(bench_->lines());
    }
  };
  std::visit(take_back, mover_);
}

std::optional<Time> Motion::duration() const {
  if (!record_->has_ended() || record_->began == never) return std::nullopt;
  const double ticks = static_cast<double>(record_->ended - record_->began);
  return Time(ticks / bench_->rig().controller.timer_clock.base().to_double(), units::s);
}

Motion MechanismHandle::home() {
  return {*bench_, *mover_, mover_->home()};
}

Motion MechanismHandle::move(const MoveOrder& order) {
  return {*bench_, *mover_, mover_->move(order)};
}

std::optional<OutputPosition> MechanismHandle::position() const {
  return mover_->position(bench_->lines().now());
}

Motion MechanismHandle::spin(const SpeedOrder& order) {
  return {*bench_, *mover_, mover_->spin(order)};
}

Motion MechanismHandle::turn(const TurnOrder& order) {
  return {*bench_, *mover_, mover_->turn(order)};
}

Motion MechanismHandle::faster(OutputSpeed by) {
  return {*bench_, *mover_, mover_->change_speed(bench_->lines(), by)};
}

Motion MechanismHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion MechanismHandle::reverse() {
  return {*bench_, *mover_, mover_->reverse(bench_->lines())};
}

void MechanismHandle::stop(Braking how) {
  mover_->stop(bench_->lines(), how);
  bench_->run_until([this] { return mover_->is_idle(); });
}

void MechanismHandle::hold() {
  mover_->hold(bench_->lines());
}

Motion MechanismHandle::measure() {
  return {*bench_, *mover_, mover_->measure()};
}

Measured MechanismHandle::measured() const {
  for (const auto& watch : bench_->encoders_) {
    if (&watch->mover() != mover_) continue;
    return {watch->encoder().name, watch->count(), watch->position(), watch->speed(), watch->speed_error()};
  }
  throw RangeError(fmt::format("{}: has no encoder", parts().name));
}

Motion MechanismHandle::redirect(const MoveOrder& order) {
  return {*bench_, *mover_, mover_->redirect(bench_->lines(), order)};
}

Motion MechanismHandle::redirect(const SpeedOrder& order) {
  return {*bench_, *mover_, mover_->redirect(bench_->lines(), order)};
}

void MechanismHandle::release() {
  mover_->release(bench_->lines());
}

Motion SixStepHandle::spin(const SpeedOrder& order) {
  return {*bench_, *six_step_, six_step_->spin(bench_->lines(), order)};
}

Motion SixStepHandle::faster(OutputSpeed by) {
  return {*bench_, *six_step_, six_step_->change_speed(bench_->lines(), by)};
}

Motion SixStepHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion SixStepHandle::reverse() {
  return {*bench_, *six_step_, six_step_->reverse(bench_->lines())};
}

Motion SixStepHandle::stop() {
  return {*bench_, *six_step_, six_step_->stop(bench_->lines())};
}

double SixStepHandle::wanted_speed() const {
  return six_step_->wanted_speed(bench_->lines().now());
}

Motion PairHandle::drive(const CartOrder& order) {
  return {*bench_, *pair_, pair_->drive(bench_->lines(), order)};
}

void PairHandle::stop() {
  pair_->stop(bench_->lines());
  bench_->wait_for_all();
}

Motion ServoHandle::swing(const MoveOrder& order) {
  return {*bench_, *servo_, servo_->swing(bench_->lines(), order)};
}

Motion ServoHandle::stop() {
  return {*bench_, *servo_, servo_->stop(bench_->lines())};
}

void ServoHandle::release() {
  servo_->release(bench_->lines());
}

Motion ThrottleHandle::arm() {
  return {*bench_, *throttle_, throttle_->arm(bench_->lines())};
}

Motion ThrottleHandle::throttle(const DutyOrder& order) {
  return {*bench_, *throttle_, throttle_->throttle(bench_->lines(), order)};
}

Motion ThrottleHandle::faster(ExactFraction by) {
  return {*bench_, *throttle_, throttle_->change(bench_->lines(), by.base().to_double())};
}

Motion ThrottleHandle::slower(ExactFraction by) {
  return {*bench_, *throttle_, throttle_->change(bench_->lines(), -by.base().to_double())};
}

Motion ThrottleHandle::reverse(std::optional<ExactTime> ramp) {
  return {*bench_, *throttle_, throttle_->reverse(bench_->lines(), ramp)};
}

Motion ThrottleHandle::stop(std::optional<ExactTime> ramp) {
  return {*bench_, *throttle_, throttle_->stop(bench_->lines(), ramp)};
}

void ThrottleHandle::release() {
  throttle_->release(bench_->lines());
}

double ThrottleHandle::throttle() const {
  return throttle_->throttle_at(bench_->lines().now());
}

Motion DriveHandle::spin(const DutyOrder& order) {
  return {*bench_, *drive_, drive_->spin(bench_->lines(), order)};
}

Motion DriveHandle::spin(const SpeedOrder& order) {
  return {*bench_, *drive_, drive_->hold_speed(bench_->lines(), order)};
}

Motion DriveHandle::move(const MoveOrder& order) {
  return {*bench_, *drive_, drive_->move(bench_->lines(), order)};
}

Motion DriveHandle::faster(OutputSpeed by) {
  return {*bench_, *drive_, drive_->change_speed(bench_->lines(), by)};
}

Motion DriveHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion DriveHandle::spin_fraction(double fraction, std::optional<ExactTime> ramp) {
  return spin({.duty = duty_of_fraction(fraction, drive_->limits()), .ramp = ramp});
}

Motion DriveHandle::faster(ExactFraction by) {
  return {*bench_, *drive_, drive_->change(bench_->lines(), by.base().to_double())};
}

Motion DriveHandle::slower(ExactFraction by) {
  return {*bench_, *drive_, drive_->change(bench_->lines(), -by.base().to_double())};
}

Motion DriveHandle::reverse(std::optional<ExactTime> ramp) {
  return {*bench_, *drive_, drive_->reverse(bench_->lines(), ramp)};
}

Motion DriveHandle::stop(std::optional<ExactTime> ramp) {
  return {*bench_, *drive_, drive_->stop(bench_->lines(), ramp)};
}

void DriveHandle::brake() {
  drive_->brake(bench_->lines());
}

void DriveHandle::coast() {
  drive_->coast(bench_->lines());
}

double DriveHandle::duty() const {
  return drive_->duty(bench_->lines().now());
}

Measured DriveHandle::measured() const {
  for (const Sensor& sensor : parts().sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    const std::int64_t count = drive_->count().value_or(0);
    const OutputPosition turned{output_kind(parts().train),
                                Ratio(count) / counts_per_base(parts(), *encoder)};
    return {encoder->name, count, turned, drive_->speed(), drive_->speed_error()};
  }
  throw RangeError(fmt::format("{}: has no encoder", parts().name));
}

double DriveHandle::measured_current() const {
  const std::optional<double> amperes = drive_->measured_current();
  if (!amperes) throw RangeError(fmt::format("{}: has no shunt, or it was not read yet", parts().name));
  return *amperes;
}

void OutputHandle::on() {
  output_->set(bench_->lines(), true);
}

void OutputHandle::off() {
  output_->set(bench_->lines(), false);
}

void OutputHandle::fade(double share, Time lasts) {
  output_->fade(bench_->lines(), share, bench_->ticks(lasts));
}

}  // namespace cogstride
