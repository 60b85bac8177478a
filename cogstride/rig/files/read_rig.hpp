// Rig files in: TOML to a Rig. Every key with its unit, range and default is in docs/rig.md.
#pragma once

#include <string>
#include <string_view>

#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// @throws InputError with all that is wrong (a syntax error stands alone), Error when the file cannot be
/// read.
[[nodiscard]] Rig read_rig(const std::string& path);

/// The same from text; `name` stands for the file in messages.
[[nodiscard]] Rig parse_rig(std::string_view text, const std::string& name);

}  // namespace cogstride
