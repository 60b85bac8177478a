#include "cogstride/plant/throttled_plant.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double stage_tolerance = 0.02;  // of the range of pulses
constexpr double dead_at_none = 0.01;     // of throttle, that it takes for none
constexpr double turns_on = 0.5;          // of its start throttle: below it, it stops turning
constexpr double nearly = 1e-5;           // of full speed
}  // namespace

ThrottledPlant::ThrottledPlant(const Mechanism& mechanism, const ShaftPlant::Setup& bench)
    : PulsePlant(mechanism, {bench, std::get<ThrottledMotor>(mechanism.motor).heat}) {
  const auto& motor = std::get<ThrottledMotor>(mechanism.motor);
  const auto& input = std::get<PulseWidthInput>(mechanism.board);
  arming_ = input.arming;
  tolerance_ = stage_tolerance * (input.longest_pulse - input.shortest_pulse).base();
  start_ = motor.start_throttle.base().to_double();
  lag_ = std::max(1e-3, motor.lag.base());
  full_current_ = motor.current.base();
  idle_current_ = std::min(motor.idle_current.base(), full_current_);
  surge_current_ = motor.surge_current ? std::max(0.0, motor.surge_current->base() - idle_current_) : 0.0;
  lost_ = motor.efficiency ? 1.0 - motor.efficiency->base().to_double() : 0.0;
}

void ThrottledPlant::signal_lost() {
  state_.throttle = 0.0;
  state_.stage = 0;
  state_.stage_began = -1.0;
}

void ThrottledPlant::take_pulse(double seconds) {
  const double throttle = std::clamp(scale().share_at(seconds), scale().least(), 1.0);
  if (state_.stage == arming_.size()) {
    set_obeys(true);
    state_.throttle = std::abs(throttle) < dead_at_none ? 0.0 : throttle;
    return;
  }
  const auto fits = [&](std::size_t stage) {
    return std::abs(seconds - arming_[stage].pulse.base()) <= tolerance_;
  };
  if (state_.stage_began >= 0.0 && fits(state_.stage)) {
    if (now() - state_.stage_began >= arming_[state_.stage].lasts.base()) {
      ++state_.stage;
      state_.stage_began = -1.0;
      set_obeys(state_.stage == arming_.size());
    }
    return;
  }
  const bool before_goes_on = state_.stage > 0 && state_.stage_began < 0.0 && fits(state_.stage - 1);
  if (before_goes_on && !fits(state_.stage)) return;
  if (std::abs(throttle) >= dead_at_none && !fits(state_.stage)) ++state_.too_soon;
  // A stage begins; what does not fit begins all of it again.
  if (!fits(state_.stage)) state_.stage = 0;
  state_.stage_began = fits(state_.stage) ? now() : -1.0;
}

PulsePlant::Taken ThrottledPlant::move_on(double seconds) {
  double wanted = is_powered() ? state_.throttle : 0.0;
  const double needs = std::abs(state_.speed) > turns_on * start_ ? turns_on * start_ : start_;
  if (std::abs(wanted) < needs) wanted = 0.0;
  const double comes_to = is_jammed() ? 0.0 : wanted;
  const double left = std::exp(-seconds / lag_);
  const double before = state_.speed;
  state_.speed = is_jammed() ? 0.0 : comes_to + (before - comes_to) * left;
  state_.turned += comes_to * seconds + (before - comes_to) * lag_ * (1.0 - left);
  const double cubed = std::abs(state_.speed * state_.speed * state_.speed);
  const bool is_held = is_jammed() && wanted != 0.0;
  double amperes = 0.0;
  if (wanted != 0.0) {
    // How far the mean speed of the step is behind: all of the throttle where it is held fast.
    const double mean = is_jammed() ? 0.0 : comes_to + (before - comes_to) * lag_ / seconds * (1.0 - left);
    const double behind = std::max(0.0, std::copysign(1.0, wanted) * (wanted - mean));
    amperes = idle_current_ + (full_current_ - idle_current_) * cubed + surge_current_ * behind;
    // Nobody said what it draws from a standstill: held fast, at least what its throttle lets through.
    if (is_held && surge_current_ == 0.0) amperes = full_current_ * std::abs(wanted);
  }
  return {amperes, lost_ * amperes * volts(), is_held};
}

bool ThrottledPlant::is_settled() const {
  return std::abs(state_.speed - state_.throttle) < nearly ||
         (std::abs(state_.throttle) < turns_on * start_ && std::abs(state_.speed) < nearly);
}

}  // namespace cogstride
