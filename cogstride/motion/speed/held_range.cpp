#include "cogstride/motion/speed/held_range.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double reserve = 0.7;         // of what the current limit leaves for acceleration
constexpr double speed_reserve = 0.97;  // of the speed that full duty leaves

}  // namespace

std::string speed_text(OutputKind kind, double speed) {
  return kind == OutputKind::rotary ? fmt::format("{:.4g} rpm", 60.0 * speed)
                                    : fmt::format("{:.4g} mm/s", 1e3 * speed);
}

CountSource count_source(const Mechanism& mechanism, const Encoder& encoder) {
  const auto* const motor = std::get_if<BrushedMotor>(&mechanism.motor);
  if (motor == nullptr) throw RangeError(mechanism.name + ": is no brushed motor");
  const RotaryMotorModel model = model_of(mechanism);
  return {encoder.name, counts_per_base(mechanism, encoder).to_double(), model,
          motor->inductance.base() / model.resistance};
}

double counts_per_rad(const Mechanism& mechanism, const CountSource& source) {
  return std::abs(source.counts_per_base) /
         (2.0 * pi * std::abs(motor_turns_per_base(mechanism.train).to_double()));
}

HeldRange::HeldRange(const Mechanism& mechanism, const CountSource& source)
    : name_(mechanism.name),
      source_(source.name),
      kind_(output_kind(mechanism.train)),
      counts_per_base_(std::abs(source.counts_per_base)),
      most_duty_(std::min(source.most_duty, mechanism.limits.highest_duty
                                                ? mechanism.limits.highest_duty->base().to_double()
                                                : 1.0)),
      current_limit_(std::min(source.model.current_limit, source.model.supply / source.model.resistance)),
      lowest_(source.lowest) {
  const RotaryMotorModel& model = source.model;
  const double per_rad = counts_per_rad(mechanism, source);
  const auto can = [&](double rad_per_s) {
    return duty_for(model, rad_per_s) <= most_duty_ * speed_reserve &&
           load_torque(model, rad_per_s) <= speed_reserve * current_limit_ * model.torque_per_ampere;
  };
  double rad_per_s = 0.0;
  double beyond = model.supply / model.emf;
  while (beyond - rad_per_s > 1e-4 * beyond) {
    const double middle = 0.5 * (rad_per_s + beyond);
    (can(middle) ? rad_per_s : beyond) = middle;
  }
  if (!can(rad_per_s)) rad_per_s = 0.0;
  highest_ = rad_per_s * per_rad;
  if (mechanism.limits.speed.base > Ratio(0))
    highest_ = std::min(highest_, mechanism.limits.speed.base.to_double() * counts_per_base_);
  const double torque = current_limit_ * model.torque_per_ampere - load_torque(model, rad_per_s);
  acceleration_ = reserve * std::max(0.0, torque) / model.inertia * per_rad;
  if (mechanism.limits.acceleration.base > Ratio(0))
    acceleration_ =
        std::min(acceleration_, mechanism.limits.acceleration.base.to_double() * counts_per_base_);
}

void HeldRange::require(double speed) const {
  const double counts = std::abs(speed) * counts_per_base_;
  if (counts < lowest_ * (1.0 - 1e-9))
    throw RangeError(fmt::format("{}: {} cannot be held: {} counts too rarely below {}", name_,
                                 speed_text(kind_, speed), source_, speed_text(kind_, lowest_speed())));
  if (counts > highest_ * (1.0 + 1e-9))
    throw RangeError(
        fmt::format("{}: {} cannot be held: full duty, its current limit and the rig's limits leave {}",
                    name_, speed_text(kind_, speed), speed_text(kind_, highest_speed())));
}

void HeldRange::require_acceleration(double acceleration) const {
  if (acceleration > 0.0 && acceleration * counts_per_base_ <= acceleration_ * (1.0 + 1e-9)) return;
  throw RangeError(
      fmt::format("{}: {} a second cannot be had: its current limit and its load leave {} a second", name_,
                  speed_text(kind_, acceleration), speed_text(kind_, highest_acceleration())));
}

double HeldRange::acceleration_of(std::optional<double> asked) const {
  return asked ? *asked * counts_per_base_ : acceleration_;
}

double HeldRange::ramp_seconds(double speed, std::optional<double> acceleration) const {
  return std::abs(speed) * counts_per_base_ / acceleration_of(acceleration);
}

}  // namespace cogstride
