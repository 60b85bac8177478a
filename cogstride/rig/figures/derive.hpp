// What follows from a rig: the figures a maker would work out by hand, exact where they can be.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Of a mechanism whose motor is a stepper, on a board of whatever kind.
struct StepperFigures {
  OutputKind kind = OutputKind::linear;
  Ratio steps_per_unit{};             ///< steps a mm or a degree: exact
  double resolution = 0.0;            ///< of one step, mm or degrees
  double top_speed = 0.0;             ///< mm/s or deg/s
  double top_step_rate = 0.0;         ///< steps/s that top speed takes
  double controller_step_rate = 0.0;  ///< steps/s that the controller makes
  double ramp_time = 0.0;             ///< s, from start speed to top speed
  double ramp_way = 0.0;              ///< mm or degrees
  double torque_at_rest = 0.0;        ///< N m, of the shaft, as the coils are switched
  double torque_left = 0.0;  ///< N m, at top speed, friction and detent taken off; below 0: not enough
  double usable_acceleration =
      0.0;                         ///< mm/s2 or deg/s2 up to top speed, the oscillation of the rotor included
  double pull_in_speed = 0.0;      ///< mm/s or deg/s that the motor can jump to
  double natural_frequency = 0.0;  ///< Hz, of small oscillations at rest
  double winding_loss = 0.0;       ///< W, both windings, current on
  double board_loss = 0.0;         ///< W, the same in the output stage
  std::optional<double> winding_rise{};  ///< K over the air, for ever; nothing when the rig does not say
  std::optional<std::int64_t> travel_steps{};  ///< from end to end of the travel
  std::optional<double> travel_time{};         ///< s, the same, from rest to rest

  [[nodiscard]] bool controller_can() const { return top_step_rate <= controller_step_rate; }
};

/// @throws RangeError unless its motor is a stepper
[[nodiscard]] StepperFigures stepper_figures(const Mechanism& mechanism, const Controller& controller);

/// What a motor loses in its windings and its board.
struct Losses {
  double current = 0.0;  ///< A, of a winding or phase
  double winding = 0.0;  ///< W
  double board = 0.0;    ///< W
};
/// For ever at the current it holds (a stepper) or needs at top speed (a brushed or brushless motor). Nothing
/// for a motor that has its board built in.
[[nodiscard]] std::optional<Losses> steady_losses(const Mechanism& mechanism);

/// What a mechanism takes from its supply.
struct SupplyDraw {
  double most = 0.0;     ///< A, at its current limit and top speed
  double running = 0.0;  ///< A, at top speed against its load
};
[[nodiscard]] SupplyDraw supply_draw(const Mechanism& mechanism);

/// All that a supply feeds, each regulator with what it feeds in its turn.
struct SupplyLoad {
  SupplyDraw draw{};
  std::vector<std::string> fed{};  ///< names of mechanisms and of regulators
};
/// What a regulator gives it takes at its input: the same current, or of one that switches V I / (e V_in).
[[nodiscard]] SupplyLoad supply_load(const Rig& rig, const Supply& supply);

/// The current that a line gives to what it is wired to; nothing when the rig does not say.
[[nodiscard]] std::optional<Current> line_current(const Rig& rig, const RigLine& line);

/// The high level that an output reaches at the other end: the controller's, or that of the part between.
[[nodiscard]] Voltage high_level_at_board(const Rig& rig, const Mechanism& mechanism);

/// Every line of the rig in connector order (by number, those that the connector leaves out last).
[[nodiscard]] std::vector<RigLine> wiring_list(const Rig& rig);

/// The frequency that a mechanism's timer has to make, and how its period is counted; nothing for one
/// without.
struct WantedFrequency {
  ExactFrequency frequency{};
  Alignment alignment = Alignment::edge;
};
[[nodiscard]] std::optional<WantedFrequency> wanted_frequency(const Mechanism& mechanism);

}  // namespace cogstride
