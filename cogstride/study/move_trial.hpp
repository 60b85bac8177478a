// A planned move of a stepper tried on the simulated bench before it is made: how much torque there is to
// spare.
//
//   MoveTrial trial = try_move(rig, traverse, plan);
//   trial.margin;     // 0.43: from no phase and at no speed within 5 % of its own are steps lost with 43 %
//   less
//
// A move of more torque than it needs is one with a lighter load: with a share s of its torque a motor moves
// its load as it would move 1/s of inertia, friction, detent and weight with all of it, since its currents
// and back-EMF stay. So each run is a run of the whole bench, chopper and instabilities included, of such a
// mechanism alone and free of ends. It begins at a third of a full step further on each time, and stops that
// much later in the rotor's oscillation. Speeds lie a band apart, since an instability near back-EMF or a
// resonance may be sharp.
#pragma once

#include "cogstride/plan/move.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/move_trial.hpp"

namespace cogstride {

/// Share of a move's top speed that is tried below and above it.
inline constexpr double trial_speed_band = 0.05;

/// The mechanism as it would be with `share` of its torque; its currents and back-EMF are as they were.
/// @param share  above 0
[[nodiscard]] Mechanism with_torque_share(Mechanism mechanism, double share);

/// @param estimated  torque_margin() of its ramp, where the search begins
/// @throws RangeError unless the mechanism is a stepper that can be moved
[[nodiscard]] MoveTrial try_move(const Rig& rig, const Mechanism& mechanism, const MovePlan& plan,
                                 double estimated);

}  // namespace cogstride
