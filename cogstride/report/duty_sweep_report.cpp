#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/report/panel_figure.hpp"
#include "cogstride/report/sweep_report.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

constexpr const char* curve_colours[] = {"#2a5c9a", "#bd5b0b", "#1f7a5c", "#8f62ab",
                                         "#6b6b6b", "#a5322a", "#d9a441", "#3b3b3b"};

std::string percent(const std::optional<double>& share, const char* otherwise) {
  return share ? fmt::format("{:.3g} %", 100.0 * *share) : otherwise;
}

Json point_json(const DutyPoint& point, const std::string& unit) {
  const auto known = [](double value) { return std::isnan(value) ? Json(nullptr) : Json(value); };
  return {{"duty_share", point.duty},
          {with_unit("speed", unit), point.speed},
          {"current_A", known(point.current)},
          {"loss_W", known(point.loss)}};
}

}  // namespace

namespace {

/// ", 0.31 A"; nothing where nothing measures it
std::string current_words(const DutyPoint& point) {
  return std::isnan(point.current) ? std::string() : fmt::format(", {:.3g} A", point.current);
}
std::string point_words(const std::optional<DutyPoint>& point) {
  if (!point) return "cannot";
  return fmt::format("{:.3g} %{}{}", 100.0 * point->duty, current_words(*point),
                     std::isnan(point->loss) ? std::string() : fmt::format(", {:.3g} W lost", point->loss));
}
std::string predicted_words(const DutyCurve& curve) {
  return curve.predicted_start < 1.0 ? fmt::format("{:.3g} %", 100.0 * curve.predicted_start) : "never";
}
std::string way_words(const DutyCurve& curve) {
  return curve.way + (curve.is_the_rigs ? " (the rig)" : "");
}
std::size_t widest_way(const DutySweep& sweep) {
  std::size_t widest = 29;
  for (const DutyCurve& curve : sweep.curves) widest = std::max(widest, way_words(curve).size());
  return widest + 2;
}

std::string by_duty_text(const DutySweep& sweep) {
  std::string text = fmt::format("{}: how it answers to duty, on {}\n", sweep.mechanism,
                                 sweep.is_live ? "live lines, by its encoder" : "the simulated bench");
  const std::size_t width = widest_way(sweep);
  text += fmt::format("  {:<{}}{:>9}  {:>9}  {:>12}  {:>18}  {}\n", "way of switching", width, "predicted",
                      "starts at", "drops out at", "at 50 %",
                      fmt::format("for {:.4g} {}", sweep.compared_speed, sweep.unit));
  for (const DutyCurve& curve : sweep.curves) {
    const bool has_half = !curve.up.empty() && curve.up.back().duty >= 0.5;
    const DutyPoint half = curve.at_duty(0.5);
    text +=
        fmt::format("  {:<{}}{:>9}  {:>9}  {:>12}  {:>18}  {}\n", way_words(curve), width,
                    predicted_words(curve), percent(curve.start(), "never"), percent(curve.drop_out(), "-"),
                    has_half ? fmt::format("{:.4g} {}{}", half.speed, sweep.unit, current_words(half)) : "-",
                    point_words(curve.at_speed(sweep.compared_speed)));
  }
  return text +
         "  tried at each 1 % up to 40 %, then at each 5 %; predicted by its friction and load. It starts "
         "where it "
         "turns, "
         "not where it creeps\n";
}

std::string by_speed_text(const DutySweep& sweep) {
  std::string text =
      fmt::format("{}: the duty that its speeds take, on the simulated bench\n", sweep.mechanism);
  const std::size_t width = widest_way(sweep);
  const double top = 2.0 * sweep.compared_speed;
  text += fmt::format("  {:<{}}{:>13}  {:<30}  {}\n", "way of switching", width, "breaks loose",
                      fmt::format("for {:.4g} {}", sweep.compared_speed, sweep.unit),
                      fmt::format("for {:.4g} {}", top, sweep.unit));
  for (const DutyCurve& curve : sweep.curves)
    text += fmt::format(
        "  {:<{}}{:>13}  {:<30}  {}\n", way_words(curve), width, predicted_words(curve),
        point_words(curve.at_speed(sweep.compared_speed)),
        point_words(curve.up.empty() || curve.up.back().speed < 0.99 * top ? std::nullopt
                                                                           : std::optional(curve.up.back())));
  return text +
         "  speeds held by its Hall sensors, and the duty, current and loss read; where it breaks loose is "
         "predicted\n";
}

}  // namespace

