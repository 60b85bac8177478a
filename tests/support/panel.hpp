// The workshop's panel: a small display that says texts of its own.
#pragma once

#include "cogstride/mechanism/devices.hpp"

namespace cogstride::testing_support {

/// "@5" of a station key, "=137" of a pitch, "~" while its hold key is down; framed by a silence of 20 ms.
inline Device panel() {
  Device panel{.name = "panel", .port = "/dev/ttyS0", .baud = 19'200};
  panel.ends_after = Time(20.0, units::ms);
  panel.messages.push_back({.name = "station", .text = "@NUMBER", .most_digits = 1, .highest = 7});
  panel.messages.push_back({.name = "pitch", .text = "=NUMBER", .most_digits = 3, .highest = 999});
  panel.messages.push_back({.name = "hold", .text = "~"});
  return panel;
}

}  // namespace cogstride::testing_support
