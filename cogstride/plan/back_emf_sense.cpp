#include "cogstride/plan/back_emf_sense.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double noise_widths = 4.0;  // rms, that a reading is off at the most
constexpr double codes_at_least = 2.0;
constexpr double peak_in_widths = 8.0;  // of the least volts: 7 degrees of angle at the most
constexpr double peak_volts = 1.0;      // so that line to line it is well above a diode's drop
}  // namespace

BackEmfSense back_emf_sense(const Mechanism& mechanism, const TerminalVoltages& terminals,
                            const Controller& controller) {
  const auto* const motor = std::get_if<BrushlessMotor>(&mechanism.motor);
  if (motor == nullptr)
    throw RangeError(fmt::format("{}: {} tells the back-EMF of a bare brushless motor; it has a {}",
                                 mechanism.name, terminals.name, kind_name(mechanism.motor)));
  if (!controller.analogue)
    throw RangeError(
        fmt::format("{}: {} wants analogue inputs, and the controller has none "
                    "(controller.analogue)",
                    mechanism.name, terminals.name));
  const bool is_sine = motor->back_emf == BrushlessMotor::BackEmf::sine;
  BackEmfSense sense;
  sense.constant = motor->back_emf_constant.in(units::V_s_per_rad) / (is_sine ? std::sqrt(3.0) : 2.0);
  sense.radians_per_row = 2.0 * pi / (6.0 * static_cast<double>(motor->pole_pairs));
  const AnalogueInputs& analogue = *controller.analogue;
  sense.volts_per_code = analogue.volts_per_code() * terminals.scale();
  sense.least_volts =
      noise_widths * analogue.noise.base() * terminals.scale() + codes_at_least * sense.volts_per_code;
  sense.hand_over_rate =
      std::max(peak_volts, peak_in_widths * sense.least_volts) / (sense.constant * sense.radians_per_row);
  return sense;
}

}  // namespace cogstride
