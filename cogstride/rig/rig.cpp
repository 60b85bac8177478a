#include "cogstride/rig/rig.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "cogstride/quantity/text.hpp"

namespace cogstride {

const Mechanism& mechanism_named(const Rig& rig, const std::string& name) {
  std::vector<std::string> names;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (mechanism.name == name) return mechanism;
    names.push_back(mechanism.name);
  }
  const std::string near = nearest_word(name, names);
  throw RangeError(fmt::format("'{}' is not a mechanism of this rig{}; it has: {}", name,
                               near.empty() ? "" : fmt::format(", did you mean {}?", near),
                               fmt::join(names, ", ")));
}

}  // namespace cogstride
