// The speed and acceleration at which a stepper makes a move in the least time with torque to spare.
#pragma once

#include "cogstride/plan/move.hpp"

namespace cogstride {

struct FastestMove {
  OutputSpeed speed{};                ///< to three figures, as one writes it into a rig
  OutputAcceleration acceleration{};  ///< to three figures
  double seconds = 0.0;
};

/// The figure below `value` (above 0) with three digits, exactly.
[[nodiscard]] Ratio three_figures_below(double value);

/// Searches speeds up to what the controller can make, whatever the rig's limits of speed and acceleration
/// say; its start speed and its jerk limit are kept. At each speed the hardest acceleration that follow()
/// holds with `margin` to spare is bisected, and the speed whose move takes least time wins. No ramp is
/// shorter than a quarter of a natural oscillation: to the rotor that is a jump, and a harder one gains
/// nothing. An estimate: study/fastest_tried.hpp tries it on the bench.
/// @param margin  as of torque_margin(), 0 to 0.9
/// @throws RangeError when there is no way to go, the margin is out of range, or no speed holds with that
/// margin
[[nodiscard]] FastestMove fastest_move(const Mechanism& mechanism, const Controller& controller,
                                       std::int64_t way_steps, double margin);

}  // namespace cogstride
