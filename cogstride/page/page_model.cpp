#include "cogstride/page/page_model.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>
#include <variant>

#include "cogstride/motion/devices/amounts.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

std::string number(double value) {
  return fmt::format("{:.6g}", value);
}

/// What hands can do with one thing, control by control.
class Controls {
 public:
  explicit Controls(Operation& operation) : operation_(operation) {}

  /// An amount on a slider and typed. @param order  with {} where it stands @param shows  what of the state
  /// it follows: "place", "speed", "share", or nothing
  Json& value(const char* id, const std::string& label, const std::string& order, const std::string& unit,
              double from, double to, const std::string& shows) {
    Json& control = add("value", id, label, with(order, to, unit));
    control["order"] = order;
    control["unit"] = unit;
    control["from"] = from;
    control["to"] = to;
    control["step"] = step_of(to - from);
    control["shows"] = shows;
    return control;
  }
  /// Goes as long as it is pressed. @param ways  label and order of each button
  void hold(const std::vector<std::pair<std::string, std::string>>& ways, const std::string& ends) {
    Json& control = add("hold", "hold", "Hold to run", ways.front().second);
    control["ways"] = Json::array();
    for (const auto& [label, order] : ways) control["ways"].push_back({{"label", label}, {"order", order}});
    control["ends"] = ends;
  }
  void nudges(const std::string& name, const std::vector<double>& amounts, const std::string& unit) {
    Json& control =
        add("nudge", "nudge", "Nudge", fmt::format("nudge {} by {} {}", name, number(amounts.front()), unit));
    control["ways"] = Json::array();
    for (const double amount : amounts)
      control["ways"].push_back({{"label", number(amount)},
                                 {"on", fmt::format("nudge {} by {} {}", name, number(amount), unit)},
                                 {"back", fmt::format("nudge {} by -{} {}", name, number(amount), unit)}});
    control["unit"] = unit;
  }
  /// @param ever  false: what could be carried out some time depends on how things are
  void press(const char* id, const std::string& label, const std::string& order, bool ever = true) {
    Json& control = add("press", id, label, order);
    control["order"] = order;
    if (!ever) control.erase("why");
  }
  void stations(const std::string& order, std::int64_t count) {
    Json& control = add("stations", "stations", "Stations", with(order, 0.0, ""));
    control["order"] = order;
    control["count"] = count;
  }
  void on_and_off(const std::string& label, const std::string& on, const std::string& off,
                  const std::string& shows) {
    Json& control = add("switch", "switch", label, on);
    control["on"] = on;
    control["off"] = off;
    control["shows"] = shows;
  }
  /// Pressed, it orders one thing; let go, another.
  Json& momentary(const std::string& label, const std::string& on, const std::string& off) {
    Json& control = add("momentary", "own", label, on);
    control["on"] = on;
    control["off"] = off;
    return control;
  }
  /// The least amount that is not refused, between none and one that is not.
  [[nodiscard]] double least(const std::string& order, double most, const std::string& unit) const {
    if (!operation_.why_never(with(order, most, unit)).empty()) return most;
    double refused = 0.0;
    double taken = most;
    for (int i = 0; i < 12; ++i) {
      const double between = 0.5 * (refused + taken);
      (operation_.why_never(with(order, between, unit)).empty() ? taken : refused) = between;
    }
    return taken;
  }
  [[nodiscard]] bool may(const std::string& order, double amount, const std::string& unit) const {
    return operation_.why_never(with(order, amount, unit)).empty();
  }
  [[nodiscard]] Json take() { return std::move(all_); }
  /// A round step of which some hundreds make up the whole.
  [[nodiscard]] static double step_of(double range) {
    const double fine = std::max(range, 1e-9) / 1000.0;
    const double power = std::pow(10.0, std::floor(std::log10(fine)));
    for (const double round : {1.0, 2.0, 5.0})
      if (round * power >= fine * (1.0 - 1e-9)) return round * power;
    return 10.0 * power;
  }

