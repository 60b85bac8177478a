#include "cogstride/mechanism/mechanism.hpp"

#include <fmt/format.h>

namespace cogstride {

void require_kind(const Mechanism& mechanism, OutputKind kind) {
  if (output_kind(mechanism.train) == kind) return;
  throw RangeError(
      kind == OutputKind::linear
          ? fmt::format("{}: the output turns, so it wants degrees or turns, not mm", mechanism.name)
          : fmt::format("{}: the output moves along a line, so it wants mm, not degrees", mechanism.name));
}

std::int64_t step_at(const Mechanism& mechanism, OutputPosition position) {
  require_kind(mechanism, position.kind);
  return (position.base * steps_per_base(mechanism)).rounded();
}

}  // namespace cogstride
