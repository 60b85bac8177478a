// A rig: everything that is wired together, as one value.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {

struct Rig {
  std::string name{};
  Controller controller{};
  std::vector<Supply> supplies{};
  std::vector<Mechanism> mechanisms{};
  std::map<std::string, SourcePlace>
      places{};  ///< of every key that was read: "mechanism.traverse.board.current"
};

/// The mechanism of that name. @throws RangeError that lists those there are.
[[nodiscard]] const Mechanism& mechanism_named(const Rig& rig, const std::string& name);

}  // namespace cogstride
