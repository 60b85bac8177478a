#include "cogstride/report/fit_report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/report/panel_figure.hpp"

namespace cogstride {
namespace {

constexpr double rpm = 60.0 / (2.0 * pi);
constexpr std::size_t longest_line = 110;

/// Places after the point that leave two digits of an uncertainty, and the power of ten that is shown.
std::string rounded(double value, double uncertainty) {
  if (!(uncertainty > 0.0) || value == 0.0) return fmt::format("{:.6g}", value);
  const int last = static_cast<int>(std::floor(std::log10(uncertainty))) - 1;
  const int first = static_cast<int>(std::floor(std::log10(std::abs(value))));
  if (first >= -3 && first < 6) return fmt::format("{:.{}f}", value, std::max(0, -last));
  return fmt::format("{:.{}e}", value, std::max(0, first - last));
}

std::string wrapped(const std::string& text, std::size_t indent) {
  std::string out;
  std::size_t width = indent;
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t blank = std::min(text.find(' ', at), text.size());
    const std::string word = text.substr(at, blank - at);
    if (width + word.size() + 1 > longest_line) {
      out += "\n" + std::string(indent, ' ');
      width = indent;
    } else if (!out.empty()) {
      out += ' ';
      ++width;
    }
    out += word;
    width += word.size();
    at = blank + 1;
  }
  return out;
}

PanelCurve curve_of(const std::vector<MeasuredTable::Row>& rows, bool has_time, bool is_voltage,
                    std::optional<double> MeasuredTable::Row::*value, double factor) {
  PanelCurve curve;
  for (const MeasuredTable::Row& row : rows) {
    if (!(row.*value)) continue;
    const double x = has_time ? row.time : is_voltage ? row.drive : 100.0 * row.drive;
    curve.points.emplace_back(x, factor * *(row.*value));
  }
  if (!has_time) std::sort(curve.points.begin(), curve.points.end());
  return curve;
}

}  // namespace

std::string figure_text(const FittedFigure& figure) {
  return fmt::format("{} {}", rounded(figure.value, figure.uncertainty), figure.unit);
}

std::string fit_text(const FitReport& report) {
  const MotorFit& fit = report.fit;
  std::string text = fmt::format("{} of {}: {} of {} figures told by {} rows of {}\n\n", report.mechanism,
                                 report.rig, fit.told(), fit.figures.size(), fit.rows, report.file);
  const auto was = [](const FittedFigure& figure) {
    return figure.was == 0.0 ? std::string("not said") : fmt::format("{:.4g} {}", figure.was, figure.unit);
  };
  for (const FittedFigure& figure : fit.figures) {
    if (!figure.is_told) continue;
    const bool inside = std::abs(figure.was - figure.value) <= figure.uncertainty;
    text += fmt::format("  {:<29} {:>12} +/- {:<10} {:<7} rig: {}{}\n", figure.name,
                        rounded(figure.value, figure.uncertainty), fmt::format("{:.2g}", figure.uncertainty),
                        figure.unit, was(figure), inside ? ", which fits" : "");
  }
  for (const FittedFigure& figure : fit.figures) {
    if (figure.is_told) continue;
    text += fmt::format(
        "\n  {:<29} cannot be told: {}\n", figure.name,
        wrapped(figure.why_not + (figure.is_open ? fmt::format("; left open, it came to {:.2g} +/- {:.2g} {}",
                                                               figure.value, figure.uncertainty, figure.unit)
                                                 : "; taken as the rig has it, " + was(figure)),
                48));
    text += fmt::format("  {:<29} would tell: {}\n", "", wrapped(figure.would_tell, 44));
  }
  text += "\n  (half of the interval in which the true figure lies 95 times of 100)\n";
  text += fmt::format("  {:<29}", "what is left");
  if (fit.speed_noise > 0.0) text += fmt::format(" {:.3g} rpm of the motor", rpm * fit.speed_noise);
  if (fit.current_noise > 0.0)
    text += fmt::format("{} {:.3g} A", fit.speed_noise > 0.0 ? "," : "", fit.current_noise);
  if (fit.rise_noise > 0.0) text += fmt::format(", {:.2g} K", fit.rise_noise);
  text += " rms\n";
  for (const std::string& note : report.notes) text += note + "\n";
  return text;
}

std::string fit_json(const FitReport& report) {
  nlohmann::ordered_json json;
  json["rig"] = report.rig;
  json["mechanism"] = report.mechanism;
  json["file"] = report.file;
  json["rows"] = report.fit.rows;
  json["figures"] = nlohmann::ordered_json::array();
  for (const FittedFigure& figure : report.fit.figures) {
    nlohmann::ordered_json one;
    one["name"] = figure.name;
    one["key"] = fmt::format("mechanism.{}.{}", report.mechanism, figure.key);
    one["unit"] = figure.unit;
    one["in_rig"] = figure.was;
    one["is_told"] = figure.is_told;
    if (figure.is_told) {
      one["value"] = figure.value;
      one["uncertainty_95"] = figure.uncertainty;
    } else {
      one["why_not"] = figure.why_not;
      one["would_tell"] = figure.would_tell;
    }
    json["figures"].push_back(std::move(one));
  }
  json["speed_noise_rad_per_s"] = report.fit.speed_noise;
  json["current_noise_A"] = report.fit.current_noise;
  json["rise_noise_K"] = report.fit.rise_noise;
  json["notes"] = report.notes;
  return json.dump(2) + "\n";
}

void draw_fit(const std::string& path, const FitReport& report) {
  const MeasuredTable& table = report.table;
  PanelFigure figure;
  figure.title = fmt::format("{}: {} of {} figures told by {}", report.mechanism, report.fit.told(),
                             report.fit.figures.size(), report.file);
  figure.axis = table.has_time ? "time [s]" : table.is_voltage ? "voltage at the motor [V]" : "duty [%]";
  const auto panel = [&](const char* what, std::optional<double> MeasuredTable::Row::*value, double factor) {
    Panel one;
    one.what = what;
    const auto curve = [&](const std::vector<MeasuredTable::Row>& rows, const char* label,
                           const char* colour) {
      PanelCurve made = curve_of(rows, table.has_time, table.is_voltage, value, factor);
      made.label = label;
      made.colour = colour;
      return made;
    };
    PanelCurve measured = curve(table.rows, "measured", "#8a8a8a");
    measured.dots = true;
    PanelCurve by_rig = curve(report.fit.by_rig, "by the rig", "#bd5b0b");
    by_rig.dashed = true;
    by_rig.width = 1.5;
    one.curves = {measured, by_rig, curve(report.fit.fitted, "fitted", "#2a5c9a")};
    figure.panels.push_back(std::move(one));
  };
  if (table.has_speed) panel("motor speed [rpm]", &MeasuredTable::Row::speed, rpm);
  if (table.has_current) panel("current [A]", &MeasuredTable::Row::current, 1.0);
  if (table.has_rise) panel("over air [K]", &MeasuredTable::Row::rise, 1.0);
  if (table.has_time) {
    Panel given;
    given.what = table.is_voltage ? "given [V]" : "duty [%]";
    PanelCurve curve;
    for (const MeasuredTable::Row& row : table.rows)
      curve.points.emplace_back(row.time, table.is_voltage ? row.drive : 100.0 * row.drive);
    curve.colour = "#6b6b6b";
    given.curves = {curve};
    figure.panels.push_back(std::move(given));
  }
  write_panels(path, figure);
}

}  // namespace cogstride
