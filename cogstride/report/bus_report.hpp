// Who is on a bus: in words and for programs.
#pragma once

#include <string>
#include <vector>

#include "cogstride/board/bus/id_scan.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// @param wrong  what does not fit the rig, a line each
[[nodiscard]] std::string bus_text(const Rig& rig, const std::vector<IdScan::Found>& found,
                                   const std::vector<std::string>& wrong);
[[nodiscard]] std::string bus_json(const Rig& rig, const std::vector<IdScan::Found>& found,
                                   const std::vector<std::string>& wrong);

}  // namespace cogstride
