#include "cogstride/motion/brushless/six_step_limits.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/board/six_gate.hpp"

namespace cogstride {
namespace {
constexpr double noticed_after = 0.08;      // s driven without a count
constexpr double least_of_hand_over = 0.8;  // of the rate from which it is held, that a load may take it to
constexpr double reached_well =
    1.02;  // of that rate, that it is stepped to: it slows down while its currents die away
}  // namespace

Ratio rows_exactly(const Mechanism& mechanism) {
  return Ratio(6 * std::get<BrushlessMotor>(mechanism.motor).pole_pairs) *
         motor_turns_per_base(mechanism.train);
}

double rows_per_base(const Mechanism& mechanism) {
  return rows_exactly(mechanism).to_double();
}

SixStepLimits::SixStepLimits(const Mechanism& mechanism, const Controller& controller, double looks,
                             double lead, double highest_duty)
    : name_(mechanism.name), kind_(output_kind(mechanism.train)) {
  const RotaryMotorModel model = model_of(mechanism);
  rows_per_base_ = rows_per_base(mechanism);
  limit_ = mechanism.limits.speed.base.to_double() * rows_per_base_;
  const auto& wiring = std::get<GateWiring>(mechanism.wiring);
  const bool by_sensors = wiring.commutated_by == CommutatedBy::sensors;
  const auto* const halls = sensor_of<HallSet>(mechanism);
  const auto* const terminals = sensor_of<TerminalVoltages>(mechanism);
  CountSource source;
  source.counts_per_base = rows_per_base_;
  source.model = model;
  source.winding = std::get<BrushlessMotor>(mechanism.motor).inductance.base() / model.resistance;
  source.most_duty = highest_duty;
  source.noticed_after = noticed_after;
  source.can_brake = wiring.complementary;
  if (halls != nullptr) halls_ = *halls;
  if (by_sensors && halls != nullptr) {
    source.name = halls->name;
    source.kind = "Hall sensors";
    hold_.emplace(mechanism, source, controller.timer_clock.base().to_double(), looks, lead);
    return;
  }
  open_loop_ = open_loop_start(mechanism, model);
  if (!by_sensors || terminals == nullptr) return;
  const BackEmfSense sense = back_emf_sense(mechanism, *terminals, controller);
  if (sense.hand_over_rate * reached_well > open_loop_->top_rate) return;
  back_emf_ = sense;
  hand_over_ = sense.hand_over_rate;
  source.name = terminals->name;
  source.kind = "dividers";
  source.lowest = std::max(source.lowest, least_of_hand_over * hand_over_);
  hold_.emplace(mechanism, source, controller.timer_clock.base().to_double(), looks, lead);
}

void SixStepLimits::require(double wanted) const {
  const double rate = std::abs(wanted) * rows_per_base_;
  if (is_held(rate)) {
    hold_->range().require(wanted);
    return;
  }
  const double most = limit_ > 0.0 ? std::min(limit_, open_loop_->top_rate) : open_loop_->top_rate;
  if (rate > 0.0 && (hold_ || rate <= most * (1.0 + 1e-9))) return;
  throw RangeError(fmt::format("{}: {} cannot be had {}: up to {} can", name_, speed_text(kind_, wanted),
                               halls_ ? "stepped by time" : "without sensors",
                               speed_text(kind_, most / rows_per_base_)));
}

void SixStepLimits::require(OutputAcceleration acceleration) const {
  if (!hold_ || back_emf_)
    throw RangeError(fmt::format("{}: without sensors torque and inertia say how fast it is started", name_));
  hold_->range().require_acceleration(acceleration.base.to_double());
}

double SixStepLimits::stepped_to(double rate) const {
  return is_held(rate) ? std::min(open_loop_->top_rate, reached_well * hand_over_) : rate;
}

double SixStepLimits::shortest(double speed, std::optional<double> acceleration) const {
  if (!open_loop_) return 2.0 * hold_->range().ramp_seconds(speed, acceleration);
  return open_loop_->align_seconds + stepped_to(std::abs(speed) * rows_per_base_) / open_loop_->acceleration;
}

SixStepLimits six_step_limits(const Mechanism& mechanism, const Controller& controller) {
  return {mechanism, controller, 1e-3, 0.0, GateDriver(mechanism, {}, controller).highest_duty()};
}

}  // namespace cogstride
