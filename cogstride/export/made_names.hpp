// Names of a rig as names of a program: none clashes with another, with a word of the language or with a
// macro.
#pragma once

#include <set>
#include <string>
#include <string_view>

namespace cogstride {

class MadeNames {
 public:
  /// "carriage" of "carriage", "warp_beam" of "warp-beam", "int_" of "int"; another one where it was given
  /// before.
  [[nodiscard]] std::string name_for(std::string_view of);

 private:
  std::set<std::string, std::less<>> given_{};
};

}  // namespace cogstride
