#include "cogstride/report/commutation_report.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <iterator>
#include <nlohmann/json.hpp>

#include "cogstride/report/line_json.hpp"
#include "cogstride/report/panel_figure.hpp"

namespace cogstride {
namespace {

const char* phase_word(PhaseState state) {
  switch (state) {
    case PhaseState::off:
      return "off";
    case PhaseState::low:
      return "low";
    case PhaseState::high:
      return "high";
  }
  return "";
}

std::string headline(const Mechanism& mechanism, const Commutation& commutation) {
  return fmt::format("{}: six steps{}; each turns the motor by {:.4g} deg", mechanism.name,
                     commutation.backwards ? " backwards" : "", commutation.motor_sector);
}

/// The shape of a phase's back-EMF against the star point, peak 1. @param degrees  electrical
double back_emf(BrushlessMotor::BackEmf shape, std::size_t phase, double degrees) {
  // The back-EMF from A to B rises through nothing at 0; that of A lags it by 30 degrees.
  double angle = std::fmod(degrees - 30.0 - 120.0 * static_cast<double>(phase) + 720.0, 360.0);
  if (shape == BrushlessMotor::BackEmf::sine) return std::sin(angle * pi / 180.0);
  const auto rising = [](double from_zero) { return std::min(1.0, from_zero / 30.0); };
  if (angle < 90.0) return rising(angle);
  if (angle < 270.0) return angle < 180.0 ? rising(180.0 - angle) : -rising(angle - 180.0);
  return -rising(360.0 - angle);
}

/// A level over two turns, as steps of 60 degrees.
template <class Level>
PanelCurve steps(const Commutation& commutation, const char* colour, Level level) {
  PanelCurve curve;
  curve.colour = colour;
  for (std::size_t at = 0; at < 2 * commutation.rows.size(); ++at) {
    const double y = level(commutation.rows[at % commutation.rows.size()]);
    curve.points.emplace_back(60.0 * static_cast<double>(at), y);
    curve.points.emplace_back(60.0 * static_cast<double>(at + 1), y);
  }
  return curve;
}

constexpr const char* phase_colours[] = {"#bd5b0b", "#68458f", "#2a5c9a"};
constexpr const char* phase_names[] = {"A", "B", "C"};

}  // namespace

namespace {
/// Levels of the six gate lines, none of them on: bit n is line n.
std::uint64_t all_off_port(const Mechanism& mechanism) {
  std::uint64_t port = 0;
  for (const DrivenLine& gate : std::get<GateWiring>(mechanism.wiring).gates)
    if (gate.active == ActiveLevel::low) port |= port_bit(gate.number);
  return port;
}
}  // namespace

std::string commutation_text(const Mechanism& mechanism, const Commutation& commutation) {
  std::string text = headline(mechanism, commutation) + "\n\n";
  const auto out = std::back_inserter(text);
  fmt::format_to(out, "  {:>14}", "rotor at");
  for (const Commutation::Line& line : commutation.halls)
    fmt::format_to(out, "  {:>9}", fmt::format("{} ({})", line.use, line_name(line.number)));
  if (!commutation.halls.empty()) fmt::format_to(out, "  {:>4}", "code");
  fmt::format_to(out, "   {:<4} {:<4} {:<4}", "A", "B", "C");
  for (const Commutation::Line& line : commutation.gates)
    fmt::format_to(out, "  {:>11}", fmt::format("{} ({})", line.use, line_name(line.number)));
  fmt::format_to(out, "  {:>10}\n", "port");
  for (const CommutationRow& row : commutation.rows) {
    fmt::format_to(out, "  {:>14}", fmt::format("{:.0f} to {:.0f} deg", row.angle_from, row.angle_to));
    if (row.halls) {
      for (const bool high : *row.halls) fmt::format_to(out, "  {:>9}", high ? 1 : 0);
      fmt::format_to(out, "  {:>4}", row.hall_code);
    }
    fmt::format_to(out, "   {:<4} {:<4} {:<4}", phase_word(row.phases[0]), phase_word(row.phases[1]),
                   phase_word(row.phases[2]));
    for (std::size_t i = 0; i < 6; ++i)
      fmt::format_to(out, "  {:>11}",
                     fmt::format("{}{}", row.high[i] ? 1 : 0,
                                 row.switched[i] ? " duty"
                                 : row.on[i]     ? " on  "
                                                 : "     "));
    fmt::format_to(out, "  {:>10}\n", fmt::format("{:#x}", row.port));
  }
  fmt::format_to(out, "  all off: port {:#x}, no gate on: write it before anything else, and last\n",
                 all_off_port(mechanism));
  if (!commutation.impossible.empty())
    fmt::format_to(out, "\n  Hall codes that cannot be: {}; with them all gates go off\n",
                   fmt::join(commutation.impossible, ", "));
  return text;
}

std::string commutation_json(const Mechanism& mechanism, const Commutation& commutation) {
  nlohmann::ordered_json json;
  json["mechanism"] = mechanism.name;
  json["backwards"] = commutation.backwards;
  json["motor_deg_per_row"] = commutation.motor_sector;
  json["gates"] = nlohmann::ordered_json::array();
  for (const Commutation::Line& line : commutation.gates)
    json["gates"].push_back({{"line", line_json(line.number)}, {"use", line.use}});
  json["halls"] = nlohmann::ordered_json::array();
  for (const Commutation::Line& line : commutation.halls)
    json["halls"].push_back({{"line", line_json(line.number)}, {"use", line.use}});
  json["all_off_port"] = all_off_port(mechanism);
  json["rows"] = nlohmann::ordered_json::array();
  for (const CommutationRow& row : commutation.rows) {
    nlohmann::ordered_json each{
        {"sector", row.sector},     {"from_deg", row.angle_from}, {"to_deg", row.angle_to}, {"on", row.on},
        {"switched", row.switched}, {"levels", row.high},         {"port", row.port}};
    each["phases"] = {phase_word(row.phases[0]), phase_word(row.phases[1]), phase_word(row.phases[2])};
    if (row.halls) {
      each["hall_levels"] = *row.halls;
      each["hall_code"] = row.hall_code;
    }
    json["rows"].push_back(std::move(each));
  }
  json["impossible_hall_codes"] = commutation.impossible;
  return json.dump(2) + "\n";
}

void draw_commutation(const std::string& path, const Mechanism& mechanism, const Commutation& commutation) {
  PanelFigure figure;
  figure.title = headline(mechanism, commutation);
  figure.axis =
      commutation.backwards ? "electrical angle gone through backwards [deg]" : "electrical angle [deg]";
  Panel gates;
  gates.what = "gates";
  gates.has_levels = true;
  for (std::size_t i = 0; i < 6; ++i) {
    const double base = 5.0 - static_cast<double>(i);
    PanelCurve curve = steps(commutation, phase_colours[i / 2],
                             [&](const CommutationRow& row) { return base + (row.on[i] ? 0.7 : 0.0); });
    curve.label = fmt::format("{} ({}){}", commutation.gates[i].use, line_name(commutation.gates[i].number),
                              commutation.rows[0].on[i] != commutation.rows[0].high[i] ? ": on is low" : "");
    gates.curves.push_back(std::move(curve));
  }
  figure.panels.push_back(std::move(gates));
  const auto& motor = std::get<BrushlessMotor>(mechanism.motor);
  Panel phases;
  phases.what = "terminals";
  phases.has_levels = true;
  for (std::size_t leg = 0; leg < 3; ++leg) {
    const double base = 2.0 - static_cast<double>(leg);
    PanelCurve curve = steps(commutation, phase_colours[leg], [&](const CommutationRow& row) {
      return base + (row.phases[leg] == PhaseState::high  ? 0.7
                     : row.phases[leg] == PhaseState::low ? 0.0
                                                          : 0.35);
    });
    curve.label = fmt::format("{}: high, off, low", phase_names[leg]);
    phases.curves.push_back(std::move(curve));
  }
  figure.panels.push_back(std::move(phases));
  Panel emf;
  emf.what = "back-EMF";
  for (std::size_t phase = 0; phase < 3; ++phase) {
    PanelCurve curve;
    curve.colour = phase_colours[phase];
    curve.label = fmt::format("of {}", phase_names[phase]);
    for (int degree = 0; degree <= 720; degree += 3) {
      const double angle = commutation.backwards ? 360.0 - degree : degree;
      const double way = commutation.backwards ? -1.0 : 1.0;
      curve.points.emplace_back(degree, way * back_emf(motor.back_emf, phase, angle + 720.0));
    }
    emf.curves.push_back(std::move(curve));
  }
  figure.panels.push_back(std::move(emf));
  if (!commutation.halls.empty()) {
    Panel halls;
    halls.what = "Halls";
    halls.has_levels = true;
    for (std::size_t i = 0; i < 3; ++i) {
      const double base = 2.0 - static_cast<double>(i);
      PanelCurve curve = steps(commutation, "#6b6b6b", [&](const CommutationRow& row) {
        return base + ((*row.halls)[i] ? 0.7 : 0.0);
      });
      curve.label = fmt::format("{} ({})", commutation.halls[i].use, line_name(commutation.halls[i].number));
      halls.curves.push_back(std::move(curve));
    }
    figure.panels.push_back(std::move(halls));
  }
  write_panels(path, figure);
}

}  // namespace cogstride
