// An encoder wheel for a hand, on two lines that nothing of the demo rigs uses.
#pragma once

#include "cogstride/mechanism/sensors.hpp"

namespace cogstride::testing_support {

inline HandControl hand_wheel() {
  HandControl wheel;
  wheel.name = "handwheel";
  wheel.kind = HandControl::Kind::wheel;
  wheel.line = 50;
  wheel.line_b = 51;
  return wheel;
}

}  // namespace cogstride::testing_support
