#include <nlohmann/json.hpp>

#include "cogstride/report/reports.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

std::string pretty(const Json& json) {
  return json.dump(2) + "\n";
}

Json ratio_json(Ratio ratio) {
  return {
      {"numerator", ratio.numerator()}, {"denominator", ratio.denominator()}, {"value", ratio.to_double()}};
}

Json mechanism_json(const Mechanism& mechanism, const Controller& controller) {
  const MechanismFigures figures = figures_of(mechanism, controller);
  Json json;
  json["name"] = mechanism.name;
  json["unit"] = display_unit(figures.kind, 0);
  json["steps_per_unit"] = ratio_json(figures.steps_per_unit);
  json["resolution"] = figures.resolution;
  json["top_speed"] = figures.top_speed;
  json["top_step_rate"] = figures.top_step_rate;
  json["controller_step_rate"] = figures.controller_step_rate;
  json["controller_can"] = figures.controller_can();
  json["ramp_seconds"] = figures.ramp_time;
  json["ramp_way"] = figures.ramp_way;
  json["torque_at_rest"] = figures.torque_at_rest;
  json["torque_left"] = figures.torque_left;
  json["usable_acceleration"] = figures.usable_acceleration;
  json["pull_in_speed"] = figures.pull_in_speed;
  json["natural_frequency"] = figures.natural_frequency;
  json["winding_loss"] = figures.winding_loss;
  json["winding_rise"] = figures.winding_rise ? Json(*figures.winding_rise) : Json(nullptr);
  json["supply_current"] = figures.supply_current;
  json["travel_steps"] = figures.travel_steps ? Json(*figures.travel_steps) : Json(nullptr);
  json["travel_seconds"] = figures.travel_time ? Json(*figures.travel_time) : Json(nullptr);
  Json lines = {{"step", mechanism.wiring.step.number}, {"dir", mechanism.wiring.dir.number}};
  if (mechanism.wiring.enable) lines["enable"] = mechanism.wiring.enable->number;
  if (mechanism.gate) lines["gate"] = mechanism.gate->line;
  json["lines"] = lines;
  return json;
}

Json tally_json(const MechanismTally& tally, const TraceLayout& layout) {
  Json json;
  json["name"] = tally.name;
  json["unit"] = tally.unit;
  json["asked"] = tally.asked ? Json(*tally.asked) : Json(nullptr);
  json["made"] = tally.made;
  json["net_steps"] = tally.net_steps;
  json["pulses"] = tally.pulses;
  json["missed"] = {
      {"switched_off", tally.missed_off}, {"waking", tally.missed_waking}, {"too_short", tally.missed_short}};
  json["wrong_direction"] = tally.wrong_direction;
  json["lost_microsteps"] = tally.lost_microsteps;
  json["losses"] = Json::array();
  for (const LossTally& loss : tally.losses) {
    json["losses"].push_back({{"tick", loss.at},
                              {"seconds", layout.seconds(loss.at)},
                              {"step_rate", loss.step_rate},
                              {"microsteps", loss.microsteps}});
  }
  json["complaints"] = complaints(tally, layout);
  return json;
}

const char* kind_word(TraceEvent::Kind kind) {
  switch (kind) {
    case TraceEvent::Kind::began:
      return "began";
    case TraceEvent::Kind::ended:
      return "ended";
    case TraceEvent::Kind::fault:
      return "fault";
    case TraceEvent::Kind::note:
      break;
  }
  return "note";
}

}  // namespace

std::string inspect_json(const Rig& rig, const Inspection& inspection, const std::string& file) {
  Json json;
  json["rig"] = rig.name;
  json["file"] = file;
  json["timer_clock_hz"] = rig.controller.timer_clock.base().to_double();
  json["mechanisms"] = Json::array();
  for (const Mechanism& mechanism : rig.mechanisms)
    json["mechanisms"].push_back(mechanism_json(mechanism, rig.controller));
  json["findings"] = Json::array();
  for (const Finding& finding : inspection.findings) {
    json["findings"].push_back({{"code", finding.code},
                                {"severity", to_text(finding.severity)},
                                {"mechanism", finding.mechanism},
                                {"line", finding.place.line},
                                {"column", finding.place.column},
                                {"what", finding.what},
                                {"way_out", finding.way_out}});
  }
  json["unchecked"] = Json::array();
  for (const Unchecked& unchecked : inspection.unchecked) {
    json["unchecked"].push_back(
        {{"code", unchecked.code}, {"mechanism", unchecked.mechanism}, {"needs", unchecked.needs}});
  }
  return pretty(json);
}

std::string lines_json(const Rig& rig) {
  Json json = Json::array();
  for (const WiredLine& line : wiring_list(rig)) {
    json.push_back({{"line", line.number},
                    {"mechanism", line.mechanism},
                    {"use", line.use},
                    {"output", line.is_output},
                    {"rest", line.rest},
                    {"current_mA", line.current ? Json(line.current->in(units::mA)) : Json(nullptr)}});
  }
  return pretty(json);
}

std::string plan_json(const PlanFigures& plan) {
  Json json;
  json["mechanism"] = plan.mechanism;
  json["unit"] = plan.unit;
  json["from"] = plan.from;
  json["to"] = plan.to;
  json["steps"] = plan.steps;
  json["seconds"] = plan.duration;
  json["peak_speed"] = plan.peak_speed;
  json["peak_step_rate"] = plan.peak_step_rate;
  json["acceleration"] = plan.acceleration;
  json["start_speed"] = plan.start_speed;
  json["ramp_seconds"] = plan.ramp_time;
  json["ramp_way"] = plan.ramp_way;
  json["cruise_seconds"] = plan.cruise_time;
  json["first_pulse_seconds"] = plan.first_pulse;
  json["shortest_interval_seconds"] = plan.shortest_interval;
  json["pulse_runs"] = plan.pulse_runs;
  json["worst_error_ticks"] = plan.worst_error_ticks;
  return pretty(json);
}

std::string rehearsal_json(const RehearsalReport& report, const EventLog& log) {
  Json json;
  json["rig"] = report.rig;
  json["script"] = report.script;
  json["sound"] = report.tally.is_sound();
  json["seconds"] = report.tally.seconds;
  json["fault"] = report.tally.fault.empty() ? Json(nullptr) : Json(report.tally.fault);
  json["mechanisms"] = Json::array();
  for (const MechanismTally& tally : report.tally.mechanisms)
    json["mechanisms"].push_back(tally_json(tally, log.layout()));
  json["events"] = Json::array();
  for (const TraceEvent& event : log.events()) {
    json["events"].push_back({{"tick", event.at},
                              {"seconds", log.layout().seconds(event.at)},
                              {"who", event.who},
                              {"text", event.text},
                              {"kind", kind_word(event.kind)}});
  }
  json["events_left_out"] = log.left_out();
  return pretty(json);
}

}  // namespace cogstride
