#include "cogstride/hands/state_line.hpp"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

Json json_of(const MovedState& moved) {
  Json out;
  out["name"] = moved.name;
  const auto put = [&](const char* key, const auto& value) {
    if (value) out[key] = *value;
  };
  const auto say = [&](const char* key, const std::string& text) {
    if (!text.empty()) out[key] = text;
  };
  put("place", moved.place);
  say("place_unit", moved.place_unit);
  put("from", moved.from);
  put("to", moved.to);
  put("speed", moved.speed);
  say("speed_unit", moved.speed_unit);
  put("share_percent", moved.share);
  put("lag", moved.lag);
  put("count", moved.counted);
  put("usual_speed", moved.usual_speed);
  put("usual_acceleration", moved.usual_acceleration);
  out["homed"] = moved.knows_zero;
  out["driven"] = moved.is_driven;
  say("doing", moved.doing);
  say("held_by", moved.held_by);
  say("obstacle", moved.obstacle);
  return out;
}

Json script_json(const OperationState& state) {
  Json out{{"name", state.script}, {"statement", state.statement}, {"paused", state.script_is_paused}};
  out["played_s"] = state.script_played;
  if (!state.script_lasts) return out;
  out["lasts_s"] = *state.script_lasts;
  if (state.script_takes_longer) out["takes_longer"] = true;
  return out;
}

}  // namespace

std::string state_words(const MovedState& moved) {
  std::string text;
  const auto add = [&](const std::string& part) { text += (text.empty() ? "" : ", ") + part; };
  if (!moved.knows_zero)
    add("not homed");
  else if (moved.place)
    add(fmt::format("{:.2f} {}", *moved.place, moved.place_unit));
  if (moved.share) add(fmt::format("{:.3g} %", *moved.share));
  if (moved.speed)
    add(fmt::format("{:.1f} {}", std::abs(*moved.speed) < 0.05 ? 0.0 : *moved.speed, moved.speed_unit));
  if (moved.counted) add(fmt::format("count {}", *moved.counted));
  if (moved.lag) add(fmt::format("lag {:.3g} {}", *moved.lag, moved.place_unit));
  if (!moved.doing.empty()) add(moved.doing);
  if (!moved.held_by.empty()) add("held by " + moved.held_by);
  if (!moved.obstacle.empty()) add("obstacle: " + moved.obstacle);
  return text;
}

std::string input_words(const NamedState& input) {
  if (input.acts.value_or(false)) return input.name + " acts";
  if (input.share && *input.share != 0.0) return fmt::format("{} {:.0f} %", input.name, 100.0 * *input.share);
  if (input.said) return fmt::format("{} {}", input.name, *input.said);
  return {};
}

std::string state_line(const OperationState& state, bool json) {
  if (!json) {
    std::string text = fmt::format("state: at {:.2f} s", state.at);
    if (state.is_stopped) text += "; everything is stopped";
    for (const MovedState& moved : state.moved) text += "; " + moved.name + " " + state_words(moved);
    for (const NamedState& input : state.inputs)
      if (const std::string says = input_words(input); !says.empty()) text += "; " + says;
    for (const NamedState& output : state.outputs)
      if (output.acts.value_or(false)) text += fmt::format("; {} on", output.name);
    if (!state.script.empty())
      text +=
          fmt::format("; {}{}: {}", state.script, state.script_is_paused ? " (paused)" : "", state.statement);
    if (!state.fault.empty()) text += "; fault: " + state.fault;
    return text;
  }
  Json out;
  out["at_s"] = state.at;
  out["stopped"] = state.is_stopped;
  out["moved"] = Json::array();
  for (const MovedState& moved : state.moved) out["moved"].push_back(json_of(moved));
  out["inputs"] = Json::object();
  for (const NamedState& input : state.inputs)
    out["inputs"][input.name] = input.acts    ? Json(*input.acts)
                                : input.share ? Json(*input.share)
                                : input.said  ? Json(*input.said)
                                              : Json();
  out["outputs"] = Json::object();
  for (const NamedState& output : state.outputs) out["outputs"][output.name] = output.share.value_or(0.0);
  if (!state.script.empty()) out["script"] = script_json(state);
  if (!state.fault.empty()) out["fault"] = state.fault;
  return Json{{"state", out}}.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace cogstride
