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
  Ratio steps_per_unit{};             ///< steps a mm or a degree: exact
  double resolution = 0.0;            ///< of one step, mm or degrees
  double top_speed = 0.0;             ///< mm/s or deg/s
  double top_step_rate = 0.0;         ///< steps/s that top speed takes
  double controller_step_rate = 0.0;  ///< steps/s that the controller makes
  double ramp_time = 0.0;             ///< s, from start speed to top speed
  double ramp_way = 0.0;              ///< mm or degrees
  double torque_at_rest = 0.0;        ///< N m, of the shaft, one field vector of the set current
  double torque_left = 0.0;  ///< N m, at top speed, friction and detent taken off; below 0: not enough
  double usable_acceleration = 0.0;      ///< mm/s2 or deg/s2 up to top speed, the swing of the rotor included
  double pull_in_speed = 0.0;            ///< mm/s or deg/s that the motor can jump to
  double natural_frequency = 0.0;        ///< Hz, of small swings at rest
  double winding_loss = 0.0;             ///< W, both windings, current on
  double supply_current = 0.0;           ///< A, at the most
  std::optional<double> winding_rise{};  ///< K over the air, for ever; nothing when the rig does not say
  std::optional<std::int64_t> travel_steps{};  ///< from end to end of the travel
  std::optional<double> travel_time{};         ///< s, the same, from rest to rest

  [[nodiscard]] bool controller_can() const { return top_step_rate <= controller_step_rate; }
};

[[nodiscard]] MechanismFigures figures_of(const Mechanism& mechanism, const Controller& controller);

/// One wire between controller and boards, as it is to be wired.
struct WiredLine {
  std::int64_t number = 0;
  std::string mechanism{};
  std::string use{};                 ///< "step", "enable", or a sensor
  bool is_output = true;             ///< seen from the controller
  std::string rest{};                ///< "low", "high"; empty for inputs
  std::optional<Current> current{};  ///< that it gives to its board; nothing when the board does not say
};

/// Every line of the rig in the order of its numbers.
[[nodiscard]] std::vector<WiredLine> wiring_list(const Rig& rig);

}  // namespace cogstride
