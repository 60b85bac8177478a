// Who and what a script has to do with: the movers and outputs of a bench, in the order of its rig, and what
// its input lines say.
#pragma once

#include <vector>

#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"

namespace cogstride {

struct Cast {
  std::vector<StepperMover*> movers{};  ///< by a mechanism's place in the rig; null for one that cannot move
  std::vector<DutyMover*> drives{};     ///< the same, of those that are driven by duty
  std::vector<ServoMover*> servos{};
  std::vector<ThrottleMover*> throttles{};
  std::vector<SixStepMover*> six_steps{};
  std::vector<PairMover*> pairs{};       ///< by a pair's place in the rig
  std::vector<OutputSwitch*> outputs{};  ///< by an output's place in the rig
  const Inputs* inputs = nullptr;
  ExactFrequency clock{};
};

}  // namespace cogstride