 private:
  [[nodiscard]] static std::string with(std::string order, double amount, const std::string& unit) {
    const std::size_t at = order.find("{}");
    if (at != std::string::npos) order.replace(at, 2, number(amount) + (unit.empty() ? "" : " " + unit));
    return order;
  }
  Json& add(const char* part, const char* id, const std::string& label, const std::string& order) {
    Json control{{"part", part}, {"id", id}, {"label", label}};
    if (const std::string why = operation_.why_never(order); !why.empty()) control["why"] = why;
    all_.push_back(std::move(control));
    return all_.back();
  }

  Operation& operation_;
  Json all_ = Json::array();
};

const char* shape_of(const Mechanism& mechanism) {
  if (mechanism.swings()) return "arm";
  if (mechanism.limits.travel_from)
    return output_kind(mechanism.train) == OutputKind::linear ? "travel" : "arc";
  if (mechanism.is_movable()) return "ring";
  return "shaft";
}

Json switches_of(const Mechanism& mechanism, double shown) {
  Json all = Json::array();
  for (const Sensor& sensor : mechanism.sensors) {
    const auto* const at = std::get_if<PlaceSwitch>(&sensor);
    if (at == nullptr) continue;
    Json each{{"name", at->name}};
    const auto put = [&](const char* key, const OutputPosition& place) {
      each[key] = place.base.to_double() * shown;
    };
    if (at->is_window) {
      put("from", at->window_from);
      put("to", at->window_to);
    } else {
      put(at->is_low_end() ? "to" : "from", at->acts_at);  // and as far as it goes
    }
    all.push_back(std::move(each));
  }
  return all;
}

std::vector<double> nudges_of(const Mechanism& mechanism, double shown) {
  double usual = output_kind(mechanism.train) == OutputKind::linear ? 1.0 : 5.0;
  if (mechanism.by_hand.nudge) usual = mechanism.by_hand.nudge->base.to_double() * shown;
  return {0.1 * usual, usual, 5.0 * usual};
}

void to_places(Controls& controls, const Mechanism& mechanism) {
  const OutputKind kind = output_kind(mechanism.train);
  const double shown = display_units_per_base(kind);
  const std::string unit(display_unit(kind, 0));
  const std::string& name = mechanism.name;
  const Limits& limits = mechanism.limits;
  const char* const verb = mechanism.swings() ? "swing" : kind == OutputKind::linear ? "move" : "turn";
  const double from = limits.travel_from ? limits.travel_from->base.to_double() * shown : 0.0;
  const double to = limits.travel_to ? limits.travel_to->base.to_double() * shown : shown;
  controls.value("place", "Place", fmt::format("{} {} to {{}}", verb, name), unit, from, to, "place");
  if (limits.stations) controls.stations(fmt::format("{} {} to station {{}}", verb, name), *limits.stations);
}

void at_speeds(Controls& controls, const Mechanism& mechanism) {
  const OutputKind kind = output_kind(mechanism.train);
  const std::string unit(speed_unit(kind));
  const double most = mechanism.limits.speed.base.to_double() * speed_units_per_base(kind);
  if (!(most > 0.0)) return;
  const std::string order = fmt::format("spin {} at {{}} until stopped", mechanism.name);
  const double from = controls.may(order, -most, unit) ? -most : 0.0;
  Json& control = controls.value("speed", "Speed", order, unit, from, most, "speed");
  control["least"] = controls.least(order, most, unit);
  control["zero"] = "stop " + mechanism.name;
}

void by_shares(Controls& controls, const Mechanism& mechanism) {
  const bool is_throttled = mechanism.is_throttled();
  const std::string order = is_throttled ? fmt::format("throttle {} to {{}}", mechanism.name)
                                         : fmt::format("spin {} at {{}} until stopped", mechanism.name);
  const DutyLimits limits = is_throttled ? throttle_limits(mechanism) : duty_limits(mechanism);
  const double most = 100.0 * limits.highest;
  const double from = controls.may(order, -most, "%") ? -most : 0.0;
  Json& control =
      controls.value("share", is_throttled ? "Throttle" : "Duty", order, "%", from, most, "share");
  control["least"] = 100.0 * limits.lowest;
  control["zero"] = "stop " + mechanism.name;
  if (is_throttled) controls.press("home", "Arm", "arm " + mechanism.name);
}

