#include "cogstride/bench/bench_inputs.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

constexpr auto nobody = static_cast<MechanismId>(0xffff);

LineSetup input_line(std::int64_t line, std::string name, MechanismId owner = nobody) {
  return {static_cast<LineId>(line),  std::move(name), owner, LineSetup::Use::input, false, 0,
          static_cast<SourceId>(line)};
}

Tick steady_for(const std::optional<Time>& debounce, const Rig& rig) {
  return debounce ? ticks_at_least(*debounce, rig.controller.timer_clock) : 0;
}

}  // namespace

std::vector<LineSetup> input_lines(const Rig& rig, const MovedMechanisms& moved) {
  std::vector<LineSetup> lines;
  for (const Inputs::Input& input : switched_inputs(rig, moved))
    lines.push_back(input_line(static_cast<std::int64_t>(input.line), input.name));
  for (const auto& [owner, id] : moved) {
    const Mechanism& mechanism = *owner;
    for (const Sensor& sensor : mechanism.sensors) {
      if (const auto* const halls = std::get_if<HallSet>(&sensor))
        for (std::size_t i = 0; i < halls->lines.size(); ++i)
          lines.push_back(
              input_line(halls->lines[i], fmt::format("{}.{}_{}", mechanism.name, halls->name, i + 1), id));
      const auto* const encoder = std::get_if<Encoder>(&sensor);
      if (encoder == nullptr) continue;
      const std::string name = mechanism.name + "." + encoder->name;
      lines.push_back(input_line(encoder->line_a, name + "_a", id));
      lines.push_back(input_line(encoder->line_b, name + "_b", id));
      if (encoder->line_index) lines.push_back(input_line(*encoder->line_index, name + "_index", id));
    }
  }
  return lines;
}

std::vector<Inputs::Input> switched_inputs(const Rig& rig, const MovedMechanisms& moved) {
  std::vector<Inputs::Input> inputs;
  const auto add = [&](std::int64_t line, bool active_high, Tick steady, std::string name) {
    inputs.push_back({static_cast<LineId>(line), active_high, steady, steady, std::move(name)});
  };
  for (const auto& [owner, id] : moved) {
    const Mechanism& mechanism = *owner;
    for (const Sensor& sensor : mechanism.sensors) {
      if (const auto* const place = std::get_if<PlaceSwitch>(&sensor))
        add(place->line, place->active == ActiveLevel::high, steady_for(place->debounce, rig),
            mechanism.name + "." + place->name);
    }
    if (const auto& fault = mechanism.common.fault)
      add(fault->number, fault->active == ActiveLevel::high, 0, mechanism.name + ".fault");
    if (const auto& in_position = mechanism.common.in_position)
      add(in_position->number, in_position->active == ActiveLevel::high, 0, mechanism.name + ".in_position");
  }
  for (const HandControl& hand : rig.hands)
    if (hand.kind == HandControl::Kind::wheel) {
      add(*hand.line, true, 0, hand.name + ".a");
      add(*hand.line_b, true, 0, hand.name + ".b");
    } else if (hand.line) {
      add(*hand.line, hand.active == ActiveLevel::high, steady_for(hand.debounce, rig), hand.name);
      // A stop counts at its first edge; that it bounces is not that it was let go of.
      if (hand.kind == HandControl::Kind::stop) inputs.back().steady_for = 0;
    }
  for (const Remote& remote : rig.remotes)
    add(remote.line, remote.active == ActiveLevel::high, 0, remote.name);
  for (const BusSensor& sensor : rig.bus_sensors)
    add(sensor.line, sensor.active == ActiveLevel::high, 0, sensor.name);
  for (const Supply& supply : rig.supplies)
    if (supply.power_good_line) add(*supply.power_good_line, true, 0, supply.name);
  return inputs;
}

namespace {

void add_counters(const Rig& rig, const Mechanism& mechanism, std::vector<CounterSetup>& counters) {
  for (const Sensor& sensor : mechanism.sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    CounterSetup counter;
    counter.source = counter_source(encoder->line_a);
    counter.edge_source = counter_edge_source(encoder->line_a);
    counter.line_a = static_cast<LineId>(encoder->line_a);
    counter.line_b = static_cast<LineId>(encoder->line_b);
    counter.filter = steady_for(encoder->filter, rig);
    counters.push_back(counter);
  }
}

}  // namespace

