#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

std::string pretty(const Json& json) {
  return json.dump(2) + "\n";
}

struct ValueJson {
  Json operator()(Ratio ratio) const {
    return {
        {"numerator", ratio.numerator()}, {"denominator", ratio.denominator()}, {"value", ratio.to_double()}};
  }
  Json operator()(const auto& value) const { return value; }
};

void put_rows(Json& json, const std::vector<FigureRow>& rows) {
  for (const FigureRow& row : rows)
    for (const auto& [name, value] : row.values) json[name] = std::visit(ValueJson{}, value);
}

Json mechanism_json(const Rig& rig, const Mechanism& mechanism) {
  Json json;
  json["name"] = mechanism.name;
  json["motor"] = kind_name(mechanism.motor);
  json["board"] = kind_name(mechanism.board);
  json["unit"] = display_unit(output_kind(mechanism.train), 0);
  put_rows(json, figure_rows(rig, mechanism));
  json["lines"] = Json::object();
  const std::vector<RigLine> lines = rig_lines(rig);
  for (const RigLine& line : lines)
    if (line.mechanism == &mechanism) json["lines"][line.use] = line.number;
  return json;
}

Json wiring_json(const Rig& rig) {
  Json json = Json::array();
  const std::vector<RigLine> lines = wiring_list(rig);
  for (const RigLine& line : lines) {
    const std::optional<Current> current = line_current(rig, line);
    const bool rests_high = line.driven.active == ActiveLevel::low;
    json.push_back({{"line", line.number},
                    {"goes_to", line.owner},
                    {"use", line.use},
                    {"key", line.key},
                    {"output", line.is_output},
                    {"rest", line.is_output ? Json(rests_high ? "high" : "low") : Json(nullptr)},
                    {"current_mA", current ? Json(current->in(units::mA)) : Json(nullptr)}});
  }
  return json;
}

Json tally_json(const MechanismTally& tally, const TraceLayout& layout) {
  Json json;
  json["name"] = tally.name;
  json["unit"] = tally.unit;
  json[with_unit("asked", tally.unit)] = tally.asked ? Json(*tally.asked) : Json(nullptr);
  json[with_unit("made", tally.unit)] = tally.made;
  json["net_steps"] = tally.net_steps;
  json["pulses"] = tally.pulses;
  json["missed"] = {
      {"switched_off", tally.missed_off}, {"waking", tally.missed_waking}, {"too_short", tally.missed_short}};
  json["wrong_direction"] = tally.wrong_direction;
  json["lost_microsteps"] = tally.counts_losses ? Json(tally.lost_microsteps) : Json(nullptr);
  json["losses"] = Json::array();
  for (const LossTally& loss : tally.losses) {
    json["losses"].push_back({{"tick", loss.at},
                              {"at_s", layout.seconds(loss.at)},
                              {"rate_steps_per_s", loss.step_rate},
                              {"microsteps", loss.microsteps}});
  }
  json["complaints"] = complaints(tally, layout);
  return json;
}

Json tally_json(const BrushedTally& tally) {
  Json json;
  json["name"] = tally.name;
  json["unit"] = tally.unit;
  json[with_unit("made", tally.unit)] = tally.made;
  json[with_unit("speed", tally.speed_unit)] = tally.speed;
  json["duty_share"] = tally.duty;
  json["highest_current_A"] = tally.highest_current;
  json["sustained_current_A"] = tally.sustained_current;
  json["mean_current_A"] = tally.mean_current;
  json["highest_supply_V"] = tally.highest_supply;
  json["motor_rise_K"] = tally.motor_rise;
  json["board_rise_K"] = tally.board_rise;
  json["periods_limited"] = tally.times_limited;
  json["driven_and_still_s"] = tally.driven_still;
  json["complaints"] = complaints(tally);
  return json;
}