std::string duty_sweep_text(const DutySweep& sweep) {
  std::string text = sweep.is_by_speeds ? by_speed_text(sweep) : by_duty_text(sweep);
  if (!sweep.guesses.empty()) text += fmt::format("  rests on: {}\n", guesses_words(sweep.guesses));
  return text;
}

std::string duty_sweep_json(const DutySweep& sweep) {
  Json json;
  json["mechanism"] = sweep.mechanism;
  json["is_live"] = sweep.is_live;
  json["guesses"] = sweep.guesses;
  json["unit"] = sweep.unit;
  json[with_unit("compared_speed", sweep.unit)] = sweep.compared_speed;
  json["curves"] = Json::array();
  for (const DutyCurve& curve : sweep.curves) {
    Json one;
    one["way"] = curve.way;
    one["is_the_rigs"] = curve.is_the_rigs;
    one["predicted_start_share"] = curve.predicted_start;
    one["starts_at_share"] = curve.start() && !sweep.is_by_speeds ? Json(*curve.start()) : Json(nullptr);
    one["drops_out_at_share"] = curve.drop_out() ? Json(*curve.drop_out()) : Json(nullptr);
    for (const auto& [name, points] : {std::pair("up", &curve.up), std::pair("down", &curve.down)}) {
      one[name] = Json::array();
      for (const DutyPoint& point : *points) one[name].push_back(point_json(point, sweep.unit));
    }
    json["curves"].push_back(std::move(one));
  }
  return json.dump(2) + "\n";
}

void draw_duty_sweep(const std::string& path, const DutySweep& sweep) {
  PanelFigure figure;
  figure.title =
      sweep.is_by_speeds
          ? fmt::format("{}: ways of switching its gates, speed by speed", sweep.mechanism)
          : fmt::format("{}: ways of switching its bridge; solid on the way up, dashed on the way down",
                        sweep.mechanism);
  figure.axis = "duty [%]";
  const bool knows_current =
      !sweep.curves.empty() && !sweep.curves[0].up.empty() && !std::isnan(sweep.curves[0].up[0].current);
  figure.panels = {{fmt::format("speed [{}]", sweep.unit), {}, true}};
  if (knows_current) figure.panels.push_back({"mean current [A]", {}, true});
  std::vector<const DutyCurve*> order;  // the rig's own on top
  for (const DutyCurve& curve : sweep.curves) order.push_back(&curve);
  std::stable_partition(order.begin(), order.end(),
                        [](const DutyCurve* curve) { return !curve->is_the_rigs; });
  for (const DutyCurve* const each : order) {
    const DutyCurve& curve = *each;
    const char* const colour =
        curve_colours[static_cast<std::size_t>(&curve - sweep.curves.data()) % std::size(curve_colours)];
    for (const auto& [points, goes_down] : {std::pair(&curve.up, false), std::pair(&curve.down, true)}) {
      PanelCurve speed{{}, goes_down ? "" : curve.way, colour, curve.is_the_rigs ? 3.0 : 1.7, goes_down};
      PanelCurve current{{}, "", colour, curve.is_the_rigs ? 3.0 : 1.7, goes_down};
      for (const DutyPoint& point : *points) {
        speed.points.emplace_back(100.0 * point.duty, point.speed);
        current.points.emplace_back(100.0 * point.duty, point.current);
      }
      figure.panels[0].curves.push_back(std::move(speed));
      if (knows_current) figure.panels[1].curves.push_back(std::move(current));
    }
    if (curve.is_the_rigs && curve.start() && !sweep.is_by_speeds)
      figure.marks.emplace_back(100.0 * *curve.start(),
                                fmt::format("the rig's way starts at {:.3g} %", 100.0 * *curve.start()));
  }
  write_panels(path, figure);
}

}  // namespace cogstride
