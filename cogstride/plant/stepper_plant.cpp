#include "cogstride/plant/stepper_plant.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/lines/noise.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {
namespace {

// A hard end gives way like a stiff spring: this natural frequency against all the inertia, well damped.
constexpr double hard_end_rad_per_s = 2.0 * pi * 1500.0;
constexpr double hard_end_damping = 0.3;
constexpr double settling_time = 0.01;  // s of standing still before physics is skipped

}  // namespace

StepperPlant::StepperPlant(const Mechanism& mechanism, const Setup& setup)
    : mechanism_(mechanism),
      setup_(setup),
      ticks_per_second_(setup.clock.base().to_double()),
      angle_per_base_(2.0 * pi * motor_turns_per_base(mechanism.train).to_double()),
      teeth_(static_cast<double>(mechanism.stepper().full_steps) / 4.0),
      torque_constant_(mechanism.stepper().torque_constant().base()),
      detent_(mechanism.stepper().detent_torque.base()),
      inertia_(moved_inertia(mechanism).base()),
      steady_(steady_load(mechanism).base()),
      coulomb_(mechanism.load.coulomb_friction.base()),
      viscous_(mechanism.load.viscous_friction.in(units::Nm_s_per_rad)),
      peak_current_(stepper_drive(mechanism).current),
      coupling_angle_(pi / 4.0),
      microsteps_a_period_(4 * steps_a_motor_turn(mechanism) / mechanism.stepper().full_steps),
      state_(stage_of_board(mechanism, setup.clock)),
      kept_(state_) {
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) coupling_angle_ = coils->field_angle();
  angle_per_microstep_ = 2.0 * pi / (teeth_ * static_cast<double>(microsteps_a_period_));
  parts_.resistance = mechanism.stepper().winding().resistance.base();
  parts_.inductance = mechanism.stepper().winding().inductance.base();
  parts_.supply_voltage = mechanism.supply.voltage.base();
  parts_.supply_resistance = mechanism.supply.resistance.base();
  parts_.drop = stage_of(mechanism.board).drop.base();
  step_ticks_ = std::max<Tick>(1, std::llround(setup.coarsest_step * ticks_per_second_));
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    hears_ = coils->hears();
  } else {
    const StepDirWiring& wiring = mechanism.step_dir_lines();
    hears_ = {line_id(wiring.step), line_id(wiring.dir)};
    if (wiring.enable) hears_.push_back(line_id(*wiring.enable));
    parts_.off_time = mechanism.step_dir().chopper_off_time.base();
  }

  state_.rotor.angle = setup.start_position * angle_per_base_;
  const PlaceSwitch* const home = mechanism_.home_switch();
  if (home != nullptr && !home->is_window) gate_ = *home;
  if (gate_) {
    const double blocks = gate_->acts_at.base.to_double();
    const double clears = gate_->releases_at.base.to_double();
    const double side = blocks < clears ? 1.0 : -1.0;
    state_.gate_blocked = side * (setup.start_position - blocks) < 0.0;
    draw_gate_threshold();
  }
  retarget();
  kept_ = state_;
}

std::vector<Level> StepperPlant::drives() const {
  if (!gate_) return {};
  const bool high = state_.gate_blocked == (gate_->active == ActiveLevel::high);
  return {{static_cast<LineId>(gate_->line), high}};
}

StepperPlant::Stage StepperPlant::stage_of_board(const Mechanism& mechanism, ExactFrequency clock) {
  if (std::holds_alternative<CoilWiring>(mechanism.wiring)) return CoilStage(mechanism);
  return StepDirReceiver(mechanism.step_dir(), mechanism.step_dir_lines(), clock, mechanism.common.enable);
}

void StepperPlant::hear(LineId line, bool high) {
  const auto input = static_cast<std::size_t>(std::find(hears_.begin(), hears_.end(), line) - hears_.begin());
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    coils->set(input, high);
  } else {
    auto& board = std::get<StepDirReceiver>(state_.stage);
    if (input == 0) {
      board.set_step(state_.now, high);
    } else if (input == 1) {
      board.set_dir(state_.now, high);
    } else {
      board.set_enable(state_.now, high);
    }
  }
  state_.settled = false;
  retarget();
}

