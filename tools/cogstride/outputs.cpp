#include "outputs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <set>

#include "cogstride/files/output_file.hpp"
#include "cogstride/report/cart_figure.hpp"
#include "cogstride/report/panel_figure.hpp"

using namespace cogstride;

void check_output_names(const OutputOptions& options, const std::vector<std::string>& read) {
  std::set<std::string> names;
  for (const std::string* name : {&options.plot, &options.waves, &options.csv}) {
    if (name->empty()) continue;
    if (!names.insert(*name).second)
      throw Error(fmt::format("{}: two outputs cannot go into one file", *name));
    if (std::filesystem::is_directory(*name))
      throw Error(fmt::format("{}: is a folder; name a file in it", *name));
    for (const std::string& input : read)
      if (is_one_file(*name, input))
        throw Error(fmt::format(
            "{}: this command reads it ({}) and does not write onto it; name another file", *name, input));
    if (!options.overwrite && std::filesystem::exists(*name)) {
      throw Error(
          fmt::format("{}: is there already and is left as it is; say --overwrite to replace it", *name));
    }
  }
  if (!options.plot.empty() && !is_figure_name(options.plot)) {
    throw Error(fmt::format("--plot {}: a figure's name ends in .png or .svg", options.plot));
  }
}

Outputs::Outputs(const OutputOptions& options, const std::vector<std::string>& read, const Mechanism& shown)
    : plot_(options.plot) {
  check_output_names(options, read);
  const auto existing = options.overwrite ? OutputFile::Existing::replaced : OutputFile::Existing::refused;
  if (!options.plot.empty()) {
    thinned_.emplace(shown.name + ".speed",
                     static_cast<LineId>(board_lines(shown.wiring).front().line.number));
    fork_.add(*thinned_);
  }
  if (!options.waves.empty()) {
    waves_ = std::make_unique<VcdWriter>(options.waves, existing);
    fork_.add(*waves_);
  }
  if (!options.csv.empty()) {
    csv_ = std::make_unique<CsvWriter>(options.csv, existing);
    fork_.add(*csv_);
  }
}

void Outputs::draw(const std::string& title, const std::vector<MechanismPanel>& panels) {
  if (thinned_) write_overview(plot_, *thinned_, title, panels);
}

PanelCurve Outputs::curve(const Mechanism& mechanism, const char* signal, const char* colour,
                          const char* label) const {
  return PanelCurve{points_of(*thinned_, mechanism.name + "." + signal), label, colour};
}

void Outputs::draw_drive(const std::string& title, const Mechanism& mechanism) {
  if (!thinned_) return;
  PanelCurve wanted = curve(mechanism, "wanted_speed", "#d9a441", "wanted");
  wanted.dashed = true;
  const bool is_held = std::any_of(wanted.points.begin(), wanted.points.end(),
                                   [](const auto& point) { return std::isfinite(point.second); });
  std::vector<PanelCurve> speeds{curve(mechanism, "speed", "#2a5c9a", is_held ? "made" : "")};
  if (is_held) speeds.push_back(wanted);
  PanelFigure figure;
  figure.title = title;
  figure.axis = "time [s]";
  figure.panels = {{"duty [%]", {curve(mechanism, "duty", "#6b6b6b")}},
                   {fmt::format("speed [{}]", speed_unit(output_kind(mechanism.train))), speeds},
                   {"current [A]", {curve(mechanism, "current", "#bd5b0b")}},
                   {"supply [V]", {curve(mechanism, "supply", "#1f7a5c")}},
                   {"motor, over air [K]", {curve(mechanism, "motor_rise", "#a5322a")}}};
  write_panels(plot_, figure);
}

void Outputs::draw_pulsed(const std::string& title, const Mechanism& mechanism,
                          std::optional<double> too_warm_at) {
  if (!thinned_) return;
  PanelFigure figure;
  figure.title = title;
  figure.axis = "time [s]";
  PanelCurve asked = curve(mechanism, "asked", "#d9a441", "asked");
  asked.dashed = true;
  const std::string what = mechanism.swings()
                               ? fmt::format("angle [{}]", display_unit(output_kind(mechanism.train), 0))
                               : "throttle, speed [%]";
  figure.panels = {
      {what, {curve(mechanism, mechanism.swings() ? "made" : "speed", "#2a5c9a", "made"), asked}},
      {"current [A]", {curve(mechanism, "current", "#bd5b0b")}, true},
      {"power [W]", {curve(mechanism, "power", "#1f7a5c")}, true},
      {"over air [K]", {curve(mechanism, "motor_rise", "#a5322a")}, true}};
  if (too_warm_at) figure.marks.emplace_back(*too_warm_at, "warmer than it stands");
  write_panels(plot_, figure);
}

void Outputs::draw_brushless(const std::string& title, const Mechanism& mechanism) {
  if (!thinned_) return;
  PanelCurve wanted = curve(mechanism, "wanted_speed", "#d9a441", "wanted");
  wanted.dashed = true;
  PanelFigure figure;
  figure.title = title;
  figure.axis = "time [s]";
  figure.panels = {{"duty [%]", {curve(mechanism, "duty", "#6b6b6b")}},
                   {fmt::format("speed [{}]", speed_unit(output_kind(mechanism.train))),
                    {curve(mechanism, "speed", "#2a5c9a", "made"), wanted}},
                   {"phases [A]",
                    {curve(mechanism, "phase_a", "#bd5b0b", "A"), curve(mechanism, "phase_b", "#68458f", "B"),
                     curve(mechanism, "phase_c", "#2a5c9a", "C")}},
                   {"supply [V]", {curve(mechanism, "supply", "#1f7a5c")}}};
  write_panels(plot_, figure);
}

void Outputs::draw_cart(const std::string& title, const std::string& cart) {
  if (thinned_) cogstride::draw_cart(plot_, *thinned_, title, cart);
}

void Outputs::draw(const FigureContent& content) {
  if (thinned_) write_figure(plot_, *thinned_, content);
}
