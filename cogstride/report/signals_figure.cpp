#include "cogstride/report/signals_figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/report/panel_figure.hpp"

namespace cogstride {
namespace {

constexpr const char* signal_colours[] = {"#2a5c9a", "#d9a441", "#bd5b0b", "#68458f", "#1f7a5c", "#a5322a"};

}  // namespace

bool write_signals_figure(const std::string& path, const ThinnedTrace& trace, const std::string& mover,
                          const std::string& title) {
  PanelFigure figure;
  figure.title = title;
  figure.axis = "time [s]";
  for (const TracedSignal& signal : trace.layout().signals) {
    const std::size_t dot = signal.name.find('.');
    if (signal.name.substr(0, dot) != mover) continue;
    PanelCurve curve{points_of(trace, signal.name), signal.name.substr(dot + 1), ""};
    if (std::none_of(curve.points.begin(), curve.points.end(),
                     [](const auto& point) { return std::isfinite(point.second); }))
      continue;
    std::replace(curve.label.begin(), curve.label.end(), '_', ' ');
    const std::string unit = fmt::format("[{}]", signal.unit);
    const auto same = std::find_if(figure.panels.begin(), figure.panels.end(),
                                   [&](const Panel& panel) { return panel.what.ends_with(unit); });
    Panel& panel = same == figure.panels.end() ? figure.panels.emplace_back() : *same;
    if (panel.curves.empty()) panel.what = curve.label + " " + unit;
    curve.colour = signal_colours[panel.curves.size() % std::size(signal_colours)];
    panel.curves.push_back(std::move(curve));
  }
  // Of one curve the panel's own name says what it is; of several, they themselves.
  for (Panel& panel : figure.panels) {
    const std::string unit = panel.what.substr(panel.what.rfind('['));
    if (panel.curves.size() == 1)
      panel.curves.front().label.clear();
    else
      panel.what = unit;
  }
  if (figure.panels.empty()) return false;
  write_panels(path, figure);
  return true;
}

}  // namespace cogstride
