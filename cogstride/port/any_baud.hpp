// A serial port at any speed: 250 000 baud, which a chip of 16 MHz makes exactly, is none of the classic
// ones.
#pragma once

#include <cstdint>

namespace cogstride {

/// @return 0, or what went wrong, as errno has it
[[nodiscard]] int set_any_baud(int descriptor, std::int64_t baud);

}  // namespace cogstride
