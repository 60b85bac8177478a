// How a mover is, at an instant.
#pragma once

#include <string>

namespace cogstride {

struct Status {
  std::string doing{};     ///< the motion that is on: "move to 92 mm"; empty: none
  std::string asked{};     ///< of it at this instant: "41.2 mm, 40 mm/s"; empty: nothing
  std::string obstacle{};  ///< what stands in the way of a new motion; empty: nothing
  bool is_driven = false;  ///< something drives it, or is about to
};

}  // namespace cogstride