Json tally_json(const PulseTally& tally) {
  Json json;
  json["name"] = tally.name;
  json["kind"] = tally.swings ? "hobby servo" : "speed controller";
  json["unit"] = tally.unit;
  json[with_unit("asked", tally.unit)] = tally.asked ? Json(*tally.asked) : Json(nullptr);
  json[with_unit("made", tally.unit)] = tally.made;
  json["highest_current_A"] = tally.highest_current;
  json["mean_current_A"] = tally.mean_current;
  json["energy_J"] = tally.energy;
  json["motor_rise_K"] = tally.rise;
  json["too_warm_at_s"] = tally.too_warm_at ? Json(*tally.too_warm_at) : Json(nullptr);
  json["rest_s"] = tally.rest;
  json["longest_stall_s"] = tally.longest_stall;
  json["pulses_too_soon"] = tally.too_soon;
  json["complaints"] = complaints(tally);
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
    case TraceEvent::Kind::outside:
      return "outside";
    case TraceEvent::Kind::note:
      break;
  }
  return "note";
}

void put_events(Json& json, const EventLog& log) {
  json["events"] = Json::array();
  for (const TraceEvent& event : log.events()) {
    json["events"].push_back({{"tick", event.at},
                              {"at_s", log.layout().seconds(event.at)},
                              {"who", event.who},
                              {"text", event.text},
                              {"kind", kind_word(event.kind)}});
  }
  json["events_left_out"] = log.left_out();
}

}  // namespace

std::string inspect_json(const Rig& rig, const Inspection& inspection, const std::string& file,
                         const std::string& only) {
  Json json;
  json["rig"] = rig.name;
  json["file"] = file;
  json["timer_clock_Hz"] = rig.controller.timer_clock.base().to_double();
  put_rows(json, controller_rows(rig));
  json["supplies"] = Json::array();
  for (const Supply& supply : rig.supplies) {
    Json each{{"name", supply.name}};
    put_rows(each, figure_rows(rig, supply));
    json["supplies"].push_back(each);
  }
  json["mechanisms"] = Json::array();
  for (const Mechanism& mechanism : rig.mechanisms)
    if (only.empty() || mechanism.name == only) json["mechanisms"].push_back(mechanism_json(rig, mechanism));
  if (only.empty()) json["wiring"] = wiring_json(rig);
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
  return pretty(wiring_json(rig));
}

std::string plan_json(const PlanFigures& plan) {
  Json json;
  json["mechanism"] = plan.mechanism;
  json["unit"] = plan.unit;
  const std::string per_s = plan.unit + "/s";
  json["from"] = plan.from;
  json["to"] = plan.to;
  json["steps"] = plan.steps;
  json["duration_s"] = plan.duration;
  json[with_unit("peak_speed", per_s)] = plan.peak_speed;
  json["peak_rate_steps_per_s"] = plan.peak_step_rate;
  json[with_unit("speed_limit", per_s)] = plan.limit_speed;
  json[with_unit("acceleration", per_s + "2")] = plan.acceleration;
  json[with_unit("start_speed", per_s)] = plan.start_speed;
  if (plan.jerk > 0.0) json[with_unit("jerk", per_s + "3")] = plan.jerk;
  json["ramp_s"] = plan.ramp_time;
  json[with_unit("ramp_way", plan.unit)] = plan.ramp_way;
  json["cruise_s"] = plan.cruise_time;
  json["first_pulse_s"] = plan.first_pulse;
  json["shortest_interval_s"] = plan.shortest_interval;
  json["pulse_runs"] = plan.pulse_runs;
  json["worst_error_ticks"] = plan.worst_error_ticks;
  json["torque_margin_share"] = plan.margin;
  if (plan.loses_steps) json["worst_lag_deg"] = plan.worst_lag;
  json["worst_lag_at_s"] = plan.worst_at;
  return pretty(json);
}