std::vector<CounterSetup> encoder_counters(const Rig& rig, const MovedMechanisms& moved) {
  std::vector<CounterSetup> counters;
  for (const auto& [owner, id] : moved)
    if (!owner->has_six_gates()) add_counters(rig, *owner, counters);
  const std::int64_t most = rig.controller.counters ? rig.controller.counters->count : 0;
  if (static_cast<std::int64_t>(counters.size()) > most) {
    throw RangeError(
        fmt::format("the mechanisms that move have {} encoders, and the controller {} quadrature "
                    "counters (controller.counters)",
                    counters.size(), most));
  }
  // Six steps go by their Hall sensors: an encoder beside them is counted where a counter is left.
  for (const auto& [owner, id] : moved) {
    if (!owner->has_six_gates()) continue;
    add_counters(rig, *owner, counters);
    counters.resize(std::min(counters.size(), static_cast<std::size_t>(most)));
  }
  return counters;
}

AdcSetup analogue_input(const AnalogueInputs& analogue, std::int64_t channel) {
  AdcSetup adc;
  adc.source = analogue_source(channel);
  adc.full_scale_volts = analogue.full_scale.base();
  adc.bits = static_cast<int>(analogue.bits);
  adc.noise_codes = analogue.noise.base() / analogue.volts_per_code();
  return adc;
}

std::vector<AdcSetup> analogue_inputs(const Rig& rig, const Mechanism& mechanism) {
  std::vector<AdcSetup> inputs;
  const auto add = [&](const std::string& sensor, std::int64_t channel) {
    const auto& analogue = rig.controller.analogue;
    if (!analogue)
      throw RangeError(
          fmt::format("{}: {} wants an analogue input, and the controller has none "
                      "(controller.analogue)",
                      mechanism.name, sensor));
    inputs.push_back(analogue_input(*analogue, channel));
  };
  for (const Sensor& sensor : mechanism.sensors) {
    if (const auto* const shunt = std::get_if<Shunt>(&sensor)) add(shunt->name, shunt->channel);
    if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor)) add(probe->name, probe->channel);
    if (const auto* const terminals = std::get_if<TerminalVoltages>(&sensor))
      for (const std::int64_t channel : terminals->channels) add(terminals->name, channel);
  }
  return inputs;
}

Tick horizon_ticks(ExactTime horizon, ExactFrequency clock) {
  const Ratio seconds = horizon.base();
  if (seconds < Ratio(1, 500) || seconds > Ratio(1))
    throw RangeError(
        fmt::format("a horizon of {:.4g} ms: 2 ms to 1000 ms can be had", 1e3 * seconds.to_double()));
  return ticks_at_least(horizon, clock);
}

std::vector<Guard::Watched> watched_inputs(const Rig& rig, const MovedMechanisms& moved) {
  std::vector<Guard::Watched> watched;
  const auto add = [&](Trip::Cause cause, std::int64_t line, bool when, std::optional<MechanismId> mechanism,
                       std::string what) {
    watched.push_back({{cause, mechanism, std::move(what)}, static_cast<LineId>(line), when});
  };
  for (const HandControl& hand : rig.hands) {
    if (hand.kind == HandControl::Kind::stop && hand.line)
      add(Trip::Cause::emergency_stop, *hand.line, true, {},
          fmt::format("the emergency stop {} (line {}) is pressed", hand.name, line_name(*hand.line)));
  }
  for (const Supply& supply : rig.supplies) {
    if (!supply.power_good_line) continue;
    for (const auto& [owner, id] : moved) {
      if (owner->supply.name != supply.name) continue;
      add(Trip::Cause::supply_lost, *supply.power_good_line, false, id,
          fmt::format("the supply {} is not up (line {} is low)", supply.name,
                      line_name(*supply.power_good_line)));
    }
  }
  for (const auto& [owner, id] : moved) {
    const Mechanism& mechanism = *owner;
    if (const auto& fault = mechanism.common.fault)
      add(Trip::Cause::board_fault, fault->number, true, id,
          fmt::format("the board of {} reports a fault (line {})", mechanism.name, line_name(fault->number)));
    for (const Sensor& sensor : mechanism.sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place != nullptr && !place->is_window)
        add(Trip::Cause::limit_switch, place->line, true, id,
            fmt::format("the switch {} of {} (line {}) acts", place->name, mechanism.name,
                        line_name(place->line)));
    }
  }
  return watched;
}

}  // namespace cogstride
