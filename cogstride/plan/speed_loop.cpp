#include "cogstride/plan/speed_loop.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {

DutyAnswer duty_answer(const Mechanism& mechanism, double counts_per_rad) {
  if (!std::holds_alternative<BrushedMotor>(mechanism.motor))
    throw RangeError(mechanism.name + ": is no brushed motor");
  return duty_answer(model_of(mechanism), mechanism.load.slackens, counts_per_rad);
}

DutyAnswer duty_answer(const RotaryMotorModel& model, bool slackens, double counts_per_rad) {
  const double torque_per_duty = model.torque_per_ampere * model.supply / model.resistance;
  // Viscous friction works like a little more back-EMF.
  const double emf = model.emf + model.viscous * model.resistance / model.torque_per_ampere;
  DutyAnswer answer;
  answer.full_speed = counts_per_rad * model.supply / emf;
  answer.time_constant = model.inertia * model.resistance / (model.torque_per_ampere * emf);
  answer.friction =
      (model.coulomb + model.torque_per_ampere * model.drop / model.resistance) / torque_per_duty;
  answer.stiction =
      (model.stiction + model.torque_per_ampere * model.drop / model.resistance) / torque_per_duty;
  answer.load = model.steady / torque_per_duty;
  answer.load_else = slackens ? 0.0 : answer.load;
  answer.emf = model.emf / (counts_per_rad * model.supply);
  answer.per_ampere = model.resistance / model.supply;
  return answer;
}

void SpeedObserver::predict(double seconds, double duty) {
  const double way = speed_ > 0.0 ? 1.0 : speed_ < 0.0 ? -1.0 : 0.0;
  const double load = way > 0.0 || duty > 0.0 ? answer_.load : answer_.load_else;
  const double driving = duty - load - way * answer_.friction;
  const double change = (answer_.full_speed * driving - speed_) / answer_.time_constant + unknown_;
  // Friction stops, it does not turn back.
  double after = speed_ + change * seconds;
  const bool could_break_loose = std::abs(duty - load) > answer_.friction;
  if (after * speed_ < 0.0 && !could_break_loose) after = 0.0;
  place_ += 0.5 * (speed_ + after) * seconds;
  speed_ = after;
}

void SpeedObserver::correct(double place, double age, double apart) {
  const double off = place - (place_ - speed_ * age);
  const double left = std::exp(-bandwidth_ * apart);
  place_ += (1.0 - left * left * left) * off;
  speed_ += 1.5 * (1.0 - left * left) * (1.0 - left) / apart * off;
  unknown_ += (1.0 - left) * (1.0 - left) * (1.0 - left) / (apart * apart) * off;
}

void SpeedObserver::confine(double lower, double upper, double quiet) {
  place_ = std::clamp(place_, lower, upper);
  const double most = quiet > 0.0 ? 1.0 / quiet : std::abs(speed_);
  if (std::abs(speed_) <= most) return;
  speed_ = std::copysign(most, speed_);
  unknown_ = 0.0;
}

SpeedGains speed_gains(const DutyAnswer& answer, double bandwidth) {
  SpeedGains gains;
  gains.per_speed = (2.0 * bandwidth * answer.time_constant - 1.0) / answer.full_speed;
  gains.per_place = bandwidth * bandwidth * answer.time_constant / answer.full_speed;
  gains.for_speed = 1.0 / answer.full_speed;
  gains.for_change = answer.time_constant / answer.full_speed;
  gains.for_friction = answer.friction;
  gains.for_load = answer.load;
  gains.for_load_else = answer.load_else;
  return gains;
}

double bandwidth_for(double delay) {
  constexpr double taken = 0.36;  // rad, of 76 degrees: 56 are left
  return taken / (2.06 * delay);
}

DutyRange duty_range(const DutyAnswer& answer, double amperes, double speed, double highest) {
  const double middle = answer.emf * speed;
  const double half = answer.per_ampere * amperes;
  return {std::clamp(middle - half, -highest, highest), std::clamp(middle + half, -highest, highest)};
}

LoopStep loop_step(const SpeedGains& gains, const SpeedWanted& wanted, double place, double speed,
                   const DutyRange& range) {
  const double way = wanted.speed > 0.0 ? 1.0 : wanted.speed < 0.0 ? -1.0 : 0.0;
  const double asked = gains.for_speed * wanted.speed + gains.for_change * wanted.change +
                       way * gains.for_friction + (way > 0.0 ? gains.for_load : gains.for_load_else) +
                       gains.per_speed * (wanted.speed - speed) + gains.per_place * (wanted.place - place);
  const double given = std::clamp(asked, range.least, range.most);
  return {given, (asked - given) / gains.per_place};
}

}  // namespace cogstride
