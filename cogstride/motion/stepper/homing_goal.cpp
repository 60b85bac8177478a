#include "cogstride/motion/stepper/homing_goal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double softly = 0.15;  // s that the slow approach takes to come up to its speed at the least
constexpr std::uint16_t first_counter = 0x4000;

const Sensor& sensor_named(const Mechanism& mechanism, const std::string& name) {
  for (const Sensor& sensor : mechanism.sensors)
    if (name_of(sensor) == name) return sensor;
  throw RangeError(fmt::format("{}: has no sensor '{}' to home with", mechanism.name, name));
}

HomingGoal::Signal signal_of(const PlaceSwitch& place_switch) {
  return {static_cast<LineId>(place_switch.line), place_switch.active == ActiveLevel::high,
          place_switch.name};
}

const Encoder& indexed_encoder(const Mechanism& mechanism, const std::string& name) {
  const auto* const encoder = std::get_if<Encoder>(&sensor_named(mechanism, name));
  if (encoder == nullptr || !encoder->line_index) {
    throw RangeError(
        fmt::format("{}: homing needs the index of {}, which has no line_index", mechanism.name, name));
  }
  return *encoder;
}

/// The switch at the low or the high end of the travel; null when there is none.
const PlaceSwitch* end_switch(const Mechanism& mechanism, bool low) {
  for (const Sensor& sensor : mechanism.sensors) {
    const auto* const found = std::get_if<PlaceSwitch>(&sensor);
    if (found != nullptr && !found->is_window && found->is_low_end() == low) return found;
  }
  return nullptr;
}

/// All of it, m or turns: what a search has to cross at the most.
double whole_travel(const Mechanism& mechanism) {
  const Limits& limits = mechanism.limits;
  if (limits.travel_from && limits.travel_to)
    return (limits.travel_to->base - limits.travel_from->base).to_double();
  if (output_kind(mechanism.train) == OutputKind::rotary) return 1.0;
  throw RangeError(fmt::format("{}: homing needs the travel, to know when to give up", mechanism.name));
}

bool is_endless(const Mechanism& mechanism) {
  return !mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary;
}

double distance(OutputPosition a, OutputPosition b) {
  return std::abs((a.base - b.base).to_double());
}

class GoalMaker {
 public:
  GoalMaker(const Mechanism& mechanism, const Controller& controller) : mechanism_(mechanism) {
    if (!mechanism.homing)
      throw RangeError(
          fmt::format("{}: has nothing to home with: its rig has no homing table", mechanism.name));
    goal_.mechanism = mechanism.name;
    goal_.fast = ramp_limits(mechanism, controller, mechanism.homing->speed);
    goal_.slow = ramp_limits(mechanism, controller, mechanism.homing->slow_speed);
    goal_.creep = goal_.slow;
    // Begun with a jump the slow approach would oscillate all the way, and the edge would come a step too
    // soon or too late.
    goal_.creep.start_speed = 0.0;
    goal_.creep.acceleration = std::min(goal_.creep.acceleration, goal_.creep.speed / softly);
    goal_.ends_at = mechanism.homing->position;
    goal_.alignment_way = steps_lost_at_once(mechanism);
    goal_.steps_per_base = std::abs(steps_per_base(mechanism).to_double());
    braking_ =
        std::abs(plan_stop({{}, goal_.fast.speed}, goal_.fast).end().to_double()) / goal_.steps_per_base;
  }

  HomingGoal make() {
    const Homing& homing = *mechanism_.homing;
    const Sensor& sensor = sensor_named(mechanism_, homing.sensor);
    if (const auto* const encoder = std::get_if<Encoder>(&sensor)) {
      if (homing.goes_to.value_or(HomesTo::index) == HomesTo::index) {
        go_to_own_index(indexed_encoder(mechanism_, homing.sensor));
      } else {
        go_to_hard_end(*encoder, *homing.goes_to == HomesTo::low_end);
      }
    } else if (const auto* const place_switch = std::get_if<PlaceSwitch>(&sensor)) {
      goal_.sensor = signal_of(*place_switch);
      place_switch->is_window ? go_to_window(*place_switch) : go_to_end(*place_switch);
      if (homing.then_index_of) add_index(indexed_encoder(mechanism_, *homing.then_index_of));
    } else {
      throw RangeError(fmt::format("{}: {} is no switch and no encoder: homing cannot go by it",
                                   mechanism_.name, homing.sensor));
    }
    return std::move(goal_);
  }

 private:
  [[nodiscard]] std::int64_t steps(double way) const {
    return static_cast<std::int64_t>(std::ceil(way * goal_.steps_per_base));
  }

  void go_to_end(const PlaceSwitch& place_switch) {
    const bool low = place_switch.is_low_end();
    goal_.towards = low ? -1 : 1;
    goal_.edge_at = place_switch.acts_at;
    if (const PlaceSwitch* const other = end_switch(mechanism_, !low)) goal_.other = signal_of(*other);
    // From the farthest place it can start at, with a twentieth to spare.
    const std::optional<OutputPosition> far_end =
        low ? mechanism_.limits.travel_to : mechanism_.limits.travel_from;
    const double travel = whole_travel(mechanism_);
    const double approach = 1.05 * (far_end ? distance(*far_end, place_switch.acts_at) : travel);
    double behind = 0.1 * approach;
    if (mechanism_.hard_ends)
      behind = distance(place_switch.acts_at, low ? mechanism_.hard_ends->from : mechanism_.hard_ends->to);
    const double off = distance(place_switch.acts_at, place_switch.releases_at);
    goal_.approach_range = steps(approach);
    goal_.back_off_range = steps(behind + off + braking_ + 0.02 * approach);
    goal_.clear_range = goal_.back_off_range;
  }