/// What orders mean that do not say it.
void settings(Controls& controls, const Mechanism& mechanism) {
  const OutputKind kind = output_kind(mechanism.train);
  const double shown = display_units_per_base(kind);
  const Limits& limits = mechanism.limits;
  const auto add = [&](const char* label, const char* what, int per_time, double most, double usual) {
    if (!(most > 0.0)) return;
    Json& control = controls.value("settings", label, fmt::format("set {} {} {{}}", mechanism.name, what),
                                   std::string(display_unit(kind, per_time)), 0.01 * most, most,
                                   fmt::format("usual_{}", what));
    control["value"] = usual;
  };
  const ByHand& by_hand = mechanism.by_hand;
  const double speed = limits.speed.base.to_double() * shown;
  const double acceleration = limits.acceleration.base.to_double() * shown;
  add("Goes at", "speed", 1, speed, by_hand.speed ? by_hand.speed->base.to_double() * shown : speed);
  add("Speeds up by", "acceleration", 2, acceleration,
      by_hand.acceleration ? by_hand.acceleration->base.to_double() * shown : acceleration);
}

/// What a hold says besides where its rig has no speed for hands: half of the most, or the least that turns
/// it.
std::string pace_of(const Mechanism& mechanism, Operation& operation) {
  if (operation.why_never("jog " + mechanism.name + " on").empty()) return "";
  if (mechanism.is_throttled() || mechanism.is_driven_by_duty()) {
    const DutyLimits limits = mechanism.is_throttled() ? throttle_limits(mechanism) : duty_limits(mechanism);
    return fmt::format(" at {} %", number(100.0 * std::max(limits.lowest, 0.5 * limits.highest)));
  }
  const OutputKind kind = output_kind(mechanism.train);
  const double most = mechanism.limits.speed.base.to_double() * speed_units_per_base(kind);
  return fmt::format(" at {} {}", number(0.5 * most), speed_unit(kind));
}

Json mechanism_json(const Mechanism& mechanism, Operation& operation) {
  const OutputKind kind = output_kind(mechanism.train);
  const double shown = display_units_per_base(kind);
  const Limits& limits = mechanism.limits;
  const std::string& name = mechanism.name;
  Json out{{"name", name}, {"kind", kind_name(mechanism.motor)}, {"shape", shape_of(mechanism)}};
  out["unit"] = display_unit(kind, 0);
  if (limits.travel_from) {
    out["from"] = limits.travel_from->base.to_double() * shown;
    out["to"] = limits.travel_to->base.to_double() * shown;
  }
  if (mechanism.hard_ends)
    out["hard_ends"] = {mechanism.hard_ends->from.base.to_double() * shown,
                        mechanism.hard_ends->to.base.to_double() * shown};
  if (Json switches = switches_of(mechanism, shown); !switches.empty()) out["switches"] = std::move(switches);
  if (limits.stations) out["stations"] = *limits.stations;
  out["clockwise"] = limits.forwards == TurningSense::clockwise;
  if (mechanism.is_driven_by_duty() || mechanism.is_throttled()) out["by_share"] = true;
  Controls controls(operation);
  const bool to_place = mechanism.is_movable() || mechanism.swings() || limits.travel_from.has_value();
  const bool has_counts = sensor_of<Encoder>(mechanism) != nullptr;
  if (to_place) to_places(controls, mechanism);
  if (mechanism.has_six_gates() || (mechanism.is_driven_by_duty() && has_counts))
    at_speeds(controls, mechanism);
  if (mechanism.is_driven_by_duty() || mechanism.is_throttled()) by_shares(controls, mechanism);
  const std::string pace = pace_of(mechanism, operation);
  std::vector<std::pair<std::string, std::string>> ways;
  if (!mechanism.is_throttled()) ways.emplace_back("back", fmt::format("jog {} back{}", name, pace));
  ways.emplace_back("on", fmt::format("jog {} on{}", name, pace));
  controls.hold(ways, "stop " + name);
  if (to_place || mechanism.is_driven_by_duty())
    controls.nudges(name, nudges_of(mechanism, shown), std::string(display_unit(kind, 0)));
  if (mechanism.homing) controls.press("home", "Home", "home " + name);
  if (mechanism.is_movable() && !mechanism.homing)
    controls.press("home", "Zero here", fmt::format("zero {} here", name));
  if (mechanism.is_movable()) settings(controls, mechanism);
  if (mechanism.follows) {
    controls.press("gearing", "Follow " + mechanism.follows->first.leader, "gear " + name);
    controls.press("gearing", "Let go", fmt::format("let {} go", name), false);
  }
  controls.press("stop", "Stop", "stop " + name);
  out["controls"] = controls.take();
  return out;
}

