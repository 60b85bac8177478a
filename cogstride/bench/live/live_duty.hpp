// Which duties live lines can make, and how: by hardware where the rig names channels for their lines, else
// edge by edge.
#pragma once

#include <span>
#include <string>

#include "cogstride/mechanism/boards.hpp"
#include "cogstride/mechanism/controller.hpp"

namespace cogstride {

/// Whether a channel of one of the controller's PWM chips drives that line.
[[nodiscard]] bool is_pwm_channel(const Controller& controller, std::int64_t line);

struct LiveDuty {
  enum class By : std::uint8_t { hardware, edges, nothing };
  By by = By::nothing;
  std::string words{};  ///< by edges: its limits; by nothing: why, and what would do
};

/// @param lines  of one mechanism or output, by their numbers in the rig: hardware makes all of them, or none
[[nodiscard]] LiveDuty live_duty(const Controller& controller, std::span<const std::int64_t> lines,
                                 ExactFrequency frequency);

/// The same of the pulses of a servo or a speed controller: an edge may make a width wrong by a fiftieth of
/// its range, and no more.
[[nodiscard]] LiveDuty live_pulses(const Controller& controller, std::int64_t line,
                                   const PulseWidthInput& input);

}  // namespace cogstride
