// The input lines of a rig, as a bench opens, reads and guards them.
#pragma once

#include "cogstride/motion/guard.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// A mechanism that a bench moves, whichever way.
struct MovedMechanism {
  const Mechanism* mechanism;
  MechanismId id;
};
using MovedMechanisms = std::vector<MovedMechanism>;

/// Every line that comes back: switches of the mechanisms that are moved, their encoders, what their boards
/// say, hand controls, supplies.
[[nodiscard]] std::vector<LineSetup> input_lines(const Rig& rig, const MovedMechanisms& moved);
/// Those that are on or off, with the names that scripts have for them: "traverse.far", "pedal", "main".
[[nodiscard]] std::vector<Inputs::Input> switched_inputs(const Rig& rig, const MovedMechanisms& moved);
/// Counters for the encoders. @throws RangeError when the controller has too few
[[nodiscard]] std::vector<CounterSetup> encoder_counters(const Rig& rig, const MovedMechanisms& moved);
/// One analogue input of a controller.
[[nodiscard]] AdcSetup analogue_input(const AnalogueInputs& analogue, std::int64_t channel);
/// The analogue inputs of a mechanism's shunts and probes. @throws RangeError when the controller has none
[[nodiscard]] std::vector<AdcSetup> analogue_inputs(const Rig& rig, const Mechanism& mechanism);
/// How far ahead motion is handed out. @throws RangeError outside 2 ms to 1 s
[[nodiscard]] Tick horizon_ticks(ExactTime horizon, ExactFrequency clock);
/// What must stop motion.
[[nodiscard]] std::vector<Guard::Watched> watched_inputs(const Rig& rig, const MovedMechanisms& moved);

}  // namespace cogstride