/// A speed that others follow, or a shaft that another machine turns.
Json shaft_json(const Shaft& shaft, Operation& operation) {
  const OutputKind kind = output_kind(shaft.train);
  Json out{{"name", shaft.name},
           {"kind", shaft.is_master() ? "master speed" : "counted shaft"},
           {"shape", "shaft"},
           {"unit", display_unit(kind, 0)}};
  Controls controls(operation);
  if (shaft.is_master()) {
    const double most = shaft.speed.base.to_double() * speed_units_per_base(kind);
    Json& control = controls.value("speed", "Speed", fmt::format("spin {} at {{}}", shaft.name),
                                   std::string(speed_unit(kind)), -most, most, "speed");
    control["zero"] = "stop " + shaft.name;
    controls.press("stop", "Stop", "stop " + shaft.name);
  }
  out["controls"] = controls.take();
  return out;
}

Json cart_json(const WheeledPair& pair, Operation& operation) {
  Json out{{"name", pair.name}, {"kind", "cart"}, {"shape", "cart"}};
  out["track"] = 1e3 * pair.track.base();
  Controls controls(operation);
  controls.hold({{"left", fmt::format("jog {} left", pair.name)},
                 {"back", fmt::format("jog {} back", pair.name)},
                 {"on", fmt::format("jog {} on", pair.name)},
                 {"right", fmt::format("jog {} right", pair.name)}},
                "stop " + pair.name);
  controls.press("stop", "Stop", "stop " + pair.name);
  out["controls"] = controls.take();
  return out;
}

Json output_json(const PlainOutput& output, Operation& operation) {
  Json out{{"name", output.name}, {"kind", "output"}, {"shape", "lamp"}};
  Controls controls(operation);
  controls.on_and_off("On", fmt::format("switch {} on", output.name),
                      fmt::format("switch {} off", output.name), "output");
  if (output.timer)
    controls.value("share", "Brightness", fmt::format("fade {} to {{}}", output.name), "%", 0.0, 100.0,
                   "output");
  out["controls"] = controls.take();
  return out;
}

/// Amounts of a slider in its unit. @throws Error
std::pair<double, double> range_of(const PageControl& control, const std::string& unit) {
  const auto amount = [&](const char* key, const std::string& text) {
    try {
      const UnitAmount said(text);
      if (said.unit() != unit && !unit.empty())
        throw RangeError(fmt::format("'{}' is in {}, and its slider in {}", text, said.unit(), unit));
      return said.each();
    } catch (const RangeError& error) {
      throw Error(fmt::format("page.{}.{}: {}", control.name, key, error.what()));
    }
  };
  const std::pair<double, double> range{amount("from", *control.from), amount("to", *control.to)};
  if (!(range.first < range.second))
    throw Error(fmt::format("page.{}: {} is not below {}", control.name, *control.from, *control.to));
  return range;
}

/// What the rig wants of it, and no more.
void narrow(Json& thing, const PageControl& wanted) {
  if (wanted.label) thing["label"] = *wanted.label;
  const auto is_shown = [&](const std::string& part) {
    return wanted.shows.empty() ||
           std::find(wanted.shows.begin(), wanted.shows.end(), part) != wanted.shows.end();
  };
  thing["drawn"] = is_shown("drawing");
  Json kept = Json::array();
  bool has_range = false;
  for (Json& control : thing["controls"]) {
    if (control["id"] != "stop" && !is_shown(control["id"])) continue;
    if (wanted.from && !has_range && control["part"] == "value") {
      const auto [from, to] = range_of(wanted, control["unit"]);
      if (from < control["from"].get<double>() || control["to"].get<double>() < to)
        throw Error(fmt::format("page.{}: {} goes from {} to {} {}", wanted.name, *wanted.of,
                                number(control["from"]), number(control["to"]),
                                control["unit"].get<std::string>()));
      control["from"] = from;
      control["to"] = to;
      control["step"] = Controls::step_of(to - from);
      has_range = true;
    }
    kept.push_back(std::move(control));
  }
  if (wanted.from && !has_range) throw Error(fmt::format("page.{}: it shows no slider", wanted.name));
  thing["controls"] = std::move(kept);
}

