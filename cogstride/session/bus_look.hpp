// Looks who is on the CAN bus of a rig, and gives the only one there another id; in real time, by the
// interface that the rig names. Nothing of it moves anything.
#pragma once

#include <string>
#include <vector>

#include "cogstride/board/bus/id_scan.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Who answers, by their ids; takes a quarter of a second, and as long again for each that is there.
/// @throws RangeError when the rig has no bus, Error when the interface cannot be had, PortGone when it goes
/// down
[[nodiscard]] std::vector<IdScan::Found> look_at_bus(const Rig& rig);

/// What is wrong with them by the rig, a line each: one that is missing, another one in its place, an id
/// that two have. Empty: nothing.
[[nodiscard]] std::vector<std::string> wrong_on_bus(const Rig& rig, const std::vector<IdScan::Found>& found);

/// Gives the one that is on the bus another id, which it keeps.
/// @throws Error when several are on it, or none, or what is there is driven; when it does not take it
void change_only_id(const Rig& rig, int id);

}  // namespace cogstride
