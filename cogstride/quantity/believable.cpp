#include "cogstride/quantity/believable.hpp"

#include <fmt/format.h>

#include <cmath>
#include <utility>
#include <vector>

namespace cogstride {

namespace {

/// The most that a workshop, a mill or a crane has of each dimension.
const std::vector<std::pair<const char*, ParsedQuantity>>& bounds() {
  static const auto all = [] {
    std::vector<std::pair<const char*, ParsedQuantity>> parsed;
    for (const char* const each :
         {"10000 m", "1e12 turn", "1e9 s",     "10000 m/s", "1e7 rpm", "1e6 m/s2", "1e9 deg/s2", "1e9 m/s3",
          "1e5 V",   "1e5 A",     "1e9 ohm",   "1e3 H",     "1e3 F",   "1e6 N m",  "1e6 kg m2",  "1e6 kg",
          "1e11 Hz", "1e6 A h",   "1e6 N m s", "1e6 K/W",   "1e9 J/K", "1e4 K",    "1e6 V s/rad"})
      parsed.emplace_back(each, parse_any_quantity(each));
    return parsed;
  }();
  return all;
}

constexpr double least_share = 1e-24;  // of that: so little nothing has

}  // namespace

std::string why_absurd(std::string_view written, const ParsedQuantity& parsed) {
  for (const auto& [each, bound] : bounds()) {
    if (bound.powers != parsed.powers) continue;
    const double size = std::abs(parsed.base);
    if (size > bound.base || std::isnan(size))
      return fmt::format("{} is absurd: at most {} can be meant", written, each);
    if (size != 0.0 && size < least_share * bound.base)
      return fmt::format("{} is absurd: nothing is so small; write 0 where none is meant", written);
    return {};
  }
  return {};
}

}  // namespace cogstride
