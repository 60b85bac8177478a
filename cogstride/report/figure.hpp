// The figure of a run or a plan: position, speed and the lines against time, and a close-up of the pulses.
// Drawn by gnuplot through a pipe; PNG of 1280x800 or SVG, by the file's ending.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/trace/thinned.hpp"

namespace cogstride {

struct Curve {
  std::string signal;  ///< its name in the trace's layout: "traverse.made"
  std::string label;
  std::string colour;  ///< "#rrggbb"
  int width = 2;
  bool dashed = false;
};

/// An instant worth showing, drawn across the curves.
struct Mark {
  double seconds;
  std::string label;
};

struct FigureContent {
  std::string title;
  std::string lines_of;  ///< mechanism whose lines are drawn
  std::vector<Curve> position;
  std::vector<Curve> speed;
  std::string position_unit;
  std::string speed_unit;
  std::optional<Mark> mark{};
};

/// One mechanism among several that moved in the same run.
struct MechanismPanel {
  std::string name;
  std::string position_signal;
  std::string speed_signal;
  std::string position_unit;
  std::string speed_unit;
  std::string what = "position";  ///< of the first; "duty" where it is that
  std::string other = "speed";    ///< of the second
};

/// Several mechanisms over the same time, a panel each: position, and speed on the right.
/// @throws Error as write_figure()
void write_overview(const std::string& path, const ThinnedTrace& trace, const std::string& title,
                    const std::vector<MechanismPanel>& panels);

/// @throws Error when the ending is another, gnuplot is missing or fails, or the file cannot be written.
void write_figure(const std::string& path, const ThinnedTrace& trace, const FigureContent& content);

}  // namespace cogstride
