#include "cogstride/report/run_figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/text.hpp"
#include "cogstride/report/cart_figure.hpp"
#include "cogstride/report/figure.hpp"
#include "cogstride/report/panel_figure.hpp"

namespace cogstride {
namespace {

/// The unit that its speed is traced in.
std::string_view speed_shown(const Mechanism& mechanism) {
  const OutputKind kind = output_kind(mechanism.train);
  return mechanism.is_movable() ? display_unit(kind, 1) : speed_unit(kind);
}

std::vector<MechanismPanel> panels_of(const Rig& rig, const std::vector<std::size_t>& moved) {
  std::vector<MechanismPanel> panels;
  for (const std::size_t i : moved) {
    const Mechanism& mechanism = rig.mechanisms[i];
    const OutputKind kind = output_kind(mechanism.train);
    const std::string name = mechanism.name + ".";
    const std::string position_unit(display_unit(kind, 0));
    if (mechanism.is_driven_by_duty() || mechanism.has_six_gates()) {
      panels.push_back(
          {mechanism.name, name + "duty", name + "speed", "%", std::string(speed_unit(kind)), "duty"});
    } else if (mechanism.swings()) {
      panels.push_back(
          {mechanism.name, name + "made", name + "current", position_unit, "A", "angle", "current"});
    } else if (mechanism.is_throttled()) {
      panels.push_back({mechanism.name, name + "speed", name + "current", "%", "A", "speed", "current"});
    } else {
      panels.push_back({mechanism.name, name + "made", name + "speed", position_unit,
                        std::string(speed_shown(mechanism))});
    }
  }
  return panels;
}

/// Of one mechanism.
class OneFigure {
 public:
  OneFigure(const std::string& path, const ThinnedTrace& trace, const std::string& name,
            const RunFigure& what)
      : path_(path),
        trace_(trace),
        name_(name),
        title_(fmt::format("{}: {}", name, what.title)),
        too_warm_at_(what.too_warm_at) {}

  PanelCurve curve(const char* signal, const char* colour, const char* label = "") const {
    return PanelCurve{points_of(trace_, name_ + "." + signal), label, colour};
  }

  void draw_drive(const Mechanism& mechanism) const {
    PanelCurve wanted = curve("wanted_speed", "#d9a441", "wanted");
    wanted.dashed = true;
    const bool is_held = std::any_of(wanted.points.begin(), wanted.points.end(),
                                     [](const auto& point) { return std::isfinite(point.second); });
    std::vector<PanelCurve> speeds{curve("speed", "#2a5c9a", is_held ? "made" : "")};
    if (is_held) speeds.push_back(wanted);
    PanelFigure figure;
    figure.title = title_;
    figure.axis = "time [s]";
    figure.panels = {{"duty [%]", {curve("duty", "#6b6b6b")}},
                     {fmt::format("speed [{}]", speed_unit(output_kind(mechanism.train))), speeds},
                     {"current [A]", {curve("current", "#bd5b0b")}},
                     {"supply [V]", {curve("supply", "#1f7a5c")}},
                     {"motor, over air [K]", {curve("motor_rise", "#a5322a")}}};
    write_panels(path_, figure);
  }

  void draw_pulsed(const Mechanism& mechanism) const {
    PanelFigure figure;
    figure.title = title_;
    figure.axis = "time [s]";
    PanelCurve asked = curve("asked", "#d9a441", "asked");
    asked.dashed = true;
    const std::string what = mechanism.swings()
                                 ? fmt::format("angle [{}]", display_unit(output_kind(mechanism.train), 0))
                                 : "throttle, speed [%]";
    figure.panels = {{what, {curve(mechanism.swings() ? "made" : "speed", "#2a5c9a", "made"), asked}},
                     {"current [A]", {curve("current", "#bd5b0b")}, true},
                     {"power [W]", {curve("power", "#1f7a5c")}, true},
                     {"over air [K]", {curve("motor_rise", "#a5322a")}, true}};
    if (too_warm_at_) figure.marks.emplace_back(*too_warm_at_, "warmer than it stands");
    write_panels(path_, figure);
  }

