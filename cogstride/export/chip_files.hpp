// The headers of the part for small chips, as they are built in: a program that is made from a rig is written
// with those that it needs beside it.
#pragma once

#include <span>

#include "cogstride/files/built_in_file.hpp"

namespace cogstride {

[[nodiscard]] std::span<const BuiltInFile> chip_files();

}  // namespace cogstride
