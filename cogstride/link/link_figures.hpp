// How late things are on a link to a chip, by the rig: what a rehearsal keeps to as well, so that it shows
// what comes out.
#pragma once

#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/controller.hpp"

namespace cogstride {

struct LinkFigures {
  double bytes_per_second = 0.0;  ///< that the line brings, and the chip takes
  chip::Tick slack = 0;           ///< planning may be so late itself
  chip::Tick lead = 0;            ///< from a command to its effect
  chip::Tick horizon = 0;         ///< that motion is handed out ahead by
  chip::Tick reads = 0;           ///< from what happens to when planning hears of it
};

/// Of a controller that is a small chip behind a link.
[[nodiscard]] LinkFigures link_figures(const Controller& controller);

}  // namespace cogstride
