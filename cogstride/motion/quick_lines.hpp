// Loops that go through lines bear only so much time from command to effect.
#pragma once

#include <fmt/format.h>

#include <string>

#include "cogstride/lines/lines.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

/// @param most  ticks that what is put may take until it has effect; @param whose  "feeder: its speed loop"
/// @throws RangeError when these lines take longer
inline void require_quick_lines(const Lines& lines, double most, double ticks_per_second,
                                const std::string& whose) {
  if (static_cast<double>(lines.lead()) <= most) return;
  throw RangeError(fmt::format("{} bears {:.3g} ms from command to effect, and these lines take {:.3g} ms",
                               whose, 1e3 * most / ticks_per_second,
                               1e3 * static_cast<double>(lines.lead()) / ticks_per_second));
}

}  // namespace cogstride
