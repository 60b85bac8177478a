// What trials of one planned move on the simulated bench found out.
#pragma once

#include <cstdint>

namespace cogstride {

/// A stepper's move tried from several phases of its field, at the planned speed and a little below and above
/// it, with all of its torque and with less.
struct MoveTrial {
  bool holds = true;     ///< with all of its torque nothing was lost in any run
  double margin = 0.0;   ///< least share of its torque that it could lack, less trial_reserve; below 0:
                         ///< steps are lost, or may be; most_margin_told at the most
  bool is_more = false;  ///< it lost nothing with the least torque tried: there may be more to spare
  double slowest = 0.0;  ///< speeds tried, display units (mm or degrees) a second
  double fastest = 0.0;
  int phases = 0;             ///< of the field at the start
  int ways = 0;               ///< of making it, by phase and speed, that were tried ...
  int shares = 0;             ///< ... with so many shares of its torque
  double cruise_tried = 0.0;  ///< s that the speed was held for in a run
  bool shortened = false;     ///< the move holds its speed for longer than that
};

/// What a margin keeps back for phases and speeds between those tried: share of the torque that is needed.
inline constexpr double trial_reserve = 0.08;

/// No more is tried: with a tenth of its torque a motor is held by its detent and its friction.
inline constexpr double most_margin_told = 0.8;

}  // namespace cogstride
