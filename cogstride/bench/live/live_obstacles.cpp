#include "cogstride/bench/live/live_obstacles.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>

#include "cogstride/bench/kinds.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/live_duty.hpp"
#include "cogstride/board/h_bridge.hpp"
#include "cogstride/board/six_gate.hpp"
#include "cogstride/lines/pwm_timer.hpp"
#include "cogstride/link/link_map.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/port/kernel_counters.hpp"

namespace cogstride {
namespace {

bool is_on_a_chip(const Controller& controller, std::int64_t line) {
  return std::any_of(controller.chips.begin(), controller.chips.end(), [&](const GpioChip& chip) {
    return line >= chip.first_line && line < chip.first_line + chip.lines;
  });
}

/// Whether a timer makes what goes out on its lines: a duty, or pulses.
bool has_duty(const Mechanism& mechanism) {
  return mechanism.is_driven_by_duty() || mechanism.takes_pulse_width();
}

/// A chip counts it, or its edges are counted here, from lines of a GPIO chip.
bool is_read(const Controller& controller, const Encoder& encoder, bool has_own_port) {
  return has_own_port || has_counter_chip(controller, encoder.line_a) ||
         (is_on_a_chip(controller, encoder.line_a) && is_on_a_chip(controller, encoder.line_b));
}
/// What is driven by duty or by six gates can turn by what it is given alone.
bool may_go_without_encoders(const Mechanism& mechanism) {
  return mechanism.is_driven_by_duty() || mechanism.has_six_gates();
}

bool is_of_encoder(const Mechanism& mechanism, std::int64_t line) {
  return std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(), [&](const Sensor& sensor) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    return encoder != nullptr &&
           (encoder->line_a == line || encoder->line_b == line || encoder->line_index == line);
  });
}

bool is_counted_by_a_chip(const Controller& controller, const Mechanism& mechanism, std::int64_t line) {
  return std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(), [&](const Sensor& sensor) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    return encoder != nullptr && has_counter_chip(controller, encoder->line_a) &&
           (encoder->line_a == line || encoder->line_b == line);
  });
}

/// How its pulses are made, or what refuses them.
LiveDuty pulses_of(const Mechanism& mechanism, const Controller& controller) {
  return live_pulses(controller, std::get<PulseWidthWiring>(mechanism.wiring).pulse.number,
                     std::get<PulseWidthInput>(mechanism.board));
}

/// How its duty is made, or what refuses it.
LiveDuty duty_of(const Mechanism& mechanism, const Controller& controller) {
  if (mechanism.takes_pulse_width()) return pulses_of(mechanism, controller);
  try {
    const bool has_gates = mechanism.has_six_gates();
    const PwmSetup setup = has_gates ? GateDriver(mechanism, {}, controller).pwm_setup()
                                     : BridgeDriver(mechanism, {}, controller).pwm_setup();
    std::vector<std::int64_t> lines;
    for (const LineId line : PwmTimer(setup).lines()) lines.push_back(static_cast<std::int64_t>(line));
    return live_duty(controller, lines,
                     has_gates ? std::get<GateWiring>(mechanism.wiring).pwm_frequency
                               : std::get<BridgeWiring>(mechanism.wiring).pwm_frequency);
  } catch (const RangeError& error) {
    return {LiveDuty::By::nothing, error.what()};
  }
}

}  // namespace

std::vector<std::string> why_duties_are_not_live(const Mechanism& mechanism, const Controller& controller) {
  const LiveDuty duty = duty_of(mechanism, controller);
  if (duty.by == LiveDuty::By::nothing) return {duty.words};
  return {};
}

std::vector<std::string> why_bus_drives_are_not_live(const Mechanism&, const Controller& controller) {
  if (!controller.small_chip) return {};
  return {
      "its drive is on a bus, and this rig's lines are a small chip's, which has none: a computer with a CAN "
      "interface drives it"};
}

