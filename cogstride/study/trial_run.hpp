// One stepper of a rig, alone and free of ends, run up to a speed on the simulated bench: does it get there,
// and how quietly.
#pragma once

#include "cogstride/bench/simulated/simulated_bench.hpp"

namespace cogstride {

struct TrialRun {
  bool holds = true;
  double lost_at = 0.0;  ///< s, of the first loss
  double worst_lag =
      0.0;  ///< of the rotor behind the steps put out, electrical degrees; until the first loss
  double oscillation = 0.0;  ///< of the rotor about steady motion, peak to peak, full steps; after the first
                             ///< third of the speed being held
};

/// A rig with that mechanism alone, without travel, ends and homing: nothing is in its way.
[[nodiscard]] Rig set_free(const Rig& rig, const Mechanism& mechanism);

/// From rest to `limits.speed` of a rig that was set free, by its own limits; then held for `hold`. The bench
/// is left at the first loss.
/// @param phase  of trial_phases: the field stands so many thirds of a full step further on at the start
[[nodiscard]] TrialRun run_up(const Rig& freed, Time hold, int phase = 0);
inline constexpr int trial_phases = 3;

/// The worst of run-ups from all phases.
[[nodiscard]] TrialRun run_up_from_all_phases(const Rig& freed, Time hold);

/// Brings a stepper that was set free to a phase of its field, and lets it come to rest there.
void bring_to_phase(SimulatedBench& bench, const Mechanism& mechanism, int phase);

/// The same for many at once, on all cores that there are; results in the order of `freed`, the same as one
/// after the other.
[[nodiscard]] std::vector<TrialRun> run_up_all(const std::vector<Rig>& freed, Time hold);

}  // namespace cogstride
