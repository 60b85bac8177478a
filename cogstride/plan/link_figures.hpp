// How late things are on a link to a chip, by the rig: what a rehearsal keeps to as well, so that it shows
// what comes out.
#pragma once

#include <cstdint>

#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/controller.hpp"

namespace cogstride {

/// What is given to the port of a link goes out within this: a cut waits for no more. ns
inline constexpr std::int64_t link_most_waiting_ns = 12'000'000;

struct LinkFigures {
  double bytes_per_second = 0.0;  ///< that the line brings, and the chip takes
  chip::Tick slack = 0;           ///< planning may be so late itself
  chip::Tick lead = 0;            ///< from a command to its effect
  chip::Tick horizon = 0;         ///< that motion is handed out ahead by
  chip::Tick reads = 0;           ///< from what happens to when planning hears of it
};

/// Of a controller that is a small chip behind a link.
[[nodiscard]] LinkFigures link_figures(const Controller& controller);
/// From what an input says to what a computer does about it: s; 0 where no link is in between.
[[nodiscard]] double link_answers_in(const Controller& controller);

}  // namespace cogstride
