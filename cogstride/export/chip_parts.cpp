#include "cogstride/export/chip_parts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/export/made_names.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/small_chip.hpp"

namespace cogstride {
namespace {

/// Pins of the 8-bit AVR that the part for small chips knows.
constexpr Pin first_step{'B', 1};
constexpr Pin second_step{'B', 2};

bool is_pin_of_avr8(const Pin& pin) {
  const int bits = pin.port == 'B'   ? 6
                   : pin.port == 'C' ? 6
                   : pin.port == 'D' ? 8
                                     : 0;  // clock and reset apart
  return pin.bit < bits;
}

class PartsMaker {
 public:
  PartsMaker(const Rig& rig, const ChipProgram& program, std::vector<Finding>& findings)
      : rig_(rig), program_(program), findings_(findings) {}

  ChipParts make() {
    MadeNames outer;
    parts_.name = outer.name_for(rig_.name.empty() ? "rig" : lowered(rig_.name));
    for (const std::size_t place : program_.axes) axis(rig_.mechanisms[place]);
    give_timers();
    for (std::size_t i = 0; i < program_.input_lines.size(); ++i) {
      const RigLine* const line = line_of(program_.input_lines[i]);
      if (line == nullptr) continue;
      parts_.inputs.push_back({names_.name_for(line->owner + "_" + line->use), sensed(*line)});
    }
    for (const HandControl& hand : rig_.hands)
      if (hand.kind == HandControl::Kind::stop && hand.line)
        parts_.stops.push_back(
            {names_.name_for(hand.name), sensed(*line_of(static_cast<LineId>(*hand.line)))});
    for (const PlainOutput& output : rig_.outputs)
      parts_.outputs.push_back({names_.name_for(output.name), driven(output.line, output.name, output.name)});
    leaders();
    hands();
    others();
    return std::move(parts_);
  }

 private:
  static std::string lowered(std::string text) {
    for (char& each : text) each = static_cast<char>(std::tolower(static_cast<unsigned char>(each)));
    return text;
  }
  void find(const char* code, const std::string& mechanism, std::string what, std::string way_out) {
    findings_.push_back({code, Severity::error, mechanism, {}, std::move(what), std::move(way_out)});
  }

  [[nodiscard]] const RigLine* line_of(LineId id) {
    for (const RigLine& line : lines_)
      if (line.number == static_cast<std::int64_t>(id)) return &line;
    return nullptr;
  }

  Pin pin(std::int64_t line, const std::string& mechanism, const std::string& what) {
    const std::optional<Pin> pin = pin_of(line);
    if (!pin || !is_pin_of_avr8(*pin)) {
      find("chip-pin", mechanism,
           fmt::format("{} is on line {}, which is no pin of the chip", what, line_name(line)),
           "its pins are B0 to B5, C0 to C5 and D0 to D7");
      return {'B', 0};
    }
    if (*pin == Pin{'D', 1})
      find("chip-pin", mechanism, fmt::format("{} is on D1, by which the chip says where it stands", what),
           "another pin");
    return *pin;
  }
  PartLine driven(const DrivenLine& line, const std::string& mechanism, const std::string& what) {
    return {pin(line.number, mechanism, what), line.active == ActiveLevel::high, false};
  }
  PartLine sensed(const RigLine& line) {
    PartLine part{
        pin(line.number, line.mechanism == nullptr ? "" : line.mechanism->name, line.owner + " " + line.use),
        true, false};
    for (const HandControl& hand : rig_.hands)
      if (hand.line == line.number) {
        part.active_high = hand.active == ActiveLevel::high;
        part.pull_up = hand.contact && hand.internal_pull.value_or(Pull::up) == Pull::up;
      }
    for (const Mechanism& mechanism : rig_.mechanisms)
      for (const Sensor& sensor : mechanism.sensors) {
        const auto* const place = std::get_if<PlaceSwitch>(&sensor);
        if (place == nullptr || place->line != line.number) continue;
        part.active_high = place->active == ActiveLevel::high;
        part.pull_up = place->internal_pull ? place->internal_pull == Pull::up : place->contact.has_value();
      }
    return part;
  }

