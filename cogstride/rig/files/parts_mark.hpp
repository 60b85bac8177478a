// A mark of what a rig file says of one mechanism: it changes when a figure or a wire of it does, and not
// when a comment, the order of keys, or what was proven of it changes.
//
// For those who hold the file as TOML already; others ask change_rig.hpp for it.
#pragma once

#include <string>

#include "cogstride/rig/files/toml_table.hpp"

namespace cogstride {

/// Sixteen hexadecimal digits of its table and of nothing else; "" when the rig has no such mechanism.
[[nodiscard]] std::string parts_mark(const toml::table& rig, const std::string& mechanism);

}  // namespace cogstride
