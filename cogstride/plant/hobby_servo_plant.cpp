#include "cogstride/plant/hobby_servo_plant.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double let_go_at = 0.25;     // of the dead band: driven until it is as near as this
constexpr double nearly_still = 1e-4;  // swings a second
constexpr double held_duty = 0.8;      // from which a servo that stands is held fast
}  // namespace

HobbyServoPlant::HobbyServoPlant(const Mechanism& mechanism, const ShaftPlant::Setup& bench,
                                 double start_share)
    : PulsePlant(mechanism, {bench, std::get<HobbyServo>(mechanism.motor).heat}) {
  const auto& motor = std::get<HobbyServo>(mechanism.motor);
  const double supplied = volts() / motor.rated_voltage.base();
  top_speed_ = supplied * (motor.speed.base() / motor.range.base()).to_double();
  lag_ = motor.lag.base();
  dead_band_ = motor.dead_band.base();
  stall_current_ = supplied * motor.stall_current.base();
  idle_current_ = motor.idle_current.base();
  resistance_ = motor.rated_voltage.base() / motor.stall_current.base();
  state_.place = state_.target = start_share;
}

void HobbyServoPlant::take_pulse(double seconds) {
  state_.is_limp = false;
  set_obeys(true);
  state_.target = scale().share_at(seconds);
}

PulsePlant::Taken HobbyServoPlant::move_on(double seconds) {
  if (!is_powered() || state_.is_limp) {
    state_.duty = 0.0;
    state_.drives = false;
  } else {
    const double off = state_.target - state_.place;
    const double off_seconds = std::abs(off * scale().seconds_per_share(state_.place));
    if (off_seconds > dead_band_) state_.drives = true;
    if (off_seconds <= let_go_at * dead_band_) state_.drives = false;
    state_.duty = state_.drives ? std::clamp(off / (top_speed_ * lag_), -1.0, 1.0) : 0.0;
  }
  const double comes_to = state_.duty * top_speed_;
  const double left = std::exp(-seconds / (0.25 * lag_));
  const double before = state_.speed;
  state_.speed = comes_to + (before - comes_to) * left;
  // The way under that exponential.
  double place = state_.place + comes_to * seconds + (before - comes_to) * 0.25 * lag_ * (1.0 - left);
  const bool at_stop = (place <= 0.0 && state_.duty <= 0.0) || (place >= 1.0 && state_.duty >= 0.0);
  if (is_jammed()) place = state_.place;
  if (is_jammed() || at_stop) state_.speed = 0.0;
  state_.place = std::clamp(place, 0.0, 1.0);
  const double amperes = stall_current_ * std::abs(state_.duty - state_.speed / top_speed_);
  const bool is_held = state_.speed == 0.0 && std::abs(state_.duty) > held_duty;
  const double idle = is_powered() && !state_.is_limp ? idle_current_ : 0.0;
  return {amperes + idle, amperes * amperes * resistance_, is_held};
}

bool HobbyServoPlant::is_settled() const {
  if (std::abs(state_.speed) > nearly_still) return false;
  return state_.duty == 0.0 || is_jammed() || state_.speed == 0.0;
}

}  // namespace cogstride
