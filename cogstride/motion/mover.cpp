#include "cogstride/motion/mover.hpp"

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

MoverVerdict Mover::began_verdict() const {
  MoverVerdict verdict;
  verdict.name = name();
  verdict.kind = parts() != nullptr ? kind_name(parts()->motor) : std::string(kind().name);
  verdict.has_moved = log_.has_begun();
  if (parts() == nullptr) return verdict;
  verdict.guesses = parts()->guesses;
  return verdict;
}

Status Mover::status(Tick now) const {
  return {doing(), asked(now), log_.obstacle(), is_driven(now)};
}

}  // namespace cogstride
