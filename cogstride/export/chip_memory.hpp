// How much of a chip's memory a program takes, foretold from what it is made of.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/export/write_program.hpp"

namespace cogstride {

struct ChipMemory {
  std::int64_t flash = 0;   ///< bytes: code, tables and what RAM begins with
  std::int64_t tables = 0;  ///< of these, what the script takes
  std::int64_t ram = 0;     ///< bytes, without the stack
};
/// Of the program that firmware_text() writes, as Debian's cross compiler makes it: within 5 % of the
/// linker's.
[[nodiscard]] ChipMemory chip_memory(const MadeProgram& made);

/// What does not fit the chip.
[[nodiscard]] std::vector<Finding> memory_findings(const MadeProgram& made);

}  // namespace cogstride
