// The parts of the page, as they are built in.
#pragma once

#include <span>

#include "cogstride/files/built_in_file.hpp"

namespace cogstride {

[[nodiscard]] std::span<const BuiltInFile> page_files();

}  // namespace cogstride
