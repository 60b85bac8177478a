// What can be driven on live lines of this computer, and what cannot.
#pragma once

#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

// Of each kind of mover, what keeps one of it from live lines: a column of the table of kinds. Empty:
// nothing.

/// What is driven by a duty or a pulse width: each duty must come as it is said.
[[nodiscard]] std::vector<std::string> why_duties_are_not_live(const Mechanism& mechanism,
                                                               const Controller& controller);
/// Six gates: a late edge must not harm the board, and sensors come too late.
[[nodiscard]] std::vector<std::string> why_gates_are_not_live(const Mechanism& mechanism,
                                                              const Controller& controller);
/// A drive on a bus: it is the bus of this computer.
[[nodiscard]] std::vector<std::string> why_bus_drives_are_not_live(const Mechanism& mechanism,
                                                                   const Controller& controller);

/// A rig as live lines take it: without what cannot be had on them (see live_notes).
/// @param has_own_port  its lines are those of a port of the program's own
/// @throws RangeError with everything that cannot be driven
[[nodiscard]] Rig for_live_lines(Rig rig, bool has_own_port);

}  // namespace cogstride