  void draw_brushless(const Mechanism& mechanism) const {
    PanelCurve wanted = curve("wanted_speed", "#d9a441", "wanted");
    wanted.dashed = true;
    PanelFigure figure;
    figure.title = title_;
    figure.axis = "time [s]";
    figure.panels = {{"duty [%]", {curve("duty", "#6b6b6b")}},
                     {fmt::format("speed [{}]", speed_unit(output_kind(mechanism.train))),
                      {curve("speed", "#2a5c9a", "made"), wanted}},
                     {"phases [A]",
                      {curve("phase_a", "#bd5b0b", "A"), curve("phase_b", "#68458f", "B"),
                       curve("phase_c", "#2a5c9a", "C")}},
                     {"supply [V]", {curve("supply", "#1f7a5c")}}};
    write_panels(path_, figure);
  }

  void draw_bus_drive(const Mechanism& mechanism) const {
    const OutputKind kind = output_kind(mechanism.train);
    PanelFigure figure;
    figure.title = title_;
    figure.axis = "time [s]";
    figure.panels = {{fmt::format("place [{}]", display_unit(kind, 0)), {curve("made", "#2a5c9a")}},
                     {fmt::format("speed [{}]", speed_unit(kind)), {curve("speed", "#6b6b6b")}},
                     {"current [A]", {curve("current", "#bd5b0b")}},
                     {"supply [V]", {curve("supply", "#1f7a5c")}}};
    write_panels(path_, figure);
  }

  void draw_steps(const Mechanism& mechanism) const {
    const OutputKind kind = output_kind(mechanism.train);
    FigureContent content;
    content.title = title_;
    content.lines_of = mechanism.name;
    content.position = {{mechanism.name + ".made", "made", "#2a5c9a", 4},
                        {mechanism.name + ".asked", "asked", "#d9a441", 1}};
    content.speed = {{mechanism.name + ".speed", "made", "#2a5c9a"}};
    content.position_unit = display_unit(kind, 0);
    content.speed_unit = display_unit(kind, 1);
    write_figure(path_, trace_, content);
  }

