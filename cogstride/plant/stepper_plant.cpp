#include "cogstride/plant/stepper_plant.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {

StepperPlant::StepperPlant(const Mechanism& mechanism, const Setup& setup)
    : SteppedPlant(mechanism, setup),
      teeth_(static_cast<double>(mechanism.stepper().full_steps) / 4.0),
      torque_constant_(mechanism.stepper().torque_constant().base()),
      detent_(mechanism.stepper().detent_torque.base()),
      peak_current_(stepper_drive(mechanism).current),
      coupling_angle_(pi / 4.0),
      microsteps_per_period_(4 * steps_per_motor_turn(mechanism) / mechanism.stepper().full_steps),
      state_(stage_of_board(mechanism, setup.clock)),
      kept_(state_) {
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) coupling_angle_ = coils->field_angle();
  angle_per_microstep_ = 2.0 * pi / (teeth_ * static_cast<double>(microsteps_per_period_));
  parts_.resistance = mechanism.air.copper() * mechanism.stepper().winding().resistance.base() +
                      stage_of(mechanism.board).resistance.base();
  parts_.inductance = mechanism.stepper().winding().inductance.base();
  parts_.supply_voltage = mechanism.supply.voltage.base();
  parts_.supply_resistance = mechanism.supply.resistance.base();
  parts_.drop = stage_of(mechanism.board).drop.base();
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    hears_ = coils->hears();
  } else {
    const StepDirWiring& wiring = mechanism.step_dir_lines();
    hears_ = {line_id(wiring.step), line_id(wiring.dir)};
    if (wiring.enable) hears_.push_back(line_id(*wiring.enable));
    parts_.off_time = mechanism.step_dir().chopper_off_time.base();
  }
  begin();
  retarget();
  keep();
}

StepperPlant::Stage StepperPlant::stage_of_board(const Mechanism& mechanism, ExactFrequency clock) {
  if (std::holds_alternative<CoilWiring>(mechanism.wiring)) return CoilStage(mechanism);
  return StepDirReceiver(mechanism.step_dir(), mechanism.step_dir_lines(), clock, mechanism.common.enable);
}

void StepperPlant::hear_board(std::size_t input, bool high) {
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    coils->set(input, high, shaft_.now);
  } else {
    auto& board = std::get<StepDirReceiver>(state_.stage);
    if (input == 0) {
      board.set_step(shaft_.now, high);
    } else if (input == 1) {
      board.set_dir(shaft_.now, high);
    } else {
      board.set_enable(shaft_.now, high);
    }
  }
  retarget();
}

bool StepperPlant::is_on() const {
  return shaft_.powered && std::visit([](const auto& stage) { return stage.is_on(); }, state_.stage);
}

double StepperPlant::current_a() const {
  const auto* const coils = std::get_if<CoilStage>(&state_.stage);
  return coils != nullptr ? coils->current_a() : state_.winding_a.current;
}
double StepperPlant::current_b() const {
  const auto* const coils = std::get_if<CoilStage>(&state_.stage);
  return coils != nullptr ? coils->current_b() : state_.winding_b.current;
}

StepDirReceiver::Counts StepperPlant::counts() const {
  if (const auto* const board = std::get_if<StepDirReceiver>(&state_.stage)) return board->counts();
  StepDirReceiver::Counts counts;
  counts.pulses = std::get<CoilStage>(state_.stage).steps();
  return counts;
}

double StepperPlant::field_angle() const {
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) return coils->field_angle();
  return coupling_angle_ + 2.0 * pi *
                               static_cast<double>(std::get<StepDirReceiver>(state_.stage).microstep()) /
                               static_cast<double>(microsteps_per_period_);
}

