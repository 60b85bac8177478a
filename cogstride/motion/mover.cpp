#include "cogstride/motion/mover.hpp"

#include <fmt/format.h>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

MoverVerdict Mover::began_verdict() const {
  MoverVerdict verdict;
  verdict.name = name();
  verdict.kind = parts() != nullptr ? kind_name(parts()->motor) : std::string(kind().name);
  verdict.has_moved = log_.has_begun();
  if (parts() == nullptr) return verdict;
  verdict.guesses = parts()->guesses;
  if (parts()->follows)
    verdict.not_looked_at.push_back(
        fmt::format("how it follows {}: the rig says so (follows), and nothing carries it out yet",
                    parts()->follows->leader));
  return verdict;
}

Status Mover::status(Tick now) const {
  return {doing(), asked(now), log_.obstacle(), is_driven(now)};
}

}  // namespace cogstride
