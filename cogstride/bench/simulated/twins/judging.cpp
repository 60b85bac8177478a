#include <fmt/format.h>

#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"

namespace cogstride {

std::string turning_words(double speed, std::string_view unit) {
  return std::abs(speed) < 1e-3 ? "at rest" : fmt::format("turning at {:.4g} {}", speed, unit);
}

void hold_against(MoverVerdict& verdict, std::string_view what, double value, std::optional<double> most,
                  const std::function<std::string(double)>& complaint) {
  if (!most) {
    verdict.not_looked_at.push_back(fmt::format("its {}: the rig does not say what may be", what));
    return;
  }
  verdict.looked_at.push_back(fmt::format("its {} against what the rig says", what));
  if (value > *most) verdict.complaints.push_back(complaint(*most));
}

}  // namespace cogstride
