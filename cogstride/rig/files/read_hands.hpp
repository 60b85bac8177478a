// What of a rig file is about hands: controls, devices, what is bound to them, how it is operated.
#pragma once

#include "cogstride/rig/files/toml_table.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Into a rig whose controller has been read.
void read_hands(TomlTable& root, Rig& rig);

}  // namespace cogstride