bool StepperPlant::is_on() const {
  return std::visit([](const auto& stage) { return stage.is_on(); }, state_.stage);
}

double StepperPlant::current_a() const {
  const auto* const coils = std::get_if<CoilStage>(&state_.stage);
  return coils != nullptr ? coils->current_a() : state_.rotor.a.current;
}
double StepperPlant::current_b() const {
  const auto* const coils = std::get_if<CoilStage>(&state_.stage);
  return coils != nullptr ? coils->current_b() : state_.rotor.b.current;
}

StepDirReceiver::Counts StepperPlant::counts() const {
  if (const auto* const board = std::get_if<StepDirReceiver>(&state_.stage)) return board->counts();
  StepDirReceiver::Counts counts;
  counts.pulses = std::get<CoilStage>(state_.stage).changes();
  return counts;
}

double StepperPlant::field_angle() const {
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) return coils->field_angle();
  return coupling_angle_ + 2.0 * pi *
                               static_cast<double>(std::get<StepDirReceiver>(state_.stage).microstep()) /
                               static_cast<double>(microsteps_a_period_);
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
      ((board->microstep() % microsteps_a_period_) + microsteps_a_period_) % microsteps_a_period_;
  const double angle =
      coupling_angle_ + 2.0 * pi * static_cast<double>(phase) / static_cast<double>(microsteps_a_period_);
  state_.target_a = peak_current_ * mechanism_.step_dir().share_of_peak(std::cos(angle));
  state_.target_b = peak_current_ * mechanism_.step_dir().share_of_peak(std::sin(angle));
}

void StepperPlant::count_losses_from_here() {
  state_.period = std::llround((field_angle() - electrical_angle()) / (2.0 * pi));
  state_.lost = 0;
  state_.slip_count = 0;
}

/// A rotor more than half an electrical period from the field is drawn to the next place of rest.
void StepperPlant::count_slips() {
  const double periods = (field_angle() - electrical_angle()) / (2.0 * pi);
  // Half a period and a little more, so that a rotor on the edge is not counted to and fro.
  if (std::abs(periods - static_cast<double>(state_.period)) < 0.6) return;
  const std::int64_t period = std::llround(periods);
  const std::int64_t microsteps = (period - state_.period) * microsteps_a_period_;
  if (state_.slip_count < most_slips) {
    const auto* const board = std::get_if<StepDirReceiver>(&state_.stage);
    const bool backwards = board != nullptr ? board->last_direction() < 0 : state_.rotor.speed < 0.0;
    const double rate =
        board != nullptr ? board->step_rate() : std::abs(state_.rotor.speed / angle_per_microstep_);
    state_.slips[state_.slip_count++] = {state_.now, rate, microsteps * (backwards ? -1 : 1)};
  }
  state_.lost += microsteps;
  state_.period = period;
}

double StepperPlant::hard_end_torque() const {
  if (!mechanism_.hard_ends) return 0.0;
  const double low = mechanism_.hard_ends->from.base.to_double() * angle_per_base_;
  const double high = mechanism_.hard_ends->to.base.to_double() * angle_per_base_;
  const double depth = state_.rotor.angle < low
                           ? state_.rotor.angle - low
                           : (state_.rotor.angle > high ? state_.rotor.angle - high : 0.0);
  if (depth == 0.0) return 0.0;
  const double spring = -inertia_ * hard_end_rad_per_s * hard_end_rad_per_s * depth;
  const double damper = -2.0 * hard_end_damping * inertia_ * hard_end_rad_per_s * state_.rotor.speed;
  // An end pushes back; it never pulls.
  return depth < 0.0 ? std::max(0.0, spring + damper) : std::min(0.0, spring + damper);
}

void StepperPlant::run_currents(double seconds, double emf_a, double emf_b) {
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) {
    coils->run(seconds, emf_a, emf_b);
  } else if (is_on()) {
    state_.rotor.a.regulate(seconds, state_.target_a, emf_a, parts_);
    state_.rotor.b.regulate(seconds, state_.target_b, emf_b, parts_);
  } else {
    state_.rotor.a.release(seconds, emf_a, parts_);
    state_.rotor.b.release(seconds, emf_b, parts_);
  }
}

