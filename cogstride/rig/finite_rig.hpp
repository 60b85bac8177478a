// A rig that was put together in a program can hold what no rig file can: amounts that are no numbers.
#pragma once

#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// @throws RangeError that names the first key ("mechanism.traverse.motor.inductance") whose amount is not a
/// number, or infinite
void require_finite(const Rig& rig);

}  // namespace cogstride
