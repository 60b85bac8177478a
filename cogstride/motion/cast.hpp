// Who and what a script has to do with: the movers and outputs of a bench, in the order of its rig, and what
// its input lines say.
#pragma once

#include <vector>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

class Inputs;
class Mover;
class OutputSwitch;

struct Cast {
  std::vector<Mover*> mechanisms{};  ///< by a mechanism's place in the rig; null for one that nothing moves
  std::vector<Mover*> carts{};       ///< by a pair's place in the rig
  std::vector<OutputSwitch*> outputs{};  ///< by an output's place in the rig
  const Inputs* inputs = nullptr;
  ExactFrequency clock{};
};

}  // namespace cogstride
