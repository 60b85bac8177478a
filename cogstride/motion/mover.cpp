#include "cogstride/motion/mover.hpp"

#include <limits>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/gearing/follow.hpp"

namespace cogstride {

MoverVerdict Mover::began_verdict() const {
  MoverVerdict verdict;
  verdict.name = name();
  verdict.kind = parts() != nullptr ? kind_name(parts()->motor) : std::string(kind().name);
  verdict.has_moved = log_.has_begun();
  if (parts() == nullptr) return verdict;
  verdict.guesses = parts()->guesses;
  if (parts()->load.backlash)
    verdict.not_looked_at.push_back("the play of its train (load.backlash): it is not rehearsed");
  return verdict;
}

std::vector<TracedSignal> Mover::with_lag(std::vector<TracedSignal> own) const {
  if (parts()->follows) own.push_back({"lag", std::string(display_unit(output_kind(parts()->train), 0))});
  return own;
}

void Mover::sample_lag(const Follow* following, std::span<double> values) const {
  if (!parts()->follows) return;
  const OutputKind kind = output_kind(parts()->train);
  values.back() = following == nullptr ? std::numeric_limits<double>::quiet_NaN()
                                       : display_units_per_base(kind) * following->behind().all /
                                             following->follower().grains_per_base.to_double();
}

Status Mover::status(Tick now) const {
  return {doing(), asked(now), log_.obstacle(), is_driven(now)};
}

}  // namespace cogstride
