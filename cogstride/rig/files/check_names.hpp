// What must hold between the tables of a rig file: a name that one has for what another declares, and one use
// for each line.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Names of supplies, parts, timers and mechanisms that nothing declares.
/// @param places  of the keys that were read
[[nodiscard]] std::vector<Diagnostic> wrong_names(const Rig& rig, const std::string& file,
                                                  const std::map<std::string, SourcePlace>& places);

/// Lines with two uses; below 0 stands for one that is missing.
[[nodiscard]] std::vector<Diagnostic> lines_used_twice(const Rig& rig, const std::string& file,
                                                       const std::map<std::string, SourcePlace>& places);

}  // namespace cogstride