  void axis(const Mechanism& mechanism) {
    ChipAxis axis;
    axis.mechanism = &mechanism;
    axis.name = names_.name_for(mechanism.name);
    if (const auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring)) {
      axis.step = driven(wiring->step, mechanism.name, "step");
      axis.dir = driven(wiring->dir, mechanism.name, "dir");
      if (wiring->enable) axis.enable = driven(*wiring->enable, mechanism.name, "enable");
    } else if (const auto* const coils = std::get_if<CoilWiring>(&mechanism.wiring)) {
      axis.has_coils = true;
      for (const DrivenLine& coil : coils->coils)
        axis.coils.push_back(driven(coil, mechanism.name, "a coil"));
      if (coils->enable) axis.enable = driven(*coils->enable, mechanism.name, "enable");
      for (const PartLine& coil : axis.coils)
        if (coil.pin.port != axis.coils.front().pin.port) {
          find("chip-pin", mechanism.name,
               "its coils are on pins of several ports: they could not change together",
               "four pins of one port");
          break;
        }
    }
    const Ratio per_base = steps_per_base(mechanism);
    const auto step = [&](const OutputPosition& place) { return (place.base * per_base).rounded(); };
    if (mechanism.limits.travel_from) {
      const std::int64_t a = step(*mechanism.limits.travel_from);
      const std::int64_t b = step(*mechanism.limits.travel_to);
      axis.least = std::min(a, b);
      axis.most = std::max(a, b);
    }
    axis.limits = ramp_limits(mechanism, rig_.controller, mechanism.limits.speed);
    if (mechanism.homing) homing(axis, mechanism);
    const ByHand& by_hand = mechanism.by_hand;
    const OutputSpeed usual = by_hand.speed      ? *by_hand.speed
                              : mechanism.homing ? mechanism.homing->speed
                                                 : mechanism.limits.speed;
    axis.usual_speed =
        std::max<std::int64_t>(1, std::llround(ramp_limits(mechanism, rig_.controller, usual).speed));
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const place = std::get_if<PlaceSwitch>(&sensor);
          place != nullptr && is_beyond(*place, mechanism))
        axis.ends.push_back({place->name, sensed(*line_of(static_cast<LineId>(place->line)))});
    parts_.axes.push_back(std::move(axis));
  }

  /// Whether it acts nowhere in the travel.
  static bool is_beyond(const PlaceSwitch& place, const Mechanism& mechanism) {
    if (place.is_window || !mechanism.limits.travel_from) return false;
    const auto& from = mechanism.limits.travel_from->base;
    const auto& to = mechanism.limits.travel_to->base;
    return place.is_low_end() ? place.releases_at.base < std::min(from, to)
                              : std::max(from, to) < place.releases_at.base;
  }

  void homing(ChipAxis& axis, const Mechanism& mechanism) {
    axis.goal = homing_goal(mechanism, rig_.controller);
    axis.stands_at = (mechanism.homing->position.base * steps_per_base(mechanism)).rounded();
    if (axis.goal->kind == HomingGoal::Kind::hard_end || axis.goal->index)
      return find("chip-needs-host", mechanism.name,
                  "it homes to an index or a hard end, which the chip's part does not",
                  "home to a switch, or from a computer");
    const auto line = [&](const HomingGoal::Signal& signal) {
      PartLine part = sensed(*line_of(signal.line));
      part.active_high = signal.active_high;
      return part;
    };
    axis.sensor = line(axis.goal->sensor);
    if (axis.goal->other) axis.other = line(*axis.goal->other);
  }

  /// The timer's two compares: an axis with a STEP line takes the one whose output that is.
  void give_timers() {
    const Controller& controller = rig_.controller;
    std::int64_t channels = 0;
    for (const TimerUnit& timer : controller.timers)
      if (timer.width == 16) channels = std::max(channels, timer.channels);
    const auto wanted = static_cast<std::int64_t>(parts_.axes.size());
    if (wanted > std::min<std::int64_t>(channels, 2))
      find("chip-timer", "",
           fmt::format("{} axes of steps; its 16-bit timer has {} compare outputs that the chip's part uses",
                       wanted, std::min<std::int64_t>(channels, 2)),
           "fewer axes, or a chip for each");
    bool is_taken[2] = {false, false};
    for (ChipAxis& axis : parts_.axes) {
      if (axis.has_coils) continue;
      if (axis.step.pin != first_step && axis.step.pin != second_step) {
        find("chip-pin", axis.mechanism->name,
             fmt::format("step is on {}, where no compare of the timer makes its edges",
                         line_name(line_of_pin(axis.step.pin))),
             "B1 or B2");
        continue;
      }
      axis.is_first = axis.step.pin == first_step;
      is_taken[axis.is_first ? 0 : 1] = true;
      const auto& board = std::get<StepDirBoard>(axis.mechanism->board);
      const double pulse =
          figures_of(*controller.small_chip, controller.timer_clock.base().to_double()).shortest_pulse;
      if (board.shortest_high.base() > pulse)
        find("chip-pin", axis.mechanism->name,
             fmt::format(
                 "its board wants STEP high for {:.3g} us, and the chip's pulses may be {:.3g} us short",
                 board.shortest_high.in(units::us), 1e6 * pulse),
             "a board that takes shorter pulses");
      if (!axis.step.active_high || board.step_edge == StepEdge::falling)
        find("chip-pin", axis.mechanism->name,
             "its STEP rests high, and the chip's part makes pulses that are high",
             "step on the rising edge, or turn the line round in hardware");
    }
    for (ChipAxis& axis : parts_.axes) {
      if (!axis.has_coils) continue;
      axis.is_first = !is_taken[0];
      is_taken[axis.is_first ? 0 : 1] = true;
    }
  }
  static std::int64_t line_of_pin(const Pin& pin) { return cogstride::line_of(pin); }

