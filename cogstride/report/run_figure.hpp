// Which figure a run is shown by: of the one mechanism that moves, by its kind; of several, a panel each; of
// a cart, its way.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/report/measured_run.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/thinned.hpp"

namespace cogstride {

struct RunFigure {
  std::string title{};
  std::vector<std::size_t> moved{};     ///< mechanisms that are moved: their places in the rig
  std::optional<std::size_t> pair{};    ///< the wheeled pair that is driven
  std::optional<double> too_warm_at{};  ///< s, when what is shown passed the rise that it stands
  /// The one that stands for all where none is moved: its place in the rig.
  std::size_t shown = 0;
  std::vector<MeasuredSignal> measured{};  ///< laid over it; none: the run alone
};

/// @throws Error as write_figure()
void write_run_figure(const std::string& path, const ThinnedTrace& trace, const Rig& rig,
                      const RunFigure& what);

}  // namespace cogstride
