#include "cogstride/motion/homing_sequence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

// A rotor swings on when its steps end. Turned round in mid-swing it may fall out of step: let it settle
// first.
constexpr ExactTime settling_time = ExactTime::from_base({3, 20});

const PlaceSwitch& required_gate(const Mechanism& mechanism) {
  const PlaceSwitch* const home = mechanism.home_switch();
  if (home == nullptr)
    throw RangeError(fmt::format("{}: homing needs a gate and homing speeds", mechanism.name));
  if (home->is_window)
    throw RangeError(fmt::format("{}: homing to a window ({}) is not done yet, only to a switch at an end",
                                 mechanism.name, home->name));
  return *home;
}

/// From the farthest place it can start at to the gate, with a twentieth to spare.
double longest_approach(const Mechanism& mechanism, bool gate_is_low) {
  const PlaceSwitch& gate = *mechanism.home_switch();
  const Limits& limits = mechanism.limits;
  const std::optional<OutputPosition> far_end = gate_is_low ? limits.travel_to : limits.travel_from;
  if (far_end) return 1.05 * std::abs((far_end->base - gate.acts_at.base).to_double());
  if (output_kind(mechanism.train) == OutputKind::rotary) return 1.05;
  throw RangeError(fmt::format("{}: homing needs the travel, to know when to give up", mechanism.name));
}

/// From the hard end behind the gate until it is clear again, with room to brake.
double longest_back_off(const Mechanism& mechanism, bool gate_is_low, double approach, double braking) {
  const PlaceSwitch& gate = *mechanism.home_switch();
  double behind = 0.1 * approach;
  if (mechanism.hard_ends) {
    const OutputPosition end = gate_is_low ? mechanism.hard_ends->from : mechanism.hard_ends->to;
    behind = std::abs((gate.acts_at.base - end.base).to_double());
  }
  return behind + std::abs((gate.releases_at.base - gate.acts_at.base).to_double()) + braking +
         0.02 * approach;
}

}  // namespace

HomingSequence::HomingSequence(const Mechanism& mechanism, const Controller& controller, ExactFrequency clock)
    : name_(mechanism.name),
      gate_line_(required_gate(mechanism).line),
      blocked_level_(mechanism.home_switch()->active == ActiveLevel::high),
      fast_(ramp_limits(mechanism, controller, mechanism.homing->speed)),
      slow_(ramp_limits(mechanism, controller, mechanism.homing->slow_speed)),
      creep_(slow_),
      display_unit_(display_unit(output_kind(mechanism.train), 0)),
      settling_ticks_(ticks_at_least(settling_time, clock)),
      alignment_way_(4 * mechanism.step_dir().microsteps) {
  const bool gate_is_low = mechanism.home_switch()->is_low_end();
  towards_ = gate_is_low ? -1 : 1;
  const double steps = steps_per_base(mechanism).to_double();
  steps_a_display_unit_ = steps / display_units_per_base(output_kind(mechanism.train));
  const double approach = longest_approach(mechanism, gate_is_low);
  const double braking = plan_stop({{}, fast_.speed}, fast_).end().to_double() / steps;
  // Begun with a jump the slow approach would swing all its way, and the edge would come a step too soon or
  // too late.
  creep_.start_speed = 0.0;
  creep_.acceleration = std::min(creep_.acceleration, creep_.speed / settling_time.base().to_double());
  approach_range_ = static_cast<std::int64_t>(std::ceil(approach * steps));
  return_way_ =
      step_at(mechanism, mechanism.homing->position) - step_at(mechanism, mechanism.home_switch()->acts_at);
  back_off_range_ = static_cast<std::int64_t>(
      std::ceil(longest_back_off(mechanism, gate_is_low, approach, braking) * steps));
}

void HomingSequence::begin(StepStream& stream, Lines& lines) {
  if (stream.is_on()) {
    look(lines);
    return;
  }
  stream.switch_on(lines);
  settle_before(State::aligning, lines);
}

void HomingSequence::look(Lines& lines) {
  state_ = State::looking;
  lines.sample(static_cast<SourceId>(gate_line_), lines.now() + lines.lead(), 0);
}

Tick HomingSequence::next_act(const StepStream& stream) const {
  return state_ == State::settling ? settled_at_ : stream.next_act();
}