 private:
  const std::string& path_;
  const ThinnedTrace& trace_;
  std::string name_;
  std::string title_;
  std::optional<double> too_warm_at_;
};

/// The follower and its leader of those that are moved; null where they are not just these two.
struct Geared {
  const Mechanism* follower = nullptr;
  std::string leader{};
  std::string leader_speed_unit{};
};
Geared geared_of(const Rig& rig, const std::vector<std::size_t>& moved) {
  if (moved.empty() || moved.size() > 2) return {};
  for (const std::size_t i : moved) {
    const Mechanism& follower = rig.mechanisms[i];
    if (!follower.follows || follower.is_driven_by_duty() || follower.has_six_gates()) continue;
    const std::string& leader = follower.follows->first.leader;
    if (const Shaft* const shaft = find_shaft(rig, leader); shaft != nullptr && moved.size() == 1)
      return {&follower, leader, std::string(speed_unit(output_kind(shaft->train)))};
    for (const std::size_t other : moved) {
      const Mechanism& one = rig.mechanisms[other];
      if (one.name == leader) return {&follower, leader, std::string(speed_shown(one))};
    }
  }
  return {};
}

/// What it laid, and by how much it was behind.
void draw_geared(const std::string& path, const ThinnedTrace& trace, const std::string& title,
                 const Geared& geared) {
  const std::string& name = geared.follower->name;
  const OutputKind kind = output_kind(geared.follower->train);
  PanelFigure figure;
  figure.title = fmt::format("{} behind {}: {}", name, geared.leader, title);
  figure.axis = "time [s]";
  const auto signal = [&](const std::string& owner, const char* what, const char* colour) {
    return std::vector{PanelCurve{points_of(trace, owner + "." + what), "", colour}};
  };
  std::vector<PanelCurve> lag = signal(name, "lag", "#a5322a");
  const double steps = std::abs(steps_per_base(*geared.follower).to_double()) / display_units_per_base(kind);
  for (auto& point : lag.front().points) point.second *= steps;
  figure.panels = {
      {fmt::format("{} [{}]", geared.leader, geared.leader_speed_unit),
       signal(geared.leader, "speed", "#bd5b0b")},
      {fmt::format("place [{}]", display_unit(kind, 0)), signal(name, "made", "#2a5c9a")},
      {fmt::format("speed [{}]", speed_shown(*geared.follower)), signal(name, "speed", "#6b6b6b")},
      {geared.follower->has_bus_drive() ? "lag [counts]" : "lag [steps]", lag}};
  write_panels(path, figure);
}

/// A panel for each measured signal, the rehearsed one a line in it.
void draw_measured(const std::string& path, const ThinnedTrace& trace, const RunFigure& what) {
  const std::string& first = what.measured.front().name;
  const std::string owner = first.substr(0, first.find('.') + 1);
  const bool of_one =
      std::all_of(what.measured.begin(), what.measured.end(),
                  [&](const MeasuredSignal& signal) { return signal.name.starts_with(owner); });
  PanelFigure figure;
  figure.title = of_one ? fmt::format("{}: {}", owner.substr(0, owner.size() - 1), what.title) : what.title;
  figure.axis = "time [s]";
  constexpr std::size_t most_panels = 8;  // more are lines of no height
  constexpr std::size_t most_dots = 1500;
  if (what.measured.size() > most_panels)
    figure.title += fmt::format(" ({} of {} columns)", most_panels, what.measured.size());
  for (const MeasuredSignal& signal : what.measured) {
    if (figure.panels.size() == most_panels) break;
    PanelCurve dots;
    const std::size_t each = signal.points.size() / most_dots + 1;
    for (std::size_t i = 0; i < signal.points.size(); i += each) dots.points.push_back(signal.points[i]);
    dots.label = "measured";
    dots.colour = "#8a8a8a";
    dots.dots = true;
    PanelCurve line{points_of(trace, signal.name), "rehearsed", "#2a5c9a"};
    if (std::none_of(line.points.begin(), line.points.end(),
                     [](const auto& point) { return std::isfinite(point.second); }))
      line.label = "not known";
    std::string words = signal.name.substr(of_one ? owner.size() : 0);
    std::replace(words.begin(), words.end(), '_', ' ');
    figure.panels.push_back({fmt::format("{} [{}]", words, signal.unit), {dots, line}});
  }
  write_panels(path, figure);
}

}  // namespace

void write_run_figure(const std::string& path, const ThinnedTrace& trace, const Rig& rig,
                      const RunFigure& what) {
  if (!what.measured.empty()) return draw_measured(path, trace, what);
  if (what.pair && what.moved.empty()) {
    const std::string& name = rig.pairs[*what.pair].name;
    draw_cart(path, trace, fmt::format("{}: {}", name, what.title), name);
    return;
  }
  if (const Geared geared = geared_of(rig, what.moved); geared.follower != nullptr) {
    draw_geared(path, trace, what.title, geared);
    return;
  }
  if (what.moved.size() > 1) {
    write_overview(path, trace, what.title, panels_of(rig, what.moved));
    return;
  }
  const Mechanism& mechanism = rig.mechanisms[what.moved.empty() ? what.shown : what.moved.front()];
  const OneFigure figure(path, trace, mechanism.name, what);
  if (mechanism.is_driven_by_duty()) {
    figure.draw_drive(mechanism);
  } else if (mechanism.has_six_gates()) {
    figure.draw_brushless(mechanism);
  } else if (mechanism.takes_pulse_width()) {
    figure.draw_pulsed(mechanism);
  } else if (mechanism.has_bus_drive()) {
    figure.draw_bus_drive(mechanism);
  } else {
    figure.draw_steps(mechanism);
  }
}

}  // namespace cogstride
