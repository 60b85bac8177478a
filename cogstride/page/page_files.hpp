// The parts of the page, as they are built in: cmake/page_files.cmake.
#pragma once

#include <span>
#include <string_view>

namespace cogstride {

struct PageFile {
  std::string_view path{};  ///< "/page.css"
  std::string_view type{};  ///< "text/css; charset=utf-8"
  std::string_view mark{};  ///< of what is in it, for who has it already
  std::string_view text{};
};

[[nodiscard]] std::span<const PageFile> page_files();

}  // namespace cogstride
