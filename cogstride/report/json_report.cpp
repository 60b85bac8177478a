#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/report/line_json.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/figures/connections.hpp"
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
    if (line.mechanism == &mechanism) json["lines"][line.use] = line_json(line.number);
  return json;
}

Json wiring_json(const Rig& rig) {
  Json json = Json::array();
  const std::vector<RigLine> lines = wiring_list(rig);
  for (const RigLine& line : lines) {
    const std::optional<Current> current = line_current(rig, line);
    const bool rests_high = line.driven.active == ActiveLevel::low;
    json.push_back({{"line", line_json(line.number)},
                    {"goes_to", line.owner},
                    {"use", line.use},
                    {"key", line.key},
                    {"output", line.is_output},
                    {"rest", line.is_output ? Json(rests_high ? "high" : "low") : Json(nullptr)},
                    {"current_mA", current ? Json(current->in(units::mA)) : Json(nullptr)}});
  }
  return json;
}

/// What is not known has no number.
Json number(double value) {
  if (std::isnan(value)) return nullptr;
  if (value == std::floor(value) && std::abs(value) < 1e15) return static_cast<std::int64_t>(value);
  return value;
}

void put_figures(Json& json, const std::vector<VerdictFigure>& figures) {
  for (const VerdictFigure& figure : figures)
    json[figure.unit.empty() ? figure.name : with_unit(figure.name, figure.unit)] = number(figure.value);
}

Json verdict_json(const MoverVerdict& verdict, const TraceLayout& layout) {
  Json json;
  json["name"] = verdict.name;
  json["kind"] = verdict.kind;
  json["moved"] = verdict.has_moved;
  put_figures(json, verdict.figures);
  json["moments"] = Json::array();
  for (const VerdictMoment& moment : verdict.moments) {
    Json one{{"what", moment.what}, {"tick", moment.at}, {"at_s", layout.seconds(moment.at)}};
    put_figures(one, moment.figures);
    json["moments"].push_back(std::move(one));
  }
  json["complaints"] = verdict.complaints;
  json["causes"] = Json::array();
  for (const VerdictCause& cause : verdict.causes)
    json["causes"].push_back({{"name", cause.name}, {"words", cause.words}});
  json["looked_at"] = verdict.looked_at;
  json["not_looked_at"] = verdict.not_looked_at;
  json["guesses"] = verdict.guesses;
  return json;
}

Json movers_json(const Verdict& verdict, const TraceLayout& layout) {
  Json movers = Json::array();
  for (const MoverVerdict& mover : verdict.movers) movers.push_back(verdict_json(mover, layout));
  return movers;
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

std::string error_json(const std::string& message, const std::vector<Diagnostic>& places) {
  Json json;
  json["error"]["message"] = message;
  json["error"]["places"] = Json::array();
  for (const Diagnostic& one : places)
    json["error"]["places"].push_back({{"file", one.place.file},
                                       {"line", one.place.line},
                                       {"column", one.place.column},
                                       {"message", one.message},
                                       {"code", one.code}});
  // A file may hold any bytes.
  return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

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
  Json json;
  json["lines"] = wiring_json(rig);
  json["mechanisms"] = Json::array();
  for (const Mechanism& mechanism : rig.mechanisms) {
    Json one{{"name", mechanism.name}};
    for (const Connection& each : connections_of(rig, mechanism)) {
      std::string key = each.about;
      std::replace(key.begin(), key.end(), ' ', '_');
      one[key] = each.words;
    }
    json["mechanisms"].push_back(std::move(one));
  }
  return pretty(json);
}

std::string plan_json(const PlanFigures& plan, const std::optional<MoveTrial>& trial) {
  Json json;
  json["mechanism"] = plan.mechanism;
  json["guesses"] = plan.guesses;
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
  json["interval_grain_s"] = plan.grain_seconds;
  json["torque_margin_share"] = trial ? trial->margin : plan.margin;
  if (trial) {
    json["estimated_torque_margin_share"] = plan.margin;
    json["tried"] = {{"holds", trial->holds},
                     {with_unit("slowest", per_s), trial->slowest},
                     {with_unit("fastest", per_s), trial->fastest},
                     {"may_be_more", trial->is_more},
                     {"phases", trial->phases},
                     {"ways", trial->ways},
                     {"torque_shares", trial->shares},
                     {"cruise_s", trial->cruise_tried},
                     {"shortened", trial->shortened}};
    json["worst_lag_deg"] = plan.worst_lag;
    json["behind_field_deg"] = plan.behind_field;
  }
  json["worst_lag_at_s"] = plan.worst_at;
  return pretty(json);
}

std::string drive_json(const LiveReport& report, const EventLog& log) {
  const Verdict& verdict = report.verdict;
  const LivePlay& played = report.played;
  Json json;
  json["rig"] = report.rig;
  json["script"] = report.script;
  json["duration_s"] = verdict.seconds;
  json["fault"] = verdict.fault.empty() ? Json(nullptr) : Json(verdict.fault);
  json["notes"] = report.notes;
  json["movers"] = movers_json(verdict, log.layout());
  if (report.replayed) {
    json["replayed"] = {{"began", report.replayed->began}, {"compared", report.replayed->compared}};
    if (!report.replayed->ends.empty()) json["replayed"]["ends"] = report.replayed->ends;
    put_events(json, log);
    return pretty(json);
  }
  if (!played.by_a_chip)
    json["edges"] = {{"written", played.edges},     {"too_late", played.edges_too_late},
                     {"late_99_s", played.late_99}, {"late_worst_s", played.late_worst},
                     {"bound_s", played.bound},     {"stood_still_s", played.stood_still}};
  json["player"] = played.conditions;
  if (!played.record_failure.empty()) json["record_failure"] = played.record_failure;
  put_events(json, log);
  return pretty(json);
}

std::string rehearsal_json(const RehearsalReport& report, const EventLog& log) {
  Json json;
  json["rig"] = report.rig;
  json["script"] = report.script;
  json["ok"] = report.verdict.is_sound();
  json["duration_s"] = report.verdict.seconds;
  json["fault"] = report.verdict.fault.empty() ? Json(nullptr) : Json(report.verdict.fault);
  json["notes"] = report.notes;
  json["movers"] = movers_json(report.verdict, log.layout());
  if (!report.measured_file.empty()) {
    json["measured"] = {{"file", report.measured_file}, {"signals", Json::array()}};
    for (const MeasuredSignal& signal : report.measured)
      json["measured"]["signals"].push_back({{"name", signal.name},
                                             {"readings", signal.points.size()},
                                             {"compared", signal.compared},
                                             {with_unit("mean_off", signal.unit), signal.mean_off},
                                             {with_unit("rms", signal.unit), signal.rms},
                                             {with_unit("most_off", signal.unit), signal.most},
                                             {"most_off_at_s", signal.most_at}});
  }
  put_events(json, log);
  return pretty(json);
}

}  // namespace cogstride
