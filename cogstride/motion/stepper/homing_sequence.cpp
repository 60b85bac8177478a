#include "cogstride/motion/stepper/homing_sequence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

// A rotor goes on oscillating when its steps end. Turned round in mid-oscillation it may fall out of step:
// let it settle first.
constexpr ExactTime settling_time = ExactTime::from_base({3, 20});
constexpr int most_tries = 3;

}  // namespace

HomingSequence::HomingSequence(HomingGoal goal, const Mechanism& mechanism, ExactFrequency clock,
                               const Inputs* inputs)
    : goal_(std::move(goal)),
      inputs_(inputs),
      steps_per_base_(steps_per_base(mechanism)),
      display_unit_(display_unit(output_kind(mechanism.train), 0)),
      steps_per_display_unit_(goal_.steps_per_base / display_units_per_base(output_kind(mechanism.train))),
      settling_ticks_(ticks_at_least(settling_time, clock)) {}

void HomingSequence::begin(Walker& walker, Lines& lines) {
  const bool aligned = walker.is_on();
  walker.switch_on(lines);
  const State first = goal_.kind == HomingGoal::Kind::hard_end ? State::pressing : State::looking;
  settle_before(aligned ? first : State::aligning, lines);
}

std::string HomingSequence::way_text(std::int64_t steps) const {
  return fmt::format("{:.4g} {}", std::abs(static_cast<double>(steps)) / steps_per_display_unit_,
                     display_unit_);
}

std::string HomingSequence::sensor_text() const {
  return fmt::format("the {} (line {})", goal_.sensor.name, static_cast<int>(goal_.sensor.line));
}

void HomingSequence::sample(Lines& lines, State state) {
  state_ = state;
  lines.sample(static_cast<SourceId>(goal_.sensor.line), lines.now() + lines.lead(), 0);
}

Tick HomingSequence::next_act(const Walker& walker) const {
  if (is_moving_to_other() && other_end_acts() && !other_acted_) return 0;
  return state_ == State::settling ? settled_at_ : walker.next_act();
}

void HomingSequence::fail(std::string why) {
  state_ = State::failed;
  failure_ = fmt::format("{}: {}", goal_.mechanism, why);
}

/// Comes to rest first, as on the way to the sensor.
void HomingSequence::give_up(Walker& walker, Lines& lines, std::string why) {
  state_ = State::giving_up;
  failure_ = fmt::format("{}: {}", goal_.mechanism, why);
  RampLimits limits = goal_.fast;
  limits.jerk = 0.0;
  walker.brake(lines, limits);
  if (!walker.is_busy()) state_ = State::failed;
}

bool HomingSequence::other_end_acts() const {
  return goal_.other && inputs_ != nullptr && inputs_->acts(goal_.other->line).value_or(false);
}

/// Stages in which the other end's switch says something when it begins to act.
bool HomingSequence::is_moving_to_other() const {
  if (goal_.turns_round) return state_ == State::backing_off;
  return state_ == State::approaching || state_ == State::creeping;
}

void HomingSequence::go(Walker& walker, Lines& lines, State state, std::int64_t way, const RampLimits& limits,
                        std::optional<StopOn> stop) {
  state_ = state;
  has_acted_ = false;
  other_acted_ = other_end_acts();
  stage_began_ = walker.made();
  walker.start(lines, walker.made() + way, limits, stop);
}

void HomingSequence::back_off(Walker& walker, Lines& lines, bool acts) {
  go(walker, lines, State::backing_off, -goal_.towards * goal_.back_off_range, goal_.fast);
  has_acted_ = acts;
}

void HomingSequence::settle_before(State next, const Lines& lines) {
  state_ = State::settling;
  after_settling_ = next;
  settled_at_ = lines.now() + settling_ticks_;
}

void HomingSequence::settled(Walker& walker, Lines& lines) {
  const Edge acting = goal_.sensor.active_high ? Edge::rising : Edge::falling;
  switch (after_settling_) {
    case State::aligning:
      go(walker, lines, State::aligning, -goal_.towards * goal_.alignment_way, goal_.slow);
      break;
    case State::looking:
    case State::seeing:
    case State::confirming:
      sample(lines, after_settling_);
      break;
    case State::clearing:
      sample(lines, State::clearing);
      break;
    case State::approaching:
      go(walker, lines, State::approaching, goal_.towards * goal_.approach_range, goal_.fast);
      break;
    case State::creeping:
      go(walker, lines, State::creeping, goal_.towards * goal_.clear_range, goal_.creep,
         StopOn{goal_.sensor.line, acting});
      break;
    case State::indexing:
      go(walker, lines, State::indexing, -goal_.towards * goal_.index->range, goal_.creep,
         StopOn{goal_.index->signal.line, Edge::rising});
      break;
    case State::pressing:
      first_count_.reset();
      go(walker, lines, State::pressing, goal_.towards * goal_.approach_range, goal_.fast);
      break;
    case State::leaving:
      go(walker, lines, State::leaving, -goal_.towards * goal_.back_off_range, goal_.slow);
      break;
    case State::returning: {
      const std::int64_t way =
          (goal_.ends_at.base * steps_per_base_).rounded() - (edge_place_.base * steps_per_base_).rounded();
      go(walker, lines, State::returning, edge_step_ + way - walker.made(), goal_.fast);
      break;
    }
    default:
      state_ = after_settling_;
      break;
  }
}