/// A control of its own. @throws Error for what could never be carried out
Json own_json(const PageControl& wanted, Operation& operation) {
  Json out{
      {"name", wanted.name}, {"label", wanted.label.value_or(wanted.name)}, {"kind", ""}, {"shape", "own"}};
  Controls controls(operation);
  const auto require = [&](const char* key, const std::string& order) {
    if (const std::string why = operation.why_never(order); !why.empty())
      throw Error(fmt::format("page.{}.{}: '{}': {}", wanted.name, key, order, why));
  };
  const std::string label = wanted.label.value_or(wanted.name);
  if (wanted.value) {
    const std::string unit = UnitAmount(*wanted.to).unit();
    const auto [from, to] = range_of(wanted, unit);
    std::string order = *wanted.value;
    order.replace(order.find("VALUE"), 5, "{}");
    std::string sample = *wanted.value;
    require("value", sample.replace(sample.find("VALUE"), 5, *wanted.to));
    controls.value("own", label, order, unit, from, to, "");
  } else {
    if (wanted.on) require("on", *wanted.on);
    if (wanted.off) require("off", *wanted.off);
    if (wanted.latched)
      controls.on_and_off(label, wanted.on.value_or(""), wanted.off.value_or(""), "own");
    else if (wanted.off || wanted.on->starts_with("jog "))
      controls.momentary(label, wanted.on.value_or(""), wanted.off.value_or(""));
    else
      controls.press("own", label, *wanted.on);
  }
  out["controls"] = controls.take();
  return out;
}

/// All that there is, or what the rig wants of it in its order.
Json things_of(const Rig& rig, Operation& operation) {
  Json all = Json::array();
  for (const Mechanism& mechanism : rig.mechanisms)
    if (mechanism.moves()) all.push_back(mechanism_json(mechanism, operation));
  for (const WheeledPair& pair : rig.pairs) all.push_back(cart_json(pair, operation));
  for (const Shaft& shaft : rig.shafts) all.push_back(shaft_json(shaft, operation));
  for (const PlainOutput& output : rig.outputs) all.push_back(output_json(output, operation));
  if (rig.page.empty()) return all;
  Json shown = Json::array();
  for (const PageControl& wanted : rig.page) {
    if (!wanted.of) {
      shown.push_back(own_json(wanted, operation));
      continue;
    }
    const auto is_it = [&](const Json& thing) { return thing["name"] == *wanted.of; };
    const auto thing = std::find_if(all.begin(), all.end(), is_it);
    if (thing == all.end())
      throw Error(fmt::format("page.{}.of: {} is not moved so far, so nothing of it can be shown",
                              wanted.name, *wanted.of));
    Json narrowed = *thing;
    narrow(narrowed, wanted);
    shown.push_back(std::move(narrowed));
  }
  return shown;
}

Json finding_json(const Finding& finding) {
  Json out{{"code", finding.code}, {"severity", to_text(finding.severity)}, {"what", finding.what}};
  if (!finding.mechanism.empty()) out["of"] = finding.mechanism;
  if (!finding.way_out.empty()) out["way_out"] = finding.way_out;
  if (finding.place.line > 0) out["line"] = finding.place.line;
  return out;
}

}  // namespace

std::string page_model(const Bench& bench, Operation& operation, const std::string& where) {
  const Rig& rig = bench.rig();
  Json out{{"rig", rig.name}, {"where", where}};
  out["hold_every_ms"] = std::max(20.0, 1e3 * rig.operating.hold_lasts.in(units::s) / 3.0);
  out["things"] = things_of(rig, operation);
  out["keys"] = Json::array();
  for (const Binding& binding : rig.bindings)
    if (binding.control.starts_with("key "))
      out["keys"].push_back({{"label", binding.name}, {"order", "press " + binding.control.substr(4)}});
  out["findings"] = Json::array();
  for (const Finding& finding : inspect_rig(rig).findings) out["findings"].push_back(finding_json(finding));
  return out.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace cogstride
