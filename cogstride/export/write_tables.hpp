// A script's motions as plain arrays, for a program of the maker's own.
#pragma once

#include <string>
#include <vector>

#include "cogstride/export/write_program.hpp"

namespace cogstride {

enum class TableForm : std::uint8_t {
  intervals,  ///< ticks from each step to the next
  compares,   ///< turns of a 16-bit counter, and the value at which its compare matches
  overflows   ///< turns of an 8-bit counter whose overflow is the only clock
};

/// Arrays of each motion, and ten lines that use the first of them.
/// @throws RangeError, with what would do, where there is nothing to write or an interval is no whole number
/// of overflows
[[nodiscard]] std::string table_text(const MadeProgram& made, TableForm form);

}  // namespace cogstride
