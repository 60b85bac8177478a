#include "cogstride/rig/rig.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <sstream>

#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

template <class Part>
const Part* named(const std::vector<Part>& parts, const std::string& name) {
  const auto found = std::find_if(parts.begin(), parts.end(), [&](const Part& p) { return p.name == name; });
  return found == parts.end() ? nullptr : &*found;
}

class LineCollector {
 public:
  std::vector<RigLine> lines{};

  void mechanism(const Mechanism& mechanism) {
    owner_ = mechanism.name;
    mechanism_ = &mechanism;
    const std::string path = "mechanism." + mechanism.name;
    for (const BoardLine& line : board_lines(mechanism.wiring)) {
      std::string key = line.use;
      std::replace(key.begin(), key.end(), ' ', '_');
      if (key.rfind("microstep_select", 0) == 0) key = "microstep_select";
      if (is_two_pulse(mechanism) && key == "step") key = "forward";
      if (is_two_pulse(mechanism) && key == "dir") key = "backward";
      lines.push_back({line.line.number,
                       owner_,
                       key == "microstep_select" ? line.use : key,
                       path + ".lines." + key,
                       true,
                       line.line,
                       line.timed || (is_two_pulse(mechanism) && key == "backward"),
                       mechanism_,
                       {}});
    }
    if (mechanism.common.fault) input(mechanism.common.fault->number, "fault", path + ".lines.fault");
    if (mechanism.common.in_position)
      input(mechanism.common.in_position->number, "in position", path + ".lines.in_position");
    for (const Sensor& sensor : mechanism.sensors) {
      path_ = path + ".sensor." + name_of(sensor);
      std::visit(*this, sensor);
    }
    mechanism_ = nullptr;
  }
  void operator()(const PlaceSwitch& place_switch) {
    input(place_switch.line, place_switch.name, path_ + ".line", place_switch.feed.output_level);
  }
  void operator()(const Encoder& encoder) {
    input(encoder.line_a, encoder.name + " a", path_ + ".line_a", encoder.feed.output_level);
    input(encoder.line_b, encoder.name + " b", path_ + ".line_b", encoder.feed.output_level);
    if (encoder.line_index)
      input(*encoder.line_index, encoder.name + " index", path_ + ".line_index", encoder.feed.output_level);
  }
  void operator()(const HallSet& halls) {
    for (std::size_t i = 0; i < halls.lines.size(); ++i) {
      const std::string number = std::to_string(i + 1);
      input(halls.lines[i], halls.name + " " + number, path_ + ".line_" + number, halls.feed.output_level);
    }
  }
  void operator()(const Shunt&) {}
  void operator()(const TerminalVoltages&) {}
  void operator()(const TemperatureProbe&) {}

  void shaft(const Shaft& shaft) {
    if (!shaft.encoder) return;
    owner_ = shaft.name;
    path_ = "shaft." + shaft.name + ".encoder";
    (*this)(*shaft.encoder);
  }
  void supply(const Supply& supply) {
    owner_ = supply.name;
    if (supply.power_good_line)
      input(*supply.power_good_line, "up", "supply." + supply.name + ".power_good_line");
  }
  void hand(const HandControl& hand) {
    owner_ = hand.name;
    const std::string path = "hand." + hand.name;
    if (hand.kind == HandControl::Kind::wheel) {
      if (hand.line) input(*hand.line, "a", path + ".line_a");
      if (hand.line_b) input(*hand.line_b, "b", path + ".line_b");
    } else if (hand.line) {
      input(*hand.line, "pressed", path + ".line");
    }
  }
  void remote(const Remote& remote) {
    owner_ = remote.name;
    input(remote.line, "marks", "remote." + remote.name + ".line", remote.output_level);
  }
  void bus_sensor(const BusSensor& sensor) {
    owner_ = sensor.name;
    input(sensor.line, "happened", "bus_sensor." + sensor.name + ".line", sensor.output_level);
  }
  void heartbeat(const Heartbeat& heartbeat) {
    lines.push_back({heartbeat.line,
                     "controller",
                     "heartbeat",
                     "controller.heartbeat.line",
                     true,
                     {heartbeat.line},
                     false,
                     nullptr,
                     {}});
  }
  void output(const PlainOutput& output) {
    lines.push_back({output.line.number,
                     output.name,
                     "on",
                     "output." + output.name + ".line",
                     true,
                     output.line,
                     output.pwm_frequency.has_value(),
                     nullptr,
                     {}});
  }

