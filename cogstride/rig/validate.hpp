// A rig that was put together in a program is held to what a rig file is held to.
#pragma once

#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Every bench asks for this.
/// @throws RangeError with everything that a rig file could not say either, a line for each, by its key:
/// "mechanism.traverse.board: microsteps: found 0; expected a whole number from 1 to 256"
void validate(const Rig& rig);

}  // namespace cogstride
