// What `inspect` says of each part of a rig, as rows: a line of text for people and the same figures by name
// for programs.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

using FigureValue = std::variant<double, std::int64_t, bool, Ratio, std::string>;

struct FigureRow {
  std::string label{};
  std::string text{};
  std::vector<std::pair<std::string, FigureValue>> values{};  ///< names end in the unit: "ramp_s"
};

/// Of one mechanism, in the order in which a maker asks.
[[nodiscard]] std::vector<FigureRow> figure_rows(const Rig& rig, const Mechanism& mechanism);

/// Of one supply: what all that it feeds takes together, and how long a battery lasts.
[[nodiscard]] std::vector<FigureRow> figure_rows(const Rig& rig, const Supply& supply);

/// Of the controller: what its timers, counters, analogue inputs and lines have left.
[[nodiscard]] std::vector<FigureRow> controller_rows(const Rig& rig);

/// "bipolar stepper, STEP/DIR board, belt 18:24, screw of 8 mm lead"
[[nodiscard]] std::string parts_text(const Mechanism& mechanism);

/// A speed of the output as people say it: mm/s, deg/s of what steps or swings, rpm of what spins.
[[nodiscard]] std::string speed_text(const Mechanism& mechanism, double base);
[[nodiscard]] std::string speed_text(const Mechanism& mechanism, OutputSpeed speed);

/// A name for programs with its unit: "top_speed_mm_per_s".
[[nodiscard]] std::string with_unit(std::string_view name, std::string_view unit);

/// "0.0373 s" as "37.3 ms": in the unit that suits.
[[nodiscard]] std::string seconds_text(double seconds);

}  // namespace cogstride
