// The currents of a brushless motor by six steps, sector by sector: what two phases in series leave out. At
// every commutation one phase hands its current to another, which takes its time; at high speeds that is much
// of a sector.
//
//   SwitchedCurrent cycle = six_step_cycle(parts, 0.6, 200.0);
//   cycle.torque;    // N m, mean over a turn, with 60 % duty at 200 rad/s
//
// Three phases of R and L against their back-EMF, each terminal where its transistor or a diode joins it to,
// the switching of the duty resolved; a row takes effect with the period that begins next. Followed until
// turns of the field are alike, then averaged.
#pragma once

#include "cogstride/plan/switched_current.hpp"

namespace cogstride {

struct SixStepParts {
  double resistance = 0.0;        ///< ohm of a phase
  double stage_resistance = 0.0;  ///< ohm of a transistor
  double inductance = 0.0;        ///< H of a phase
  double constant = 0.0;          ///< V s/rad of the shaft, peak line to line
  bool is_sine = true;            ///< else its phases' tops are flat over a third of a turn
  double pole_pairs = 1.0;
  double supply = 0.0;             ///< V, without load
  double supply_resistance = 0.0;  ///< ohm
  double drop = 0.0;               ///< V of a transistor
  double period = 5e-5;            ///< s, of the duty
  double dead = 0.0;               ///< s that complementary switching loses of each
  bool complementary = false;
  double reacts_after = 1e-5;  ///< s, from an edge of a sensor to a row that can be taken over
  bool both_switched = false;  ///< the low side as well

  friend bool operator==(const SixStepParts&, const SixStepParts&) = default;
};

/// The mean over turns of the field. @param duty  0 to 1; @param rad_per_s  of the shaft, above 0
[[nodiscard]] SwitchedCurrent six_step_cycle(const SixStepParts& parts, double duty, double rad_per_s);

}  // namespace cogstride
