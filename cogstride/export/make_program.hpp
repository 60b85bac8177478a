// All that is made of a rig and a script before anything is written, and what is wrong with it.
#pragma once

#include <vector>

#include "cogstride/export/write_program.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

struct Making {
  MadeProgram made{};  ///< without its names of files
  std::vector<Finding> findings{};

  /// Whether nothing but notes was found.
  [[nodiscard]] bool is_sound() const;
};

/// @param rig  its controller is a small chip; it must outlive what is made @param script  null: none
[[nodiscard]] Making make_program(const Rig& rig, const Script* script);

/// What no such chip can do of a rig, whatever the script: without a rehearsal.
[[nodiscard]] std::vector<Finding> chip_findings(const Rig& rig);

/// A program that plays what a computer plans.
[[nodiscard]] Making make_link_program(const Rig& rig);

}  // namespace cogstride
