#include "cogstride/mechanism/motors.hpp"

#include <fmt/format.h>

namespace cogstride {

namespace {
constexpr double root_2 = 1.41421356237309504880;
}

StepperWinding Stepper::winding() const {
  StepperWinding winding{resistance, inductance, rated_current, holding_torque / (root_2 * rated_current)};
  if (halves == Halves::series) {
    winding.resistance = 2.0 * resistance;
    winding.inductance = 4.0 * inductance;
    winding.rated_current = rated_current / root_2;
    winding.torque_constant = 2.0 * winding.torque_constant;
  } else if (halves == Halves::parallel) {
    winding.resistance = resistance / 2.0;
    winding.rated_current = root_2 * rated_current;
  }
  return winding;
}

std::vector<std::string> lead_names(std::int64_t leads) {
  switch (leads) {
    case 4:
      return {"A+", "A-", "B+", "B-"};
    case 5:
      return {"A+", "A-", "B+", "B-", "taps"};
    case 6:
      return {"A+", "A tap", "A-", "B+", "B tap", "B-"};
    case 8:
      return {"A+", "A1 end", "A2 end", "A-", "B+", "B1 end", "B2 end", "B-"};
    default:
      throw RangeError(fmt::format("a two-phase stepper has 4, 5, 6 or 8 leads, not {}", leads));
  }
}

}  // namespace cogstride