/// What keeps six gates from live lines: a late edge must not harm the board, and sensors come too late.
std::vector<std::string> why_gates_are_not_live(const Mechanism& mechanism, const Controller& controller) {
  if (!std::get<SixGateInverter>(mechanism.board).locks_legs)
    return {
        "its six gates are bare: an edge that comes late would turn both of a leg on and short the supply. "
        "A board that keeps its own dead time (board.locks_legs), a timer with complementary outputs, or a "
        "speed controller makes it safe; plain lines do not"};
  std::vector<std::string> why;
  const bool has_sensors =
      sensor_of<HallSet>(mechanism) != nullptr || sensor_of<TerminalVoltages>(mechanism) != nullptr;
  if (has_sensors && std::get<GateWiring>(mechanism.wiring).commutated_by == CommutatedBy::sensors)
    why.push_back(
        "what tells its rotor's angle comes too late here to go by it: write lines.commutated_by = "
        "\"time\", and it is stepped slowly, as a rehearsal shows");
  if (const LiveDuty duty = duty_of(mechanism, controller); duty.by == LiveDuty::By::nothing)
    why.push_back(duty.words);
  try {
    (void)six_step_limits(mechanism, controller);
  } catch (const RangeError& error) {
    why.emplace_back(error.what());
  }
  return why;
}

/// What a chip behind a link does not do.
std::string why_not_by_a_chip(const Mechanism& mechanism, const LinkDuties& duties) {
  if (const auto refused = duties.refused.find(mechanism.name); refused != duties.refused.end())
    return refused->second;
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor)) {
      if (std::string why = why_no_chip_counts(*encoder); !why.empty()) return why;
    }
  return {};
}

std::vector<LiveObstacle> live_obstacles(const Rig& rig, bool has_own_port) {
  std::vector<LiveObstacle> obstacles;
  const bool has_link = rig.controller.link.has_value();
  if (has_link) has_own_port = true;
  const LinkDuties duties = has_link ? link_duties(rig.whole ? *rig.whole : rig) : LinkDuties{};
  for (const Mechanism& mechanism : rig.mechanisms) {
    const auto kind = std::find_if(kinds_of_movers().begin(), kinds_of_movers().end(),
                                   [&](const KindOfMover& each) { return each.has(mechanism); });
    std::vector<std::string> why;
    if (kind != kinds_of_movers().end()) {
      if (!has_link) why = kind->not_live(mechanism, rig.controller);
    } else {
      why.push_back(fmt::format("a {} on a {} is not driven on live lines so far", kind_name(mechanism.motor),
                                kind_name(mechanism.board)));
    }
    for (const Sensor& sensor : mechanism.sensors) {
      const bool is_analogue = std::holds_alternative<Shunt>(sensor) ||
                               std::holds_alternative<TemperatureProbe>(sensor) ||
                               std::holds_alternative<TerminalVoltages>(sensor);
      if (has_link && is_analogue && !std::holds_alternative<TemperatureProbe>(sensor))
        why.push_back(fmt::format(
            "its {} is read in step with the duty, and a chip behind a link reads when it comes to it",
            name_of(sensor)));
      if (!has_link && is_analogue && (!rig.controller.analogue || !rig.controller.analogue->chip))
        why.push_back(
            fmt::format("its {} wants a converter: say which one has the analogue inputs, in "
                        "controller.analogue.chip",
                        name_of(sensor)));
    }
    std::vector<std::int64_t> nowhere;
    for (const RigLine& line : rig_lines(rig)) {
      if (line.owner == mechanism.name && !is_on_a_chip(rig.controller, line.number) &&
          !is_counted_by_a_chip(rig.controller, mechanism, line.number) &&
          !(has_duty(mechanism) && is_pwm_channel(rig.controller, line.number)) &&
          !(may_go_without_encoders(mechanism) && is_of_encoder(mechanism, line.number)))
        nowhere.push_back(line.number);
    }
    for (const RigLine& line : rig_lines(rig))
      if (line.owner == mechanism.name && !has_duty(mechanism) && is_pwm_channel(rig.controller, line.number))
        why.push_back(fmt::format("its line {} is a channel of a PWM chip, and has to be a plain line",
                                  line_name(line.number)));
    if (const std::string other = why_not_by_a_chip(mechanism, duties); has_link && !other.empty())
      why.push_back(other);
    if (!nowhere.empty() && !has_own_port)
      why.push_back(fmt::format("no [controller.gpio.NAME] of the rig has line{} {}",
                                nowhere.size() > 1 ? "s" : "", fmt::join(nowhere, ", ")));
    if (!why.empty()) obstacles.push_back({mechanism.name, fmt::format("{}", fmt::join(why, "; "))});
  }
  for (const Shaft& shaft : rig.shafts)
    if (has_link && shaft.encoder)
      if (std::string why = why_no_chip_counts(*shaft.encoder); !why.empty())
        obstacles.push_back({shaft.name, std::move(why)});
  return obstacles;
}

