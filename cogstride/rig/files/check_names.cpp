#include "cogstride/rig/files/check_names.hpp"
#include "cogstride/mechanism/line_name.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

namespace cogstride {
namespace {

/// Names that one table has for what another one declares.
class NameCheck {
 public:
  std::vector<Diagnostic> wrong{};

  NameCheck(const Rig& rig, const std::string& file, const std::map<std::string, SourcePlace>& places)
      : file_(file), places_(places) {
    for (const Supply& supply : rig.supplies) supplies_.push_back(supply.name);
    for (const BetweenPart& part : rig.parts) parts_.push_back(part.name);
    for (const TimerUnit& timer : rig.controller.timers) timers_.push_back(timer.name);
    for (const Mechanism& mechanism : rig.mechanisms) mechanisms_.push_back(mechanism.name);
    leaders_ = mechanisms_;
    for (const Shaft& shaft : rig.shafts) leaders_.push_back(shaft.name);
  }

  void check(const Rig& rig) {
    known(rig.controller.supply, supplies_, "controller.supply");
    for (const Supply& supply : rig.supplies) regulator(rig, supply);
    for (const Mechanism& mechanism : rig.mechanisms) {
      const std::string path = "mechanism." + mechanism.name;
      known(mechanism.common.through, parts_, path + ".lines.through");
      known(mechanism.common.timer, timers_, path + ".lines.timer");
      if (const auto& follows = mechanism.follows) {
        follower(rig, mechanism, follows->first, path + ".follows");
        if (follows->also) follower(rig, mechanism, *follows->also, path + ".follows.also");
      }
      for (const Sensor& sensor : mechanism.sensors) {
        const std::string sensor_path = path + ".sensor." + name_of(sensor);
        std::visit(
            [&](const auto& part) {
              if constexpr (requires { part.feed; })
                known(part.feed.supply, supplies_, sensor_path + ".supply");
              if constexpr (requires { part.cuts; }) all_known(part.cuts, sensor_path + ".cuts");
            },
            sensor);
      }
    }
    for (const Shaft& shaft : rig.shafts) {
      const std::string path = "shaft." + shaft.name;
      if (std::find(mechanisms_.begin(), mechanisms_.end(), shaft.name) != mechanisms_.end())
        add(path + ".speed", "a mechanism has the shaft's name: a script could mean either");
      if (shaft.encoder) known(shaft.encoder->feed.supply, supplies_, path + ".encoder.supply");
    }
    for (const Binding& binding : rig.bindings) bound(rig, binding);
    std::vector<std::string> shown = mechanisms_;
    for (const WheeledPair& pair : rig.pairs) shown.push_back(pair.name);
    for (const PlainOutput& output : rig.outputs) shown.push_back(output.name);
    for (const PageControl& control : rig.page) known(control.of, shown, "page." + control.name + ".of");
    for (const Device& device : rig.devices)
      for (const DeviceReply& reply : device.replies) replied(rig, device, reply);
    for (const WheeledPair& pair : rig.pairs) {
      const std::string path = "pair." + pair.name;
      known(pair.left, mechanisms_, path + ".left");
      known(pair.right, mechanisms_, path + ".right");
      if (pair.left == pair.right) add(path + ".right", "is the left one too: two wheels want two motors");
      if (std::find(mechanisms_.begin(), mechanisms_.end(), pair.name) != mechanisms_.end())
        add(path + ".left", "a mechanism has the pair's name: a script could mean either");
      for (const Mechanism& mechanism : rig.mechanisms)
        if (mechanism.name == pair.left || mechanism.name == pair.right)
          wheel(mechanism, path + (mechanism.name == pair.left ? ".left" : ".right"));
    }
    for (const HandControl& hand : rig.hands) all_known(hand.cuts, "hand." + hand.name + ".cuts");
    for (const PlainOutput& output : rig.outputs)
      known(output.timer, timers_, "output." + output.name + ".timer");
  }

  /// Each line has one use.
  void check_lines(const Rig& rig) {
    std::map<std::int64_t, const RigLine*> uses;
    const std::vector<RigLine> lines = rig_lines(rig);
    for (const RigLine& line : lines) {
      if (line.number < 0) continue;  // missing or wrong, and said already
      const auto [found, is_new] = uses.emplace(line.number, &line);
      if (is_new) continue;
      add(line.key,
          fmt::format("line {} is used twice: for {} {} and for {} {}", line_name(line.number),
                      found->second->owner, found->second->use, line.owner, line.use),
          "line-used-twice");
    }
  }