void HomingSequence::fail(std::string why) {
  state_ = State::failed;
  failure_ = std::move(why);
}

void HomingSequence::approach(StepStream& stream, Lines& lines) {
  state_ = State::approaching;
  stream.start(lines, stream.made() + towards_ * approach_range_, fast_);
}

void HomingSequence::back_off(StepStream& stream, Lines& lines) {
  state_ = State::backing_off;
  stream.start(lines, stream.made() - towards_ * back_off_range_, fast_);
}

void HomingSequence::creep(StepStream& stream, Lines& lines) {
  state_ = State::creeping;
  const StopOn blocked{static_cast<LineId>(gate_line_), blocked_level_ ? Edge::rising : Edge::falling};
  stream.start(lines, stream.made() + towards_ * back_off_range_, creep_, blocked);
}

void HomingSequence::settle_before(State next, const Lines& lines) {
  state_ = State::settling;
  after_settling_ = next;
  settled_at_ = lines.now() + settling_ticks_;
}

void HomingSequence::settled(StepStream& stream, Lines& lines) {
  if (after_settling_ == State::aligning) {
    state_ = State::aligning;
    stream.start(lines, stream.made() - towards_ * alignment_way_, slow_);
  } else if (after_settling_ == State::looking) {
    look(lines);
  } else if (after_settling_ == State::backing_off) {
    back_off(stream, lines);
  } else if (after_settling_ == State::creeping) {
    creep(stream, lines);
  } else if (after_settling_ == State::returning) {
    state_ = State::returning;
    stream.start(lines, edge_step_ + return_way_, fast_);
  } else {
    state_ = State::found;
  }
}

void HomingSequence::take_reading(StepStream& stream, Lines& lines, bool blocked) {
  switch (state_) {
    case State::looking:
      blocked ? back_off(stream, lines) : approach(stream, lines);
      break;
    case State::approaching:
      if (!blocked) break;
      state_ = State::stopping;
      stream.brake(lines, fast_);
      break;
    case State::backing_off:
      if (blocked) break;
      state_ = State::clearing;
      stream.brake(lines, fast_);
      break;
    case State::creeping:
      if (!blocked) break;
      stream.end_here(lines);
      edge_step_ = stream.made();
      edge_at_ = lines.now();
      settle_before(State::returning, lines);
      break;
    default:
      break;
  }
}

void HomingSequence::stage_ended(const Lines& lines) {
  const auto way = [&](std::int64_t steps) {
    return fmt::format("{:.4g} {}", static_cast<double>(steps) / steps_a_display_unit_, display_unit_);
  };
  switch (state_) {
    case State::aligning:
      settle_before(State::looking, lines);
      break;
    case State::approaching:
      fail(
          fmt::format("{}: the gate (line {}) did not block within {}: nothing moves, it goes the other way, "
                      "or the gate's "
                      "line does not change",
                      name_, gate_line_, way(approach_range_)));
      break;
    case State::backing_off:
      fail(
          fmt::format("{}: the gate (line {}) stays blocked over {} of backing off: nothing moves, or the "
                      "gate is stuck or "
                      "its line inverted",
                      name_, gate_line_, way(back_off_range_)));
      break;
    case State::creeping:
      fail(fmt::format(
          "{}: the gate (line {}) blocked on the way in but not again within {} of the slow approach", name_,
          gate_line_, way(back_off_range_)));
      break;
    case State::stopping:
      settle_before(State::backing_off, lines);
      break;
    case State::clearing:
      settle_before(State::creeping, lines);
      break;
    case State::returning:
      settle_before(State::found, lines);
      break;
    default:
      break;
  }
}

void HomingSequence::act(StepStream& stream, Lines& lines, std::span<const Reading> readings) {
  const bool was_busy = stream.is_busy();
  stream.act(lines);
  for (const Reading& reading : readings) {
    if (reading.source != static_cast<SourceId>(gate_line_)) continue;
    take_reading(stream, lines, (reading.raw != 0) == blocked_level_);
  }
  if (was_busy && !stream.is_busy()) stage_ended(lines);
  if (state_ == State::settling && lines.now() >= settled_at_) settled(stream, lines);
}

}  // namespace cogstride
