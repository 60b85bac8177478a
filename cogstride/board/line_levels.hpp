// A wired line as the lines' interface knows it.
#pragma once

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/wiring.hpp"

namespace cogstride {

[[nodiscard]] inline LineId line_id(const DrivenLine& line) {
  return static_cast<LineId>(line.number);
}

/// The level that means on, or off.
[[nodiscard]] inline bool level_for(const DrivenLine& line, bool on) {
  return on == (line.active == ActiveLevel::high);
}

}  // namespace cogstride