std::string drive_json(const LiveReport& report, const EventLog& log) {
  const LiveTally& tally = report.tally;
  Json json;
  json["rig"] = report.rig;
  json["script"] = report.script;
  json["duration_s"] = tally.seconds;
  json["fault"] = tally.fault.empty() ? Json(nullptr) : Json(tally.fault);
  json["notes"] = report.notes;
  json["mechanisms"] = Json::array();
  for (const LiveTally::Mechanism& mechanism : tally.mechanisms) {
    json["mechanisms"].push_back({{"name", mechanism.name},
                                  {"unit", mechanism.unit},
                                  {with_unit("stands_at", mechanism.unit),
                                   mechanism.stands_at ? Json(*mechanism.stands_at) : Json(nullptr)},
                                  {"steps", mechanism.steps}});
  }
  json["driven_by_duty"] = Json::array();
  const auto runs_down = [](const LiveTally::RunsDown& from) {
    return Json{{with_unit("speed", from.speed_unit), from.speed},
                {"stands_in_s", std::isfinite(from.stands_in) ? Json(from.stands_in) : Json(nullptr)}};
  };
  for (const LiveTally::Drive& drive : tally.drives)
    json["driven_by_duty"].push_back({{"name", drive.name},
                                      {"highest_duty_share", drive.highest_duty},
                                      {"driven_s", drive.driven_seconds},
                                      {"still_turns", runs_down(drive.runs_down)}});
  json["six_step"] = Json::array();
  for (const LiveTally::Brushless& brushless : tally.brushless)
    json["six_step"].push_back({{"name", brushless.name}, {"still_turns", runs_down(brushless.runs_down)}});
  json["driven_by_pulse_width"] = Json::array();
  for (const LiveTally::Pulsed& pulsed : tally.pulsed)
    json["driven_by_pulse_width"].push_back(
        {{"name", pulsed.name},
         {"asked_share", pulsed.asked ? Json(*pulsed.asked) : Json(nullptr)},
         {"cut_with_share", pulsed.cut_with},
         {"cut_before_s", pulsed.cut_before}});
  json["edges"] = {{"written", tally.edges},     {"too_late", tally.edges_too_late},
                   {"late_99_s", tally.late_99}, {"late_worst_s", tally.late_worst},
                   {"bound_s", tally.bound},     {"stood_still_s", tally.stood_still}};
  json["player"] = tally.conditions;
  if (!tally.record_failure.empty()) json["record_failure"] = tally.record_failure;
  put_events(json, log);
  return pretty(json);
}

std::string rehearsal_json(const RehearsalReport& report, const EventLog& log) {
  Json json;
  json["rig"] = report.rig;
  json["script"] = report.script;
  json["ok"] = report.tally.is_sound();
  json["duration_s"] = report.tally.seconds;
  json["fault"] = report.tally.fault.empty() ? Json(nullptr) : Json(report.tally.fault);
  json["notes"] = report.notes;
  json["mechanisms"] = Json::array();
  for (const MechanismTally& tally : report.tally.mechanisms)
    json["mechanisms"].push_back(tally_json(tally, log.layout()));
  json["driven_by_duty"] = Json::array();
  for (const BrushedTally& tally : report.tally.drives) json["driven_by_duty"].push_back(tally_json(tally));
  json["driven_by_pulse_width"] = Json::array();
  for (const PulseTally& tally : report.tally.pulsed)
    json["driven_by_pulse_width"].push_back(tally_json(tally));
  json["brushless"] = Json::array();
  for (const BrushlessTally& tally : report.tally.brushless)
    json["brushless"].push_back(
        {{"name", tally.name},
         {with_unit("speed", tally.speed_unit), tally.speed},
         {with_unit("highest_speed", tally.speed_unit), tally.highest_speed},
         {"highest_current_A", tally.highest_current},
         {"sustained_current_A", tally.sustained_current},
         {"highest_supply_V", tally.highest_supply},
         {"motor_rise_K", tally.motor_rise},
         {"bootstraps_empty", tally.times_empty},
         {"destroyed_at_s", tally.destroyed_at ? Json(*tally.destroyed_at) : Json(nullptr)},
         {"complaints", complaints(tally)}});
  json["wheeled_pairs"] = Json::array();
  for (const PairTally& tally : report.tally.pairs) {
    const auto pose = [](const PairTally::Pose& from) {
      return Json{{"x_mm", from.x}, {"y_mm", from.y}, {"heading_deg", from.heading}};
    };
    json["wheeled_pairs"].push_back({{"name", tally.name},
                                     {"thinks", pose(tally.thinks)},
                                     {"stands", pose(tally.stands)},
                                     {"off_mm", tally.off()},
                                     {"slowest_pace_share", tally.slowest_pace}});
  }
  put_events(json, log);
  return pretty(json);
}

}  // namespace cogstride
