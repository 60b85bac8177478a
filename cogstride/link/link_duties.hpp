// Which duties of a rig a small chip makes for a computer, and by what: the two outputs of its 8-bit timer,
// or pulses in a frame by the compare of its 16-bit timer that no axis takes.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct LinkDuty {
  enum class By : std::uint8_t { first_output, second_output, frame };
  LineId line{};
  Pin pin{};
  By by = By::frame;
  bool rest_high = false;
  Tick period = 0;
  Tick grain = 1;       ///< ticks of a count of its timer
  Tick longest = 0;     ///< of a pulse in a frame
  std::string owner{};  ///< mechanism or output
};

struct LinkDuties {
  std::vector<LinkDuty> duties{};
  std::map<std::string, std::string> refused{};  ///< why not, by mechanism or output
};
[[nodiscard]] LinkDuties link_duties(const Rig& rig);

}  // namespace cogstride