std::string why_no_live_fade(const Rig& rig, const PlainOutput& output) {
  if (!output.timer || !output.pwm_frequency) return {};
  const Controller& controller = rig.controller;
  if (controller.link) {
    const LinkDuties duties = link_duties(rig.whole ? *rig.whole : rig);
    const auto refused = duties.refused.find(output.name);
    return refused == duties.refused.end() ? std::string() : refused->second;
  }
  const LiveDuty duty = live_duty(controller, std::array{output.line.number}, *output.pwm_frequency);
  return duty.by == LiveDuty::By::nothing ? duty.words : std::string();
}

std::vector<std::string> live_notes(const Rig& rig, bool has_own_port) {
  std::vector<std::string> notes;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!has_duty(mechanism) && !mechanism.has_six_gates()) continue;
    if (const LiveDuty duty = duty_of(mechanism, rig.controller); duty.by == LiveDuty::By::edges)
      notes.push_back(fmt::format("{}: {}", mechanism.name, duty.words));
    if (mechanism.has_six_gates())
      notes.push_back(
          fmt::format("{}: its rows follow each other by time alone; nothing makes up for a load that "
                      "holds it back",
                      mechanism.name));
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const encoder = std::get_if<Encoder>(&sensor);
          encoder != nullptr && !is_read(rig.controller, *encoder, has_own_port))
        notes.push_back(
            fmt::format("{}: its encoder {} is not read: its lines are on no GPIO chip of the rig",
                        mechanism.name, name_of(sensor)));
  }
  for (const PlainOutput& output : rig.outputs) {
    if (!output.timer || !output.pwm_frequency) continue;
    const LiveDuty duty = live_duty(rig.controller, std::array{output.line.number}, *output.pwm_frequency);
    if (duty.by == LiveDuty::By::edges) notes.push_back(fmt::format("{}: {}", output.name, duty.words));
  }
  return notes;
}

/// A rig as live lines take it: without what cannot be had on them (see live_notes).
Rig for_live_lines(Rig rig, bool has_own_port) {
  const std::vector<LiveObstacle> obstacles = live_obstacles(rig, has_own_port);
  if (!obstacles.empty()) {
    std::vector<std::string> words;
    for (const LiveObstacle& obstacle : obstacles)
      words.push_back(fmt::format("{}: {}", obstacle.mechanism, obstacle.why));
    throw RangeError(fmt::format("{}", fmt::join(words, "\n")));
  }
  for (Mechanism& mechanism : rig.mechanisms) {
    if (!may_go_without_encoders(mechanism)) continue;
    std::erase_if(mechanism.sensors, [&](const Sensor& sensor) {
      const auto* const encoder = std::get_if<Encoder>(&sensor);
      return encoder != nullptr && !is_read(rig.controller, *encoder, has_own_port);
    });
  }
  // Carts go by the encoders of their wheels.
  std::erase_if(rig.pairs, [&](const WheeledPair& pair) {
    return sensor_of<Encoder>(mechanism_named(rig, pair.left)) == nullptr ||
           sensor_of<Encoder>(mechanism_named(rig, pair.right)) == nullptr;
  });
  // Their edges are counted here, as many encoders as there are.
  std::int64_t encoders = 0;
  for (const Mechanism& mechanism : rig.mechanisms)
    encoders += std::count_if(mechanism.sensors.begin(), mechanism.sensors.end(),
                              [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
  for (const Shaft& shaft : rig.shafts) encoders += shaft.encoder ? 1 : 0;
  if (encoders > 0) {
    if (!rig.controller.counters) rig.controller.counters.emplace();
    rig.controller.counters->count = encoders;
  }
  for (PlainOutput& output : rig.outputs) {
    if (why_no_live_fade(rig, output).empty()) continue;
    output.timer.reset();
    output.pwm_frequency.reset();
  }
  return rig;
}

}  // namespace cogstride
