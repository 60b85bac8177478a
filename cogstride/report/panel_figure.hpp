// A figure of curves in panels, one below the other, all over the same axis.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "cogstride/trace/thinned.hpp"

namespace cogstride {

struct PanelCurve {
  std::vector<std::pair<double, double>> points{};
  std::string label{};  ///< beside its end, or beside `label_at`
  std::string colour = "#2a5c9a";
  double width = 2.0;
  bool dashed = false;
  bool dots = false;  ///< points instead of a line
};

struct Panel {
  std::string what{};  ///< "current [A]"
  std::vector<PanelCurve> curves{};
  bool from_zero = false;   ///< its axis begins at 0
  bool has_levels = false;  ///< of lines, which are high or low: no scale
};

struct PanelFigure {
  std::string title{};
  std::string axis{};  ///< "time [s]"
  std::vector<Panel> panels{};
  /// Instants or places worth showing, drawn across all panels.
  std::vector<std::pair<double, std::string>> marks{};
};

/// @throws Error as draw_figure()
void write_panels(const std::string& path, const PanelFigure& figure);

/// A traced signal as points, thinned as the trace is. @throws RangeError when there is none of that name
[[nodiscard]] std::vector<std::pair<double, double>> points_of(const ThinnedTrace& trace,
                                                               std::string_view signal);

}  // namespace cogstride