void HomingSequence::take_first_look(Walker& walker, Lines& lines, bool acts) {
  if (acts && !goal_.turns_round && other_end_acts()) {
    fail(
        fmt::format("{} and the {} (line {}) both act, at opposite ends: one of them is inverted, stuck or "
                    "broken",
                    sensor_text(), goal_.other->name, static_cast<int>(goal_.other->line)));
  } else if (acts || (goal_.turns_round && !other_end_acts())) {
    back_off(walker, lines, acts);
  } else {
    go(walker, lines, State::approaching, goal_.towards * goal_.approach_range, goal_.fast);
  }
}

/// After the fast approach: it stands within the sensor's reach, or beyond a window.
void HomingSequence::take_second_look(Walker& walker, Lines& lines, bool acts) {
  if (acts || goal_.kind == HomingGoal::Kind::window) {
    back_off(walker, lines, acts);
  } else if (++tries_ < most_tries) {
    go(walker, lines, State::approaching, goal_.towards * goal_.approach_range, goal_.fast);
  } else {
    fail(
        fmt::format("{} acted and let go again {} times on the way to it: its contact or its wire is loose, "
                    "or something disturbs the line",
                    sensor_text(), tries_));
  }
}

void HomingSequence::edge_found(Walker& walker, const Lines& lines, OutputPosition place) {
  edge_step_ = walker.made();
  edge_place_ = place;
  edge_at_ = lines.now();
}

/// The edge must hold, and lie where the fast approach met it: lost steps come in electrical periods.
void HomingSequence::take_confirmation(Walker& walker, Lines& lines, bool acts) {
  (void)walker;
  if (!acts && !goal_.is_brief) {
    fail(
        fmt::format("{} acted on the slow approach, and does not act now that the output stands: its contact "
                    "is loose, or something disturbs the line",
                    sensor_text()));
    return;
  }
  const std::int64_t off = fast_edge_ ? edge_step_ - *fast_edge_ : 0;
  if (4 * std::abs(off) > 3 * goal_.alignment_way) {
    fail(fmt::format(
        "{} acted at one place on the way in and {} away from it on the slow approach: steps were "
        "lost in between; move more gently, or look for what binds",
        sensor_text(), way_text(off)));
    return;
  }
  settle_before(goal_.index ? State::indexing : State::returning, lines);
}

void HomingSequence::take_level(Walker& walker, Lines& lines, bool acts, Tick at) {
  switch (state_) {
    case State::looking:
      take_first_look(walker, lines, acts);
      break;
    case State::seeing:
      take_second_look(walker, lines, acts);
      break;
    case State::confirming:
      take_confirmation(walker, lines, acts);
      break;
    case State::clearing:
      // Standing: clear, or a glitch had looked like it.
      if (walker.is_busy()) break;
      if (!acts) {
        settle_before(State::creeping, lines);
      } else if (++tries_ < most_tries) {
        back_off(walker, lines, true);
      } else {
        fail(
            fmt::format("{} let go and acted again {} times while backing off: its contact or its wire is "
                        "loose, or something disturbs the line",
                        sensor_text(), tries_));
      }
      break;
    case State::approaching:
      if (!acts) break;
      fast_edge_ = walker.step_at(at);
      state_ = State::stopping;
      walker.brake(lines, goal_.fast);
      break;
    case State::backing_off:
      if (acts) {
        has_acted_ = true;
      } else if (has_acted_) {
        state_ = State::clearing;
        walker.brake(lines, goal_.fast);
      }
      break;
    case State::creeping:
      if (!acts) break;
      walker.end_here(lines);
      edge_found(walker, lines, goal_.edge_at);
      settle_before(State::confirming, lines);
      break;
    default:
      break;
  }
}

void HomingSequence::take_index(Walker& walker, Lines& lines, bool high) {
  if (state_ != State::indexing || !high) return;
  walker.end_here(lines);
  edge_found(walker, lines, goal_.index->at);
  settle_before(State::returning, lines);
}

