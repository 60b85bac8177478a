// A compiled script as text of a program: a header with all that the rig says, and the program around it.
#pragma once

#include <string>

#include "cogstride/export/chip_parts.hpp"
#include "cogstride/export/chip_program.hpp"

namespace cogstride {

/// What a program is made of.
struct MadeProgram {
  const Rig* rig = nullptr;
  std::string rig_file{};
  std::string script_file{};  ///< empty: none
  bool is_linked = false;     ///< it plays what a computer plans, and no script
  ChipProgram program{};
  ChipParts parts{};
};

/// Lines, levels, figures, homing goals, tables and the script.
[[nodiscard]] std::string header_text(const MadeProgram& made);
/// Homes, plays the script, obeys, and says where it stands. @param header  name of its file
[[nodiscard]] std::string firmware_text(const MadeProgram& made, const std::string& header);

/// The end of an interrupt of edges: what of the axes has become due meanwhile.
[[nodiscard]] std::string catch_up_text(const ChipParts& parts);

/// Plays what a computer plans (docs/link.md).
[[nodiscard]] std::string link_firmware_text(const MadeProgram& made, const std::string& header);

}  // namespace cogstride
