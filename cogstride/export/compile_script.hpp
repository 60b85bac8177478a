// A script worked out for a small chip: rehearsed on the simulated bench as it will be, and what the bench
// puts on its lines recorded.
#pragma once

#include "cogstride/export/chip_program.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

struct CompiledScript {
  ChipProgram program{};
  std::vector<Finding> findings{};  ///< what the chip cannot do; with one of them the program is none
};

/// @param script  checked against the rig; null: none, the rig alone
[[nodiscard]] CompiledScript compile_script(const Rig& rig, const Script* script);

}  // namespace cogstride