/// Pressed against the hard end, the count stays where it is while the steps go on.
void HomingSequence::take_count(Walker& walker, Lines& lines, std::int64_t count) {
  last_count_ = count;
  const bool counts_up = (goal_.counting->counts_per_step > Ratio(0)) == (goal_.towards > 0);
  if (state_ == State::leaving || state_ == State::settling) {
    extreme_count_ = counts_up ? std::max(extreme_count_, count) : std::min(extreme_count_, count);
    return;
  }
  if (state_ != State::pressing) return;
  if (!first_count_) {
    first_count_ = count;
    first_count_step_ = walker.step_at(lines.now());
    extreme_count_ = count;
    return;
  }
  extreme_count_ = counts_up ? std::max(extreme_count_, count) : std::min(extreme_count_, count);
  const double counted =
      static_cast<double>(count - *first_count_) / goal_.counting->counts_per_step.to_double();
  const double behind =
      goal_.towards * (static_cast<double>(walker.step_at(lines.now()) - first_count_step_) - counted);
  const auto period = static_cast<double>(goal_.alignment_way);
  if (std::abs(behind) < 2.0 * period) return;
  const double way = goal_.towards * counted;
  if (behind > 4.0 * period || way < -0.5 * period) {
    give_up(walker, lines,
            fmt::format(
                "{} counts {} while it steps {}: it counts the wrong way, or the motor goes the other way",
                goal_.counting->name, way_text(std::llround(counted)),
                way_text(walker.step_at(lines.now()) - first_count_step_)));
    return;
  }
  walker.end_here(lines);
  settle_before(State::leaving, lines);
}

void HomingSequence::check_other_end(Walker& walker, Lines& lines) {
  if (!is_moving_to_other() || other_acted_ || !other_end_acts()) return;
  if (goal_.turns_round) {
    other_acted_ = true;
    state_ = State::stopping;
    after_stopping_ = State::approaching;
    walker.brake(lines, goal_.fast);
    return;
  }
  give_up(walker, lines,
          fmt::format(
              "the {} (line {}) at the other end acted on the way to the {}, after {}: the motor turns the "
              "wrong way, or the two switches are exchanged",
              goal_.other->name, static_cast<int>(goal_.other->line), goal_.sensor.name,
              way_text(walker.step_at(lines.now()) - stage_began_)));
}

void HomingSequence::stage_ended(Walker& walker, Lines& lines) {
  switch (state_) {
    case State::aligning:
      settle_before(goal_.kind == HomingGoal::Kind::hard_end ? State::pressing : State::looking, lines);
      break;
    case State::approaching:
      fail(fmt::format(
          "{} did not act within {}: nothing moves (is the supply on?), it goes the other way, or "
          "the sensor's line does not change",
          sensor_text(), way_text(goal_.approach_range)));
      break;
    case State::backing_off:
      if (has_acted_ || !goal_.turns_round) {
        fail(fmt::format(
            "{} still acts after {} of backing off: nothing moves (is the supply on?), it goes the "
            "other way, or the sensor is stuck or its line inverted",
            sensor_text(), way_text(goal_.back_off_range)));
      } else {
        fail(
            fmt::format("neither {} nor the {} (line {}) acted within {}: nothing moves (is the supply on?), "
                        "or it goes the other way",
                        sensor_text(), goal_.other->name, static_cast<int>(goal_.other->line),
                        way_text(goal_.back_off_range)));
      }
      break;
    case State::creeping:
      fail(fmt::format("{} acted on the way in but not again within {} of the slow approach", sensor_text(),
                       way_text(goal_.clear_range)));
      break;
    case State::indexing:
      fail(fmt::format("the {} (line {}) did not come within {} of {}: is its wire connected?",
                       goal_.index->signal.name, static_cast<int>(goal_.index->signal.line),
                       way_text(goal_.index->range), goal_.sensor.name));
      break;
    case State::pressing:
      fail(fmt::format("{} went on counting over {}: the hard end did not come, or it counts without motion",
                       goal_.counting->name, way_text(goal_.approach_range)));
      break;
    case State::leaving:
      edge_found(
          walker, lines,
          {goal_.edge_at.kind, goal_.edge_at.base + Ratio(last_count_ - extreme_count_) /
                                                        (goal_.counting->counts_per_step * steps_per_base_)});
      settle_before(State::returning, lines);
      break;
    case State::stopping:
      settle_before(after_stopping_, lines);
      after_stopping_ = State::seeing;
      break;
    case State::clearing:
      settle_before(State::clearing, lines);
      break;
    case State::returning:
      settle_before(State::found, lines);
      break;
    case State::giving_up:
      state_ = State::failed;
      break;
    default:
      break;
  }
}

void HomingSequence::act(Walker& walker, Lines& lines, std::span<const Reading> readings) {
  const bool was_busy = walker.is_busy();
  walker.act(lines);
  for (const Reading& reading : readings) {
    if (goal_.kind != HomingGoal::Kind::hard_end &&
        reading.source == static_cast<SourceId>(goal_.sensor.line))
      take_level(walker, lines, (reading.raw != 0) == goal_.sensor.active_high, reading.at);
    if (goal_.index && reading.source == static_cast<SourceId>(goal_.index->signal.line))
      take_index(walker, lines, reading.raw != 0);
    if (goal_.counting && reading.source == goal_.counting->counter) take_count(walker, lines, reading.raw);
  }
  check_other_end(walker, lines);
  if (was_busy && !walker.is_busy()) stage_ended(walker, lines);
  if (state_ == State::settling && lines.now() >= settled_at_) settled(walker, lines);
}

}  // namespace cogstride
