// Pieces of constant jerk as phases of a ramp: cut where speed or acceleration pass through 0, so that in
// each phase the speed only grows or only falls. Internal to plan/.
#pragma once

#include "cogstride/plan/speed_change.hpp"

namespace cogstride::jerk_limited {

/// States follow from the one at the start.
void append_forwards(Ramp& ramp, State state, const Pieces& pieces);

/// What follows from the end: rest is then exactly rest, and what rounding leaves goes into the middle of the
/// motion, where it is fast. Between what came before and it, `cruise_speed` bridges what is left unless it
/// is 0.
void append_backwards(Ramp& ramp, const Pieces& pieces, double end_speed, StepPosition target,
                      double cruise_speed);

}  // namespace cogstride::jerk_limited