 private:
  static bool is_two_pulse(const Mechanism& mechanism) {
    const auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
    return board != nullptr && board->form == StepDirBoard::Form::two_pulse;
  }
  void input(std::int64_t number, std::string use, std::string key,
             std::optional<Voltage> high_level = std::nullopt) {
    lines.push_back(
        {number, owner_, std::move(use), std::move(key), false, {}, false, mechanism_, high_level});
  }

  std::string owner_{};
  std::string path_{};
  const Mechanism* mechanism_ = nullptr;
};

}  // namespace

const Mechanism& mechanism_named(const Rig& rig, const std::string& name) {
  std::vector<std::string> names;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (mechanism.name == name) return mechanism;
    names.push_back(mechanism.name);
  }
  const std::string near = nearest_word(name, names);
  throw RangeError(fmt::format("'{}' is not a mechanism of this rig{}; it has: {}", name,
                               near.empty() ? "" : fmt::format(", did you mean {}?", near),
                               fmt::join(names, ", ")));
}

const Shaft* find_shaft(const Rig& rig, const std::string& name) {
  return named(rig.shafts, name);
}

Mechanism leader_named(const Rig& rig, const std::string& name) {
  if (const Shaft* const shaft = find_shaft(rig, name)) return parts_of(*shaft);
  return mechanism_named(rig, name);
}