 private:
  void add(const std::string& key, const std::string& message, const char* code = "") {
    const auto place = places_.find(key);
    wrong.push_back(
        {place == places_.end() ? SourcePlace{file_, 1, 1} : place->second, key + ": " + message, {}, code});
  }
  void known(const std::optional<std::string>& name, const std::vector<std::string>& names,
             const std::string& key) {
    if (!name || std::find(names.begin(), names.end(), *name) != names.end()) return;
    add(key, fmt::format("found \"{}\"; the rig has {}", *name,
                         names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
  }
  void all_known(const std::vector<std::string>& some, const std::string& key) {
    for (const std::string& name : some) known(name, supplies_, key);
  }
  void regulator(const Rig& rig, const Supply& supply) {
    const std::string path = "supply." + supply.name;
    known(supply.fed_by, supplies_, path + ".fed_by");
    if (!supply.fed_by) {
      for (const auto& [given, key] : {std::pair{supply.efficiency.has_value(), ".efficiency"},
                                       std::pair{supply.lowest_supply.has_value(), ".lowest_supply"},
                                       std::pair{supply.highest_supply.has_value(), ".highest_supply"}})
        if (given) add(path + key, "is for a regulator; say which supply feeds it (fed_by)");
      return;
    }
    if (supply.charge) add(path + ".charge", "is of a battery, and another supply feeds this one (fed_by)");
    if (supply.efficiency &&
        (*supply.efficiency <= ExactFraction() || 1 < supply.efficiency->base().to_double()))
      add(path + ".efficiency", "is a share of what it takes: above 0 and at most 100 %");
    const Supply* from = &supply;
    for (std::size_t i = 0; i <= rig.supplies.size() && from != nullptr; ++i)
      from = from->fed_by ? find_supply(rig, *from->fed_by) : nullptr;
    if (from != nullptr)
      add(path + ".fed_by", "goes round in a circle: one of them needs a source of its own");
  }
  /// Its control is a hand that does what it is bound to.
  void bound(const Rig& rig, const Binding& binding) {
    const std::string key = "binding." + binding.name + ".control";
    const std::string& control = binding.control;
    const bool is_key = control.size() == 5 && control.starts_with("key ") && control[4] > ' ';
    if (is_key || control == "anything else") {
      if (binding.value || (binding.off && !binding.latched))
        add(key, fmt::format("{} has no {}: a terminal tells of presses alone", control,
                             binding.value ? "value" : "`off`, unless it is latched"));
      return;
    }
    if (binding.also) {
      const auto is_it = [&](const HandControl& hand) { return hand.name == *binding.also && hand.channel; };
      const auto is_axis = [&](const SaidControl& said) {
        return said.name == *binding.also && said.says == SaidControl::Says::share;
      };
      const std::vector<SaidControl> said = said_controls(rig);
      if (*binding.also == control || (std::none_of(rig.hands.begin(), rig.hands.end(), is_it) &&
                                       std::none_of(said.begin(), said.end(), is_axis)))
        add("binding." + binding.name + ".also",
            fmt::format("found \"{}\"; it is another knob of this rig, or another axis", *binding.also));
    }
    std::vector<std::string> names;
    for (const SaidControl& said : said_controls(rig)) {
      names.push_back(said.name);
      if (said.name == control) return by_what_it_says(said, binding, key);
    }
    for (const HandControl& hand : rig.hands) {
      names.push_back(hand.name);
      if (hand.name != control) continue;
      if (hand.kind == HandControl::Kind::stop)
        add(key, fmt::format("{} is an emergency stop: it stops everything, and does nothing else", control));
      else if (hand.is_turned() != binding.value.has_value())
        add(key, hand.is_turned() ? fmt::format("{} is turned: `value` says what it does", control)
                                  : fmt::format("{} is pressed: `on` and `off` say what it does", control));
      else if (hand.kind == HandControl::Kind::knob && !binding.each && !binding.from)
        add(key, fmt::format("{} is a knob, and its value needs `from` and `to`: what its travel begins and "
                             "ends with",
                             control));
      else if ((hand.kind == HandControl::Kind::wheel) != binding.each.has_value())
        add(key, binding.each
                     ? fmt::format("{} is a knob, and has no clicks: `each` is of an encoder wheel", control)
                     : fmt::format("{} is an encoder wheel: `each` says what a click amounts to", control));
      return;
    }
    if (control.empty()) return;
    add(key,
        fmt::format("found \"{}\"; it is one of {}, a key of the terminal such as \"key f\", or "
                    "\"anything else\"",
                    control,
                    names.empty() ? "its hands (it has none)" : fmt::format("{}", fmt::join(names, ", "))));
  }
  /// What it is told is of something that moves, and in its unit.
  void replied(const Rig& rig, const Device& device, const DeviceReply& reply) {
    const std::string path = "device." + device.name + ".reply." + reply.name;
    OutputKind kind = OutputKind::linear;
    std::vector<std::string> names;
    bool is_known = false;
    for (const Mechanism& mechanism : rig.mechanisms) {
      names.push_back(mechanism.name);
      if (mechanism.name == reply.of) kind = output_kind(mechanism.train), is_known = true;
    }
    for (const WheeledPair& pair : rig.pairs) {
      names.push_back(pair.name);
      is_known = is_known || pair.name == reply.of;
    }
    if (!is_known)
      return add(path + ".of",
                 fmt::format("found \"{}\"; it is one of {}", reply.of, fmt::join(names, ", ")));
    if (!reply.each) return;
    try {
      const bool is_place = reply.says == DeviceReply::Says::place;
      const OutputKind found =
          is_place ? parse_output<0>(*reply.each).kind : parse_output<1>(*reply.each).kind;
      if (found != kind)
        add(path + ".each", fmt::format("found {}; {} {}", *reply.each, reply.of,
                                        kind == OutputKind::linear ? "moves along a line" : "turns"));
    } catch (const Error& error) {
      add(path + ".each", error.what());
    }
  }
  /// What a device says: a number and a share are values, anything else a press.
  void by_what_it_says(const SaidControl& said, const Binding& binding, const std::string& key) {
    using Says = SaidControl::Says;
    const bool is_value = said.says == Says::number || said.says == Says::share;
    if (is_value != binding.value.has_value())
      add(key, is_value ? fmt::format("{} says {}: `value` says what it does", said.name,
                                      said.says == Says::number ? "a number" : "how far it is turned")
                        : fmt::format("{} says no number: `on` and `off` say what it does", said.name));
    else if (said.says == Says::number && (binding.from || binding.also))
      add(key, fmt::format("{} says a number: its range stands there; `each` says what one of it amounts to",
                           said.name));
    else if (said.says == Says::share && (binding.each || !binding.from))
      add(key,
          fmt::format("{} is an axis, and its value needs `from` and `to`: what its travel begins and ends "
                      "with",
                      said.name));
  }
  void wheel(const Mechanism& mechanism, const std::string& key) {
    const bool has_encoder =
        std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(),
                    [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
    if (!mechanism.is_driven_by_duty() || !has_encoder)
      add(key, fmt::format(
                   "{} is no brushed motor on an H-bridge with an encoder: those turn the wheels of a pair",
                   mechanism.name));
    if (output_kind(mechanism.train) == OutputKind::linear)
      add(key, fmt::format("{} moves along a line: a wheel turns", mechanism.name));
  }
  void follower(const Rig& rig, const Mechanism& mechanism, const Leading& leading, const std::string& path) {
    known(leading.leader, leaders_, path + ".leader");
    if (const Shaft* const shaft = find_shaft(rig, leading.leader)) {
      if (output_kind(shaft->train) != leading.for_each.kind)
        add(path + ".for_each",
            fmt::format("{}: {} moves {}", to_text(leading.for_each), leading.leader,
                        leading.for_each.kind == OutputKind::rotary ? "along a line: a way is meant"
                                                                    : "round: an angle is meant"));
      return;
    }
    for (const Mechanism& other : rig.mechanisms) {
      if (other.name != leading.leader) continue;
      if (leads_to(rig, other, mechanism))
        add(path + ".leader", other.name == mechanism.name ? "a mechanism cannot follow itself"
                                                           : "they follow each other in a circle");
      if (output_kind(other.train) != leading.for_each.kind)
        add(path + ".for_each",
            fmt::format("{}: {} moves {}", to_text(leading.for_each), leading.leader,
                        output_kind(other.train) == OutputKind::linear ? "along a line: a way is meant"
                                                                       : "round: an angle is meant"));
    }
  }
  /// Whether `from` is `wanted`, or follows it, or what follows it.
  static bool leads_to(const Rig& rig, const Mechanism& from, const Mechanism& wanted,
                       std::size_t depth = 0) {
    if (from.name == wanted.name) return true;
    if (!from.follows || depth > rig.mechanisms.size()) return false;
    for (const Mechanism& other : rig.mechanisms) {
      const bool is_leader = other.name == from.follows->first.leader ||
                             (from.follows->also && other.name == from.follows->also->leader);
      if (is_leader && leads_to(rig, other, wanted, depth + 1)) return true;
    }
    return false;
  }

  const std::string& file_;
  const std::map<std::string, SourcePlace>& places_;
  std::vector<std::string> supplies_{};
  std::vector<std::string> parts_{};
  std::vector<std::string> timers_{};
  std::vector<std::string> mechanisms_{};
  std::vector<std::string> leaders_{};
};

}  // namespace

std::vector<Diagnostic> wrong_names(const Rig& rig, const std::string& file,
                                    const std::map<std::string, SourcePlace>& places) {
  NameCheck names(rig, file, places);
  names.check(rig);
  return std::move(names.wrong);
}

std::vector<Diagnostic> lines_used_twice(const Rig& rig, const std::string& file,
                                         const std::map<std::string, SourcePlace>& places) {
  NameCheck names(rig, file, places);
  names.check_lines(rig);
  return std::move(names.wrong);
}

}  // namespace cogstride
