// How everything is, as one line.
//
//   state: at 12.3 s; traverse 41.20 mm, 40.0 mm/s, move to 92 mm, held by socket 1; feeder 40 %
//   {"state":{"at_s":12.3,"moved":[{"name":"traverse","place":41.2,"place_unit":"mm", ...}], ...}}
#pragma once

#include <string>

#include "cogstride/session/operation_state.hpp"

namespace cogstride {

/// "41.20 mm, 40.0 mm/s, count 10987, move to 92 mm, held by socket 1"
[[nodiscard]] std::string state_words(const MovedState& moved);
/// "pedal acts", "pad.along 40 %", "panel.station 5"; "" of what does nothing.
[[nodiscard]] std::string input_words(const NamedState& input);
/// Without the end of the line.
[[nodiscard]] std::string state_line(const OperationState& state, bool json);

}  // namespace cogstride
