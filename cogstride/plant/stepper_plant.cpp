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
  const bool on_a_ring =
      output_kind(mechanism.train) == OutputKind::rotary && !mechanism.limits.travel_from.has_value();
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const contact = std::get_if<PlaceSwitch>(&sensor)) {
      contacts_.emplace_back(*contact, on_a_ring, setup.seed, setup.clock);
      state_.contacts.push_back(contacts_.back().settled_at(setup.start_position));
    } else if (const auto* const encoder = std::get_if<Encoder>(&sensor)) {
      tracks_.emplace_back(mechanism_, *encoder, setup.seed);
      state_.tracks.push_back(tracks_.back().settled_at(setup.start_position));
    }
  }
  while (next_own_instant() <= 0) (void)take_own_instant();  // what was so at power-up
  retarget();
  kept_ = state_;
}

std::vector<Level> StepperPlant::drives() const {
  std::vector<Level> levels;
  for (std::size_t i = 0; i < contacts_.size(); ++i)
    levels.push_back({contacts_[i].line(), state_.contacts[i].level});
  for (std::size_t i = 0; i < tracks_.size(); ++i)
    for (const Level& level : tracks_[i].levels(state_.tracks[i])) levels.push_back(level);
  return levels;
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
  return state_.powered && std::visit([](const auto& stage) { return stage.is_on(); }, state_.stage);
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
  if (state_.jammed) {
    speed = 0.0;
  } else if (speed == 0.0) {
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

/// The most that the output is beyond a place where a sensor changes; above 0 one is due.
double StepperPlant::sensors_beyond() const {
  double most = -1.0;
  const double at = position();
  for (std::size_t i = 0; i < contacts_.size(); ++i)
    most = std::max(most, contacts_[i].beyond(state_.contacts[i], at));
  for (std::size_t i = 0; i < tracks_.size(); ++i)
    most = std::max(most, tracks_[i].beyond(state_.tracks[i], at));
  return most;
}

/// Changes the sensor that is due. @return its edge; none where its line stays as it is
std::optional<LineEdge> StepperPlant::change_sensor() {
  const double at = position();
  for (std::size_t i = 0; i < contacts_.size(); ++i) {
    if (contacts_[i].beyond(state_.contacts[i], at) > 0.0)
      return contacts_[i].change(state_.contacts[i], state_.now);
  }
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    if (tracks_[i].beyond(state_.tracks[i], at) <= 0.0) continue;
    tracks_[i].change(state_.tracks[i], at);
    return tell_due();
  }
  return std::nullopt;
}

/// An edge of an encoder that has happened and was not told yet.
std::optional<LineEdge> StepperPlant::tell_due() {
  for (EncoderTrack::State& track : state_.tracks) {
    if (track.due_count == 0) continue;
    const Level level = track.due[--track.due_count];
    return LineEdge{state_.now, level.line, level.high};
  }
  return std::nullopt;
}

/// When something next happens that does not hang on motion: chatter of a contact, an event from outside.
Tick StepperPlant::next_own_instant() const {
  Tick soonest = never;
  for (const ContactPlace::State& contact : state_.contacts)
    soonest = std::min(soonest, ContactPlace::next_chatter(contact));
  if (state_.next_event < setup_.events.size())
    soonest = std::min(soonest, setup_.events[state_.next_event].at);
  return soonest;
}

std::optional<LineEdge> StepperPlant::take_own_instant() {
  for (std::size_t i = 0; i < contacts_.size(); ++i) {
    if (ContactPlace::next_chatter(state_.contacts[i]) <= state_.now)
      return contacts_[i].chatter(state_.contacts[i], state_.now);
  }
  return take_event(setup_.events[state_.next_event++]);
}

std::optional<LineEdge> StepperPlant::take_event(const PlantEvent& event) {
  switch (event.kind) {
    case PlantEvent::Kind::supply:
      set_powered(event.on.value_or(true));
      break;
    case PlantEvent::Kind::jam:
      state_.jammed = event.on.value_or(false);
      state_.rotor.speed = 0.0;
      state_.settled = false;
      break;
    case PlantEvent::Kind::contact:
      for (std::size_t i = 0; i < contacts_.size(); ++i) {
        if (contacts_[i].line() == event.line)
          return contacts_[i].stick(state_.contacts[i], state_.now, event.on);
      }
      break;
  }
  return std::nullopt;
}

/// Without its supply a board makes no step and feeds no winding; it comes up as it did the first time.
void StepperPlant::set_powered(bool powered) {
  if (state_.powered == powered) return;
  state_.powered = powered;
  state_.settled = false;
  if (auto* const board = std::get_if<StepDirReceiver>(&state_.stage))
    board->set_powered(state_.now, powered);
  if (auto* const coils = std::get_if<CoilStage>(&state_.stage)) coils->set_powered(powered);
  if (powered) retarget();
}

std::optional<LineEdge> StepperPlant::advance(Tick until) {
  if (const std::optional<LineEdge> edge = tell_due()) return edge;
  for (;;) {
    const Tick own = next_own_instant();
    if (own <= state_.now) {
      if (const std::optional<LineEdge> edge = take_own_instant()) return edge;
      continue;
    }
    if (state_.now >= until) return std::nullopt;
    if (state_.settled) {
      state_.now = std::min(until, own);
      continue;
    }
    const Tick step = std::min({step_ticks_, until - state_.now, own - state_.now});
    const double seconds = static_cast<double>(step) / ticks_per_second_;
    const Rotor before = state_.rotor;
    const double beyond_before = sensors_beyond();
    integrate(seconds);
    const double beyond = sensors_beyond();
    if (beyond > 0.0) {
      // Located on the straight line between both ends of the step, then run again to that tick.
      const double share = -beyond_before / (beyond - beyond_before);
      const Tick to_edge =
          std::clamp<Tick>(static_cast<Tick>(std::ceil(share * static_cast<double>(step))), 1, step);
      state_.rotor = before;
      state_.now += to_edge;
      integrate(static_cast<double>(to_edge) / ticks_per_second_);
      if (sensors_beyond() > 0.0) {
        if (const std::optional<LineEdge> edge = change_sensor()) return edge;
      }
      continue;
    }
    state_.now += step;
    if (is_on()) count_slips();
    state_.settled = has_settled();
  }
}

}  // namespace cogstride