  void go_to_window(const PlaceSwitch& window) {
    goal_.kind = HomingGoal::Kind::window;
    goal_.towards = 1;
    goal_.edge_at = window.window_from;
    const double width =
        distance(window.window_from, window.window_to) + 2.0 * window.hysteresis.base.to_double();
    go_round(width);
  }

  void go_to_own_index(const Encoder& encoder) {
    const Ratio counts = counts_per_base(mechanism_, encoder);
    if (!is_endless(mechanism_) ||
        (counts != Ratio(4 * encoder.lines_per_turn) && counts != Ratio(-4 * encoder.lines_per_turn))) {
      throw RangeError(
          fmt::format("{}: the index of {} comes more than once in a turn of the output: home to a switch, "
                      "and then_index_of = \"{}\"",
                      mechanism_.name, encoder.name, encoder.name));
    }
    goal_.kind = HomingGoal::Kind::window;
    goal_.is_brief = true;
    goal_.towards = 1;
    goal_.sensor = {static_cast<LineId>(*encoder.line_index), true, encoder.name + " index"};
    goal_.edge_at = index_place();
    go_round(1.0 / static_cast<double>(4 * encoder.lines_per_turn));
  }

  [[nodiscard]] OutputPosition index_place() const {
    return {output_kind(mechanism_.train), mechanism_.homing->index_at.base};
  }

  void go_round(double width) {
    const double travel = whole_travel(mechanism_);
    goal_.turns_round = !is_endless(mechanism_);
    if (goal_.turns_round) {
      const PlaceSwitch* const low = end_switch(mechanism_, true);
      if (low == nullptr) {
        throw RangeError(fmt::format(
            "{}: {} lies inside the travel, and nothing says on which side of it the output stands: "
            "homing needs a switch at the low end to turn round at",
            mechanism_.name, goal_.sensor.name));
      }
      goal_.other = signal_of(*low);
    }
    goal_.approach_range = steps(1.05 * travel);
    goal_.back_off_range =
        goal_.turns_round ? steps(1.05 * travel) : steps(1.5 * width + 2.0 * braking_ + 0.02 * travel);
    goal_.clear_range = steps(width + 2.0 * braking_ + 0.02 * travel);
  }

  void add_index(const Encoder& encoder) {
    HomingGoal::Index index;
    index.signal = {static_cast<LineId>(*encoder.line_index), true, encoder.name + " index"};
    index.at = index_place();
    const double turn = static_cast<double>(4 * encoder.lines_per_turn) /
                        std::abs(counts_per_base(mechanism_, encoder).to_double());
    index.range = steps(1.05 * turn);
    goal_.index = index;
  }

  void go_to_hard_end(const Encoder& encoder, bool low) {
    if (!mechanism_.hard_ends)
      throw RangeError(fmt::format("{}: homing to a hard end needs limits.hard_ends", mechanism_.name));
    goal_.kind = HomingGoal::Kind::hard_end;
    goal_.towards = low ? -1 : 1;
    goal_.edge_at = low ? mechanism_.hard_ends->from : mechanism_.hard_ends->to;
    goal_.counting =
        HomingGoal::Counting{counter_source(encoder.line_a),
                             counts_per_base(mechanism_, encoder) / steps_per_base(mechanism_), encoder.name};
    const double between = distance(mechanism_.hard_ends->from, mechanism_.hard_ends->to);
    goal_.approach_range = steps(1.05 * between);
    goal_.back_off_range = 2 * goal_.alignment_way;
  }

  const Mechanism& mechanism_;
  HomingGoal goal_;
  double braking_ = 0.0;
};

chip::HomingKind kind_of(HomingGoal::Kind kind) {
  switch (kind) {
    case HomingGoal::Kind::window:
      return chip::HomingKind::window;
    case HomingGoal::Kind::hard_end:
      return chip::HomingKind::hard_end;
    default:
      return chip::HomingKind::end_switch;
  }
}

}  // namespace

chip::HomingGoal<std::int64_t> decided_by(const HomingGoal& goal) {
  chip::HomingGoal<std::int64_t> ways;
  ways.kind = kind_of(goal.kind);
  ways.towards = static_cast<std::int8_t>(goal.towards);
  ways.turns_round = goal.turns_round;
  ways.is_brief = goal.is_brief;
  ways.then_index = goal.index.has_value();
  ways.alignment_way = goal.alignment_way;
  ways.approach_range = goal.approach_range;
  ways.back_off_range = goal.back_off_range;
  ways.clear_range = goal.clear_range;
  if (goal.index) ways.index_range = goal.index->range;
  if (goal.counting) {
    ways.counts_per_step = goal.counting->counts_per_step.numerator();
    ways.counts_for_steps = goal.counting->counts_per_step.denominator();
  }
  return ways;
}

HomingGoal far_switch_goal(const Mechanism& mechanism, const Controller& controller) {
  const PlaceSwitch* const home = mechanism.home_switch();
  const PlaceSwitch* const far =
      home == nullptr || home->is_window ? nullptr : end_switch(mechanism, !home->is_low_end());
  if (far == nullptr)
    throw RangeError(
        fmt::format("{}: has no two switches at the ends of its travel to measure between", mechanism.name));
  Mechanism turned = mechanism;
  turned.homing->sensor = far->name;
  turned.homing->then_index_of.reset();
  const std::optional<OutputPosition> end =
      far->is_low_end() ? mechanism.limits.travel_from : mechanism.limits.travel_to;
  turned.homing->position = end.value_or(far->acts_at);
  return homing_goal(turned, controller);
}

HomingGoal homing_goal(const Mechanism& mechanism, const Controller& controller) {
  return GoalMaker(mechanism, controller).make();
}

}  // namespace cogstride