/// New currents to regulate to, after a step or a switching of the outputs.
void StepperPlant::retarget() {
  if (!is_on()) return;
  if (!state_.aligned) {
    state_.aligned = true;
    count_losses_from_here();
  }
  const auto* const board = std::get_if<StepDirReceiver>(&state_.stage);
  if (board == nullptr) return;
  // Within one period, so that the sine stays exact however far the motor has gone.
  const std::int64_t phase =
      ((board->microstep() % microsteps_per_period_) + microsteps_per_period_) % microsteps_per_period_;
  const double angle =
      coupling_angle_ + 2.0 * pi * static_cast<double>(phase) / static_cast<double>(microsteps_per_period_);
  state_.target_a = peak_current_ * mechanism_.step_dir().share_of_peak(std::cos(angle));
  state_.target_b = peak_current_ * mechanism_.step_dir().share_of_peak(std::sin(angle));
}

void StepperPlant::count_losses_from_here() {
  state_.period = std::llround((field_angle() - electrical_angle()) / (2.0 * pi));
  state_.lost = 0;
  state_.slip_count = 0;
}

double StepperPlant::coil_step_rate() const {
  const Tick interval = std::get<CoilStage>(state_.stage).last_interval();
  return interval > 0 ? ticks_per_second_ / static_cast<double>(interval) : 0.0;
}

/// A rotor more than half an electrical period from the field is drawn to the next place of rest.
void StepperPlant::count_slips() {
  const double periods = (field_angle() - electrical_angle()) / (2.0 * pi);
  // Half a period and a little more, so that a rotor on the edge is not counted to and fro.
  if (std::abs(periods - static_cast<double>(state_.period)) < 0.6) return;
  const std::int64_t period = std::llround(periods);
  const std::int64_t microsteps = (period - state_.period) * microsteps_per_period_;
  if (state_.slip_count < most_slips) {
    const auto* const board = std::get_if<StepDirReceiver>(&state_.stage);
    const bool backwards = board != nullptr ? board->last_direction() < 0 : shaft_.speed < 0.0;
    const double rate = board != nullptr ? board->step_rate() : coil_step_rate();
    slips_[state_.slip_count++] = {shaft_.now, rate, microsteps * (backwards ? -1 : 1)};
  }
  state_.lost += microsteps;
  state_.period = period;
}

void StepperPlant::run_currents(double seconds, double emf_a, double emf_b) {
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    coils->run(seconds, emf_a, emf_b);
  } else if (is_on()) {
    state_.winding_a.regulate(seconds, state_.target_a, emf_a, parts_);
    state_.winding_b.regulate(seconds, state_.target_b, emf_b, parts_);
  } else {
    state_.winding_a.release(seconds, emf_a, parts_);
    state_.winding_b.release(seconds, emf_b, parts_);
  }
}

/// One step of integration: currents from the old speed, then speed, then angle from the new speed, which
/// keeps the energy of an oscillation (semi-implicit Euler; at 5 us a 90 Hz oscillation has two thousand
/// steps).
void StepperPlant::integrate(double seconds) {
  const double sine = std::sin(electrical_angle());
  const double cosine = std::cos(electrical_angle());
  const double emf = torque_constant_ * shaft_.speed;
  run_currents(seconds, -emf * sine, emf * cosine);
  const double sine_2 = 2.0 * sine * cosine;
  const double cosine_2 = 1.0 - 2.0 * sine * sine;
  turn(torque_constant_ * (current_b() * cosine - current_a() * sine) - detent_ * 2.0 * sine_2 * cosine_2,
       seconds);
}

bool StepperPlant::motor_has_settled() const {
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) return coils->has_settled();
  if (!is_on()) return state_.winding_a.current == 0.0 && state_.winding_b.current == 0.0;
  const double near = 0.05 * peak_current_;
  return (std::abs(state_.winding_a.current - state_.target_a) < near &&
          std::abs(state_.winding_b.current - state_.target_b) < near);
}

void StepperPlant::step_is_over() {
  if (is_on()) count_slips();
}

void StepperPlant::motor_powered(bool powered) {
  if (auto* const board = std::get_if<StepDirReceiver>(&state_.stage))
    board->set_powered(shaft_.now, powered);
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) coils->set_powered(powered);
  if (powered) retarget();
}

}  // namespace cogstride
