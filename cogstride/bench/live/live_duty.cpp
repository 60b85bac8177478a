#include "cogstride/bench/live/live_duty.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/plan/timer_setting.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

/// An edge as late as the rig bears makes a share wrong by this; beyond it is no duty any more.
constexpr double largest_error = 0.1;
constexpr double largest_pulse_error = 0.02;  // of the range of a pulse's width

}  // namespace

bool is_pwm_channel(const Controller& controller, std::int64_t line) {
  return std::any_of(controller.pwm_chips.begin(), controller.pwm_chips.end(), [&](const PwmChip& chip) {
    return std::find(chip.lines.begin(), chip.lines.end(), line) != chip.lines.end();
  });
}

LiveDuty live_duty(const Controller& controller, std::span<const std::int64_t> lines,
                   ExactFrequency frequency) {
  std::vector<std::int64_t> with;
  std::vector<std::int64_t> without;
  for (const std::int64_t line : lines) (is_pwm_channel(controller, line) ? with : without).push_back(line);
  if (without.empty()) return {LiveDuty::By::hardware, {}};
  if (!with.empty())
    return {
        LiveDuty::By::nothing,
        fmt::format("[controller.pwm.NAME] has line{} {} of its duty, and not {}: name all of them, or none",
                    with.size() > 1 ? "s" : "", fmt::join(with, ", "), fmt::join(without, ", "))};
  const std::string wanted = to_text(frequency, "Hz");
  const double error = controller.edge_lateness.base() * frequency.base().to_double();
  const SoftwareDuty shares = software_duty(controller.top_step_rate, frequency);
  if (error > largest_error || !shares.fits) {
    const double most = std::min(largest_error / controller.edge_lateness.base(),
                                 controller.top_step_rate.base().to_double());
    return {LiveDuty::By::nothing,
            fmt::format("its duty of {} would be made edge by edge, and an edge may be {:.0f} us late "
                        "(controller.edge_lateness): {:.0f} Hz can be had so; hardware makes more where "
                        "[controller.pwm.NAME] names its line{} {}",
                        wanted, controller.edge_lateness.in(units::us), most, lines.size() > 1 ? "s" : "",
                        fmt::join(lines, ", "))};
  }
  return {
      LiveDuty::By::edges,
      fmt::format("its duty of {} is made edge by edge: a share may be {:.2g} % of full duty off, and none "
                  "lies below {:.2g} % or above {:.4g} %, but none at all and full",
                  wanted, 100.0 * error, 100.0 * shares.lowest, 100.0 * shares.highest)};
}

LiveDuty live_pulses(const Controller& controller, std::int64_t line, const PulseWidthInput& input) {
  if (is_pwm_channel(controller, line)) return {LiveDuty::By::hardware, {}};
  const double range = (input.longest_pulse - input.shortest_pulse).base();
  const double error = controller.edge_lateness.base() / range;
  if (error > largest_pulse_error)
    return {
        LiveDuty::By::nothing,
        fmt::format("its pulses would be made edge by edge, and an edge may be {:.0f} us late "
                    "(controller.edge_lateness), which is {:.2g} % of their range: {:.0f} us would do, or "
                    "hardware that makes them, where [controller.pwm.NAME] names its line {}",
                    controller.edge_lateness.in(units::us), 100.0 * error, 1e6 * largest_pulse_error * range,
                    line)};
  return {LiveDuty::By::edges,
          fmt::format("its pulses are made edge by edge: a width may be {:.2g} % of its range off",
                      100.0 * error)};
}

}  // namespace cogstride