/// One step of integration: currents from the old speed, then speed, then angle from the new speed, which
/// keeps the energy of a swing (semi-implicit Euler; at 5 us a 90 Hz swing has two thousand steps).
void StepperPlant::integrate(double seconds) {
  const double sine = std::sin(electrical_angle());
  const double cosine = std::cos(electrical_angle());
  const double emf = torque_constant_ * state_.rotor.speed;
  run_currents(seconds, -emf * sine, emf * cosine);
  const double sine_2 = 2.0 * sine * cosine;
  const double cosine_2 = 1.0 - 2.0 * sine * sine;
  const double pull = torque_constant_ * (current_b() * cosine - current_a() * sine) -
                      detent_ * 2.0 * sine_2 * cosine_2 - steady_ + hard_end_torque();

  double speed = state_.rotor.speed;
  if (speed == 0.0) {
    const double excess = std::abs(pull) - coulomb_;
    if (excess > 0.0) speed = std::copysign(excess, pull) * seconds / inertia_;
  } else {
    speed += (pull - viscous_ * speed - std::copysign(coulomb_, speed)) * seconds / inertia_;
    if (speed * state_.rotor.speed < 0.0) speed = 0.0;  // friction stops, it does not turn back
  }
  state_.rotor.speed = speed;
  state_.rotor.angle += speed * seconds;

  state_.rotor.still_for = speed == 0.0 ? state_.rotor.still_for + seconds : 0.0;
}

bool StepperPlant::has_settled() const {
  if (state_.rotor.still_for < settling_time) return false;
  if (const auto* const coils = std::get_if<CoilStage>(&state_.stage)) return coils->has_settled();
  if (!is_on()) return state_.rotor.a.current == 0.0 && state_.rotor.b.current == 0.0;
  const double near = 0.05 * peak_current_;
  return (std::abs(state_.rotor.a.current - state_.target_a) < near &&
          std::abs(state_.rotor.b.current - state_.target_b) < near);
}

void StepperPlant::draw_gate_threshold() {
  const PlaceSwitch& gate = *gate_;
  const double place = (state_.gate_blocked ? gate.releases_at : gate.acts_at).base.to_double();
  const double spread = gate.noise.base.to_double();
  const auto source = static_cast<std::uint64_t>(gate.line);
  state_.gate_threshold = place + spread * normal_noise(setup_.seed, source, state_.gate_edges);
}

bool StepperPlant::gate_would_change() const {
  if (!gate_) return false;
  const bool low_side = gate_->is_low_end();
  const double beyond = position() - state_.gate_threshold;
  return state_.gate_blocked == low_side ? beyond > 0.0 : beyond < 0.0;
}

LineEdge StepperPlant::change_gate() {
  state_.gate_blocked = !state_.gate_blocked;
  ++state_.gate_edges;
  draw_gate_threshold();
  const Level level = drives().front();
  return {state_.now, level.line, level.high};
}

std::optional<LineEdge> StepperPlant::advance(Tick until) {
  while (state_.now < until) {
    if (state_.settled) {
      state_.now = until;
      break;
    }
    const Tick step = std::min(step_ticks_, until - state_.now);
    const double seconds = static_cast<double>(step) / ticks_per_second_;
    const Rotor before = state_.rotor;
    integrate(seconds);
    if (gate_would_change()) {
      // Located on the straight line between both ends of the step, then run again to that tick.
      const double way = (state_.rotor.angle - before.angle) / angle_per_base_;
      const double share = 1.0 - (position() - state_.gate_threshold) / way;
      const Tick to_edge =
          std::clamp<Tick>(static_cast<Tick>(std::ceil(share * static_cast<double>(step))), 1, step);
      state_.rotor = before;
      state_.now += to_edge;
      integrate(static_cast<double>(to_edge) / ticks_per_second_);
      return change_gate();
    }
    state_.now += step;
    if (is_on()) count_slips();
    state_.settled = has_settled();
  }
  return std::nullopt;
}

}  // namespace cogstride
