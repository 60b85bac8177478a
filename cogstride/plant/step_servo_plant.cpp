#include "cogstride/plant/step_servo_plant.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/board/line_levels.hpp"

namespace cogstride {
namespace {

constexpr double follows_within = 2e-3;      // s, of the reference behind the steps
constexpr double in_position_within = 2e-3;  // turns

const StepServo& servo_of(const Mechanism& mechanism) {
  return std::get<StepServo>(mechanism.motor);
}

bool level(const SensedLine& line, bool yes) {
  return yes == (line.active == ActiveLevel::high);
}

}  // namespace

StepServoPlant::StepServoPlant(const Mechanism& mechanism, const Setup& setup)
    : SteppedPlant(mechanism, setup),
      angle_per_step_(2.0 * pi / static_cast<double>(servo_of(mechanism).steps_per_turn)),
      peak_torque_(servo_of(mechanism).peak_torque.base()),
      top_speed_(2.0 * pi * servo_of(mechanism).top_speed.base().to_double()),
      loop_(2.0 * pi * servo_of(mechanism).bandwidth.in(units::Hz)),
      torque_per_ampere_(servo_of(mechanism).rated_torque.base() /
                         std::max(1e-9, servo_of(mechanism).current.base())),
      period_(steps_lost_at_once(mechanism)),
      state_(StepDirReceiver(mechanism.step_dir(), mechanism.step_dir_lines(), setup.clock,
                             mechanism.common.enable)),
      kept_(state_),
      before_step_(state_) {
  const StepDirWiring& wiring = mechanism.step_dir_lines();
  hears_ = {line_id(wiring.step), line_id(wiring.dir)};
  if (wiring.enable) hears_.push_back(line_id(*wiring.enable));
  begin();
  switched();
  keep();
}

std::vector<Level> StepServoPlant::drives() const {
  std::vector<Level> levels = ShaftPlant::drives();
  const CommonWiring& common = mechanism_.common;
  if (common.fault)
    levels.push_back({static_cast<LineId>(common.fault->number), level(*common.fault, state_.fault_told)});
  if (common.in_position)
    levels.push_back(
        {static_cast<LineId>(common.in_position->number), level(*common.in_position, state_.in_position)});
  return levels;
}

double StepServoPlant::wanted() const {
  return state_.zero + angle_per_step_ * static_cast<double>(state_.board.microstep());
}

void StepServoPlant::hear_board(std::size_t input, bool high) {
  if (input == 0) {
    state_.board.set_step(shaft_.now, high);
  } else if (input == 1) {
    state_.board.set_dir(shaft_.now, high);
  } else {
    state_.board.set_enable(shaft_.now, high);
  }
  switched();
}

/// Switched on it holds where it stands; switched off it forgets that it gave up.
void StepServoPlant::switched() {
  const bool on = is_on();
  if (on == state_.was_on) return;
  state_.was_on = on;
  if (on) {
    const double off = wanted() - shaft_.angle;
    if (state_.slipped || std::abs(off) > 2.0 * pi * step_servo_gives_up)
      state_.lost += std::llround(off / angle_per_step_);
    state_.zero -= off;
    state_.reference = shaft_.angle;
    state_.held = 0.0;
    if (state_.failing) trip();
  } else {
    state_.tripped = false;
  }
}

void StepServoPlant::motor_powered(bool powered) {
  state_.board.set_powered(shaft_.now, powered);
  switched();
}

void StepServoPlant::integrate(double seconds) {
  state_.torque = 0.0;
  if (is_on() && !state_.tripped) {
    const double ahead = wanted() - state_.reference;
    const double reference_speed = ahead / follows_within;
    state_.reference += ahead * std::min(1.0, seconds / follows_within);
    const double error = state_.reference - shaft_.angle;
    const double pull =
        inertia_ * 3.0 * loop_ * (loop_ * error + (reference_speed - shaft_.speed)) + state_.held;
    state_.torque = std::clamp(pull, -peak_torque_, peak_torque_);
    // At its peak, and within half a step at rest, it gathers no more.
    const bool at_place = std::abs(error) < 0.5 * angle_per_step_ && shaft_.speed == 0.0;
    if (!at_place && pull == state_.torque)
      state_.held = std::clamp(state_.held + inertia_ * loop_ * loop_ * loop_ * error * seconds,
                               -peak_torque_, peak_torque_);
    if (std::abs(shaft_.speed) > top_speed_ && state_.torque * shaft_.speed > 0.0) state_.torque = 0.0;
  }
  turn(state_.torque, seconds);
}

void StepServoPlant::trip() {
  state_.tripped = true;
  const double off = wanted() - shaft_.angle;
  const int way = state_.board.last_direction() < 0 ? -1 : 1;
  state_.slip = {shaft_.now, state_.board.step_rate(), way * std::llround(off / angle_per_step_)};
  state_.slipped = true;
}

/// A fault of its own: too warm, an encoder that it reads no more.
void StepServoPlant::drive_fails(bool fails) {
  state_.failing = fails;
  if (fails && is_on() && !state_.tripped) trip();
}

void StepServoPlant::step_is_over() {
  const double behind = std::abs(wanted() - shaft_.angle) / (2.0 * pi);
  if (is_on() && !state_.tripped && behind > step_servo_gives_up) trip();
  const bool in_position = is_on() && !state_.tripped && behind < in_position_within;
  const CommonWiring& common = mechanism_.common;
  if (common.fault && state_.tripped != state_.fault_told)
    tell(static_cast<LineId>(common.fault->number), level(*common.fault, state_.tripped));
  if (common.in_position && in_position != state_.in_position)
    tell(static_cast<LineId>(common.in_position->number), level(*common.in_position, in_position));
  state_.fault_told = state_.tripped;
  state_.in_position = in_position;
}

bool StepServoPlant::motor_has_settled() const {
  if (!is_on() || state_.tripped) return true;
  return std::abs(wanted() - state_.reference) < 1e-6 * angle_per_step_ &&
         (std::abs(state_.reference - shaft_.angle) < 0.5 * angle_per_step_ || shaft_.jammed);
}

std::int64_t StepServoPlant::lost_microsteps() const {
  const double off = wanted() - shaft_.angle;
  return state_.lost + (state_.tripped ? std::llround(off / angle_per_step_) : 0);
}

void StepServoPlant::count_losses_from_here() {
  state_.lost = 0;
  state_.slipped = false;
}

}  // namespace cogstride
