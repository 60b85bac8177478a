// What follows from a rig: the figures a maker would work out by hand, exact where they can be.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct MechanismFigures {
  std::string name{};
  OutputKind kind = OutputKind::linear;
  Ratio steps_per_unit{};                      ///< steps a mm or a degree: exact
  double resolution = 0.0;                     ///< of one step, mm or degrees
  double top_speed = 0.0;                      ///< mm/s or deg/s
  double top_step_rate = 0.0;                  ///< steps/s that top speed takes
  double controller_step_rate = 0.0;           ///< steps/s that the controller makes
  double ramp_time = 0.0;                      ///< s, from start speed to top speed
  double ramp_way = 0.0;                       ///< mm or degrees
  std::optional<std::int64_t> travel_steps{};  ///< from end to end of the travel
  std::optional<double> travel_time{};         ///< s, the same, from rest to rest

  [[nodiscard]] bool controller_can() const { return top_step_rate <= controller_step_rate; }
};

[[nodiscard]] MechanismFigures figures_of(const Mechanism& mechanism, const Controller& controller);

}  // namespace cogstride
