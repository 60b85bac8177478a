// What a sweep on the simulated bench found: in words, for programs, and as a figure against the prediction.
#pragma once

#include <string>

#include "cogstride/study/results/duty_sweep.hpp"
#include "cogstride/study/results/sweep_result.hpp"

namespace cogstride {

[[nodiscard]] std::string sweep_text(const SweepResult& sweep);
[[nodiscard]] std::string sweep_json(const SweepResult& sweep);
/// The rotor's largest lag against what was swept. @throws Error when it cannot be drawn
void draw_sweep(const std::string& path, const SweepResult& sweep);

[[nodiscard]] std::string comparison_text(const ModeComparison& comparison);
[[nodiscard]] std::string comparison_json(const ModeComparison& comparison);
/// The rotor's oscillation against speed, a curve a mode. @throws Error when it cannot be drawn
void draw_comparison(const std::string& path, const ModeComparison& comparison);

[[nodiscard]] std::string duty_sweep_text(const DutySweep& sweep);
[[nodiscard]] std::string duty_sweep_json(const DutySweep& sweep);
/// Speed and current against duty, up and down, a colour a way of switching. @throws Error when it cannot be
/// drawn
void draw_duty_sweep(const std::string& path, const DutySweep& sweep);

}  // namespace cogstride