  /// What the program does not do.
  void leave_out(const std::string& mechanism, std::string what, std::string way_out) {
    findings_.push_back(
        {"chip-left-out", Severity::note, mechanism, {}, std::move(what), std::move(way_out)});
  }
  void leaders() {
    for (const ChipLeading& leading : program_.leadings) {
      const ChipAxis& axis = parts_.axes[leading.axis];
      if (leading.top_rate > axis.limits.start_speed)
        leave_out(
            axis.mechanism->name,
            fmt::format("it follows {} without ramps: that goes up to {:.0f} steps/s, and it can begin and "
                        "end at {:.0f} steps/s",
                        rig_.shafts[leading.shaft].name, leading.top_rate, axis.limits.start_speed),
            "begin to follow, and let go, while the leader stands or turns slowly");
      const auto is_it = [&](const ChipParts::Leader& each) { return each.shaft == leading.shaft; };
      if (std::any_of(parts_.leaders.begin(), parts_.leaders.end(), is_it)) continue;
      const Shaft& shaft = rig_.shafts[leading.shaft];
      const Encoder& encoder = *shaft.encoder;
      ChipParts::Leader leader{leading.shaft, names_.name_for(shaft.name), {}, {}};
      leader.a.pin = pin(encoder.line_a, "", shaft.name + " a");
      leader.b.pin = pin(encoder.line_b, "", shaft.name + " b");
      if (encoder.counts_backwards) std::swap(leader.a, leader.b);
      if (leader.a.pin.port != leader.b.pin.port)
        find("chip-pin", "", fmt::format("the encoder of {} is on pins of two ports", shaft.name),
             "two pins of one port, whose changes bring one interrupt");
      parts_.leaders.push_back(std::move(leader));
    }
  }
  void hands() {
    parts_.hands = chip_hands(rig_, program_.axes);
    for (ChipKey& key : parts_.hands.keys) {
      key.name = names_.name_for(key.hand->name);
      parts_.key_lines.push_back(sensed(*line_of(static_cast<LineId>(*key.hand->line))));
    }
    for (const ChipKnob& knob : parts_.hands.knobs)
      if (*knob.hand->channel > 5)
        find("chip-pin", "", fmt::format("{} is on channel {}", knob.hand->name, *knob.hand->channel),
             "channels 0 to 5 are C0 to C5");
    for (const ChipHands::Left& left : parts_.hands.left)
      leave_out("",
                fmt::format("the program does not obey {} ({}): {}", left.binding->control,
                            left.binding->name, left.why),
                "docs/small-chip.md says what keys and knobs do there");
  }
  void others() {
    for (const Mechanism& mechanism : rig_.mechanisms)
      if (mechanism.moves() && !mechanism.is_movable())
        findings_.push_back(
            {"chip-left-out",
             Severity::note,
             mechanism.name,
             {},
             fmt::format("{} is no axis of steps: the program leaves it at rest", mechanism.name),
             "docs/chip.md has duties, held speeds and servos for a program of your own"});
  }

  const Rig& rig_;
  const ChipProgram& program_;
  std::vector<Finding>& findings_;
  const std::vector<RigLine> lines_ = rig_lines(rig_);
  MadeNames names_{};
  ChipParts parts_{};
};

}  // namespace

ChipParts chip_parts(const Rig& rig, const ChipProgram& program, std::vector<Finding>& findings) {
  return PartsMaker(rig, program, findings).make();
}

}  // namespace cogstride
