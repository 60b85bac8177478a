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

bool is_known(const MotorHeat& heat) {
  return heat.thermal_resistance && heat.heat_capacity;
}
bool is_known(const BoardStage& stage) {
  return stage.thermal_resistance && stage.heat_capacity;
}

std::string rise_words(std::string_view what, double highest, bool known) {
  if (!known) return fmt::format("{} not known", what);
  return fmt::format("{} up to {:.3g} K over the air", what, highest);
}

void hold_heat_against(MoverVerdict& verdict, std::string_view what, double rise, bool known,
                       std::string_view missing, std::optional<double> most,
                       const std::function<std::string(double)>& complaint) {
  if (known) return hold_against(verdict, what, rise, most, complaint);
  verdict.not_looked_at.push_back(
      fmt::format("its {}: the rig does not say how it warms ({})", what, missing));
}

}  // namespace cogstride
