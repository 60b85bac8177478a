// A file that is built into a program: cmake/built_in_files.cmake.
#pragma once

#include <string_view>

namespace cogstride {

struct BuiltInFile {
  std::string_view path{};  ///< "/page.css"
  std::string_view type{};  ///< "text/css; charset=utf-8"
  std::string_view mark{};  ///< of what is in it, for who has it already
  std::string_view text{};
};

}  // namespace cogstride