const WheeledPair& pair_named(const Rig& rig, const std::string& name) {
  if (const WheeledPair* const pair = named(rig.pairs, name)) return *pair;
  std::vector<std::string> names;
  for (const WheeledPair& pair : rig.pairs) names.push_back(pair.name);
  throw RangeError(fmt::format("'{}' is not a wheeled pair of this rig; it has: {}", name,
                               names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
}

Rig only_with(Rig rig, const std::vector<std::string>& mechanisms) {
  for (const std::string& name : mechanisms)
    if (find_shaft(rig, name) == nullptr) (void)mechanism_named(rig, name);
  if (rig.controller.link && rig.whole == nullptr) rig.whole = std::make_shared<const Rig>(rig);
  std::vector<std::string> before;
  for (const Mechanism& mechanism : rig.mechanisms) before.push_back(mechanism.name);
  for (const WheeledPair& pair : rig.pairs) before.push_back(pair.name);
  std::erase_if(rig.mechanisms, [&](const Mechanism& mechanism) {
    return std::find(mechanisms.begin(), mechanisms.end(), mechanism.name) == mechanisms.end();
  });
  std::erase_if(rig.pairs, [&](const WheeledPair& pair) {
    const auto is_left_out = [&](const std::string& wheel) {
      return std::find(mechanisms.begin(), mechanisms.end(), wheel) == mechanisms.end();
    };
    return is_left_out(pair.left) || is_left_out(pair.right);
  });
  const auto is_there = [&](const std::string& leader) {
    return named(rig.mechanisms, leader) != nullptr || find_shaft(rig, leader) != nullptr;
  };
  for (Mechanism& mechanism : rig.mechanisms)
    if (const auto& follows = mechanism.follows;
        follows && (!is_there(follows->first.leader) || (follows->also && !is_there(follows->also->leader))))
      mechanism.follows.reset();
  std::erase_if(rig.shafts, [&](const Shaft& shaft) {
    const bool is_asked_for = std::find(mechanisms.begin(), mechanisms.end(), shaft.name) != mechanisms.end();
    return !is_asked_for &&
           std::none_of(rig.mechanisms.begin(), rig.mechanisms.end(), [&](const Mechanism& mechanism) {
             const auto& follows = mechanism.follows;
             return follows && (follows->first.leader == shaft.name ||
                                (follows->also && follows->also->leader == shaft.name));
           });
  });
  // Controls that order what is left out do nothing.
  std::erase_if(before, [&](const std::string& name) {
    return named(rig.mechanisms, name) != nullptr || named(rig.pairs, name) != nullptr;
  });
  const auto is_about = [&](const std::optional<std::string>& order) {
    std::istringstream words(order.value_or(""));
    for (std::string word; words >> word;)
      if (std::find(before.begin(), before.end(), word) != before.end()) return true;
    return false;
  };
  const auto orders_what_is_left_out = [&](const auto& control) {
    return is_about(control.on) || is_about(control.off) || is_about(control.value);
  };
  std::erase_if(rig.bindings, orders_what_is_left_out);
  std::erase_if(rig.page, [&](const PageControl& control) {
    return is_about(control.of) || orders_what_is_left_out(control);
  });
  return rig;
}

Rig alone_on(Rig rig, const Mechanism& mechanism) {
  if (rig.controller.link && rig.whole == nullptr) rig.whole = std::make_shared<const Rig>(rig);
  rig.mechanisms = {mechanism};
  return only_with(std::move(rig), {mechanism.name});
}

const Supply* find_supply(const Rig& rig, const std::string& name) {
  return named(rig.supplies, name);
}
bool is_isolated(const Rig& rig, const Mechanism& mechanism) {
  const auto& through = mechanism.common.through;
  const BetweenPart* const part = through ? find_part(rig, *through) : nullptr;
  return inputs_of(mechanism.board).isolated ||
         (part != nullptr && part->kind == BetweenPart::Kind::isolator);
}

bool is_fed_from(const Rig& rig, const Supply& supply, const std::string& from) {
  const Supply* one = &supply;
  for (std::size_t i = 0; i <= rig.supplies.size() && one != nullptr; ++i) {
    if (one->name == from) return true;
    one = one->fed_by ? find_supply(rig, *one->fed_by) : nullptr;
  }
  return false;
}
const BetweenPart* find_part(const Rig& rig, const std::string& name) {
  return named(rig.parts, name);
}
const TimerUnit* find_timer(const Rig& rig, const std::string& name) {
  return named(rig.controller.timers, name);
}

/// One ENABLE for a whole four-channel board: the mechanisms on it share that line, and it is listed once.
void drop_shared_enables(std::vector<RigLine>& lines) {
  const auto board_of = [](const RigLine& line) -> const HBridge* {
    const auto* const bridge = line.mechanism != nullptr && line.use == "enable"
                                   ? std::get_if<HBridge>(&line.mechanism->board)
                                   : nullptr;
    return bridge != nullptr && bridge->form == HBridge::Form::four_channel ? bridge : nullptr;
  };
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const HBridge* const first = board_of(lines[i]);
    if (first == nullptr) continue;
    lines.erase(std::remove_if(lines.begin() + static_cast<std::ptrdiff_t>(i) + 1, lines.end(),
                               [&](const RigLine& line) {
                                 const HBridge* const other = board_of(line);
                                 return other != nullptr && other->board_name == first->board_name &&
                                        line.number == lines[i].number &&
                                        line.driven.active == lines[i].driven.active;
                               }),
                lines.end());
  }
}

std::vector<RigLine> rig_lines(const Rig& rig) {
  LineCollector collector;
  for (const Mechanism& mechanism : rig.mechanisms) collector.mechanism(mechanism);
  drop_shared_enables(collector.lines);
  for (const Shaft& shaft : rig.shafts) collector.shaft(shaft);
  for (const Supply& supply : rig.supplies) collector.supply(supply);
  for (const HandControl& hand : rig.hands) collector.hand(hand);
  for (const Remote& remote : rig.remotes) collector.remote(remote);
  for (const BusSensor& sensor : rig.bus_sensors) collector.bus_sensor(sensor);
  for (const PlainOutput& output : rig.outputs) collector.output(output);
  if (rig.controller.heartbeat) collector.heartbeat(*rig.controller.heartbeat);
  return std::move(collector.lines);
}

std::vector<SaidControl> said_controls(const Rig& rig) {
  std::vector<SaidControl> all;
  const auto add = [&](const auto& devices) {
    for (const auto& device : devices)
      for (SaidControl& control : controls_of(device)) all.push_back(std::move(control));
  };
  add(rig.devices);
  add(rig.input_devices);
  add(rig.remotes);
  add(rig.bus_sensors);
  return all;
}

}  // namespace cogstride
