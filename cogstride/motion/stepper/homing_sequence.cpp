#include "cogstride/motion/stepper/homing_sequence.hpp"

#include <fmt/format.h>

#include <cmath>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/small_chip.hpp"

namespace cogstride {
namespace {

using chip::HomingAct;
using chip::HomingFault;
using chip::HomingState;

// A rotor goes on oscillating when its steps end. Turned round in mid-oscillation it may fall out of step:
// let it settle first.
constexpr ExactTime settling_time = ExactTime::from_base({3, 20});

}  // namespace

HomingSequence::HomingSequence(HomingGoal goal, const Mechanism& mechanism, ExactFrequency clock,
                               const Inputs* inputs)
    : goal_(std::move(goal)),
      inputs_(inputs),
      steps_per_base_(steps_per_base(mechanism)),
      display_unit_(display_unit(output_kind(mechanism.train), 0)),
      steps_per_display_unit_(goal_.steps_per_base / display_units_per_base(output_kind(mechanism.train))),
      settling_ticks_(ticks_at_least(settling_time, clock)),
      decisions_(decided_by(goal_)) {}

void HomingSequence::begin(Walker& walker, Lines& lines) {
  const bool aligned = walker.is_on();
  walker.switch_on(lines);
  carry_out(walker, lines, decisions_.begin(aligned));
}

std::string HomingSequence::way_text(std::int64_t steps) const {
  return fmt::format("{:.4g} {}", std::abs(static_cast<double>(steps)) / steps_per_display_unit_,
                     display_unit_);
}

std::string HomingSequence::sensor_text() const {
  return fmt::format("the {} (line {})", goal_.sensor.name,
                     line_name(static_cast<std::int64_t>(goal_.sensor.line)));
}

std::string HomingSequence::other_text() const {
  return fmt::format("the {} (line {})", goal_.other->name,
                     line_name(static_cast<std::int64_t>(goal_.other->line)));
}

std::string HomingSequence::fault_text() const {
  const std::string way = way_text(decisions_.fault_way());
  const int tries = decisions_.tries();
  switch (decisions_.fault()) {
    case HomingFault::both_ends_act:
      return fmt::format("{} and {} both act, at opposite ends: one of them is inverted, stuck or broken",
                         sensor_text(), other_text());
    case HomingFault::let_go_again:
      return fmt::format(
          "{} acted and let go again {} times on the way to it: its contact or its wire is loose, "
          "or something disturbs the line",
          sensor_text(), tries);
    case HomingFault::acts_again:
      return fmt::format(
          "{} let go and acted again {} times while backing off: its contact or its wire is "
          "loose, or something disturbs the line",
          sensor_text(), tries);
    case HomingFault::does_not_hold:
      return fmt::format(
          "{} acted on the slow approach, and does not act now that the output stands: its contact "
          "is loose, or something disturbs the line",
          sensor_text());
    case HomingFault::steps_lost:
      return fmt::format(
          "{} acted at one place on the way in and {} away from it on the slow approach: steps were "
          "lost in between; move more gently, or look for what binds",
          sensor_text(), way);
    case HomingFault::other_end_acted:
      return fmt::format(
          "{} at the other end acted on the way to the {}, after {}: the motor turns the "
          "wrong way, or the two switches are exchanged",
          other_text(), goal_.sensor.name, way);
    case HomingFault::never_acted:
      return fmt::format(
          "{} did not act within {}: nothing moves (is the supply on?), it goes the other way, or "
          "the sensor's line does not change",
          sensor_text(), way);
    case HomingFault::still_acts:
      return fmt::format(
          "{} still acts after {} of backing off: nothing moves (is the supply on?), it goes the "
          "other way, or the sensor is stuck or its line inverted",
          sensor_text(), way);
    case HomingFault::neither_acted:
      return fmt::format(
          "neither {} nor {} acted within {}: nothing moves (is the supply on?), "
          "or it goes the other way",
          sensor_text(), other_text(), way);
    case HomingFault::not_again:
      return fmt::format("{} acted on the way in but not again within {} of the slow approach", sensor_text(),
                         way);
    case HomingFault::no_index:
      return fmt::format(
          "the {} (line {}) did not come within {} of {}: is its wire connected?", goal_.index->signal.name,
          line_name(static_cast<std::int64_t>(goal_.index->signal.line)), way, goal_.sensor.name);
    case HomingFault::no_hard_end:
      return fmt::format(
          "{} went on counting over {}: the hard end did not come, or it counts without motion",
          goal_.counting->name, way);
    case HomingFault::counts_wrong:
      return fmt::format(
          "{} counts {} while it steps {}: it counts the wrong way, or the motor goes the other way",
          goal_.counting->name,
          way_text(std::llround(static_cast<double>(decisions_.fault_counts()) /
                                goal_.counting->counts_per_step.to_double())),
          way);
    case HomingFault::none:
      break;
  }
  return "";
}

const RampLimits& HomingSequence::limits_of(chip::HomingPace pace) const {
  switch (pace) {
    case chip::HomingPace::slow:
      return goal_.slow;
    case chip::HomingPace::creep:
      return goal_.creep;
    default:
      return goal_.fast;
  }
}

Tick HomingSequence::next_act(const Walker& walker) const {
  if (decisions_.minds_other_end() && other_end_acts() && !decisions_.other_acted_before()) return 0;
  return state() == State::settling ? settled_at_ : walker.next_act();
}

bool HomingSequence::other_end_acts() const {
  return goal_.other && inputs_ != nullptr && inputs_->acts(goal_.other->line).value_or(false);
}

void HomingSequence::carry_out(Walker& walker, Lines& lines, const Decisions::Order& order) {
  const auto go = [&](std::optional<StopOn> stop) {
    walker.start(lines, walker.made() + order.way, limits_of(order.pace), stop);
  };
  const Edge acts = goal_.sensor.active_high ? Edge::rising : Edge::falling;
  switch (order.act) {
    case HomingAct::nothing:
    case HomingAct::found:
      break;
    case HomingAct::settle:
      settled_at_ = lines.now() + settling_ticks_;
      break;
    case HomingAct::look:
      lines.sample(static_cast<SourceId>(goal_.sensor.line), lines.now() + lines.lead(), 0);
      break;
    case HomingAct::go:
      // Where it acts it is braked, whatever comes back late.
      if (state() == State::approaching)
        go(StopOn{goal_.sensor.line, acts, chip_brake(goal_.fast)});
      else
        go({});
      break;
    case HomingAct::go_to_edge:
      go(StopOn{goal_.sensor.line, acts});
      break;
    case HomingAct::go_to_index:
      go(StopOn{goal_.index->signal.line, Edge::rising});
      break;
    case HomingAct::brake:
      walker.brake(lines, goal_.fast);
      break;
    case HomingAct::brake_steeply: {
      failure_ = fmt::format("{}: {}", goal_.mechanism, fault_text());
      RampLimits limits = goal_.fast;
      limits.jerk = 0.0;
      walker.brake(lines, limits);
      if (!walker.is_busy()) (void)decisions_.at_rest(walker.made());
      break;
    }
    case HomingAct::end_here:
      walker.end_here(lines);
      settled_at_ = lines.now() + settling_ticks_;
      break;
    case HomingAct::failed:
      failure_ = fmt::format("{}: {}", goal_.mechanism, fault_text());
      break;
  }
}

void HomingSequence::edge_found(const Lines& lines, OutputPosition place) {
  edge_place_ = place;
  edge_at_ = lines.now();
  decisions_.set_return_way((goal_.ends_at.base * steps_per_base_).rounded() -
                            (edge_place_.base * steps_per_base_).rounded());
}

/// A level of the sensor, and the step it stood on then.
void HomingSequence::take_level(Walker& walker, Lines& lines, bool acts, Tick at) {
  const bool is_creeping = state() == State::creeping;
  if (is_creeping && acts) {
    // The lines have ended the way: the walker knows on which step once it has been told.
    walker.end_here(lines);
    (void)decisions_.level(true, walker.made(), other_end_acts());
    settled_at_ = lines.now() + settling_ticks_;
    edge_found(lines, goal_.edge_at);
    return;
  }
  const std::int64_t step = walker.is_busy() ? walker.step_at(at) : walker.made();
  carry_out(walker, lines, decisions_.level(acts, step, other_end_acts()));
}

void HomingSequence::take_count(Walker& walker, Lines& lines, std::int64_t count) {
  const std::int64_t step = walker.is_busy() ? walker.step_at(lines.now()) : walker.made();
  carry_out(walker, lines, decisions_.count(count, step));
}

void HomingSequence::act(Walker& walker, Lines& lines, std::span<const Reading> readings) {
  const bool was_busy = walker.is_busy();
  walker.act(lines);
  for (const Reading& reading : readings) {
    if (goal_.kind != HomingGoal::Kind::hard_end &&
        reading.source == static_cast<SourceId>(goal_.sensor.line))
      take_level(walker, lines, (reading.raw != 0) == goal_.sensor.active_high, reading.at);
    if (goal_.index && reading.source == static_cast<SourceId>(goal_.index->signal.line) &&
        reading.raw != 0 && state() == State::indexing) {
      walker.end_here(lines);
      (void)decisions_.index(walker.made());
      settled_at_ = lines.now() + settling_ticks_;
      edge_found(lines, goal_.index->at);
    }
    if (goal_.counting && reading.source == goal_.counting->counter) take_count(walker, lines, reading.raw);
  }
  if (decisions_.minds_other_end() && !decisions_.other_acted_before() && other_end_acts())
    carry_out(walker, lines,
              decisions_.other_end(walker.is_busy() ? walker.step_at(lines.now()) : walker.made()));
  if (was_busy && !walker.is_busy()) {
    if (state() == State::leaving)
      edge_found(lines, {goal_.edge_at.kind,
                         goal_.edge_at.base + Ratio(decisions_.counts_from_end()) /
                                                  (goal_.counting->counts_per_step * steps_per_base_)});
    carry_out(walker, lines, decisions_.at_rest(walker.made()));
  }
  if (state() == State::settling && lines.now() >= settled_at_)
    carry_out(walker, lines, decisions_.settled(walker.made(), other_end_acts()));
}

}  // namespace cogstride
