// What a fit has found, in words, as JSON, and laid over what was measured.
#pragma once

#include <string>
#include <vector>

#include "cogstride/plan/motor_fit.hpp"

namespace cogstride {

struct FitReport {
  std::string rig{};
  std::string mechanism{};
  std::string file{};
  MeasuredTable table{};
  MotorFit fit{};
  std::vector<std::string> notes{};
};

/// A figure with as many digits as its uncertainty leaves: "2.604 ohm".
[[nodiscard]] std::string figure_text(const FittedFigure& figure);

[[nodiscard]] std::string fit_text(const FitReport& report);
[[nodiscard]] std::string fit_json(const FitReport& report);
/// @throws Error as draw_figure()
void draw_fit(const std::string& path, const FitReport& report);

}  // namespace cogstride
