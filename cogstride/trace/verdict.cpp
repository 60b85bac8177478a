#include "cogstride/trace/verdict.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

template <class T>
const T& named(const std::vector<T>& all, const std::string& name, const char* what) {
  const auto found = std::find_if(all.begin(), all.end(), [&](const T& each) { return each.name == name; });
  if (found != all.end()) return *found;
  std::vector<std::string> names;
  for (const T& each : all) names.push_back(each.name);
  throw RangeError(fmt::format("'{}' is no {}; there are: {}", name, what, fmt::join(names, ", ")));
}

}  // namespace

double MoverVerdict::figure(const std::string& figure_name) const {
  return named(figures, figure_name, ("figure of " + name + "'s verdict").c_str()).value;
}

bool Verdict::is_sound() const {
  return fault.empty() &&
         std::all_of(movers.begin(), movers.end(), [](const MoverVerdict& each) { return each.is_sound(); });
}

const MoverVerdict& Verdict::of(const std::string& mover) const {
  return named(movers, mover, "mover of this run");
}

}  // namespace cogstride
