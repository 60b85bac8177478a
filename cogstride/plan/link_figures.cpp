#include "cogstride/plan/link_figures.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/chip/link_words.hpp"

namespace cogstride {

LinkFigures link_figures(const Controller& controller) {
  constexpr double bits_of_a_byte = 10.0;
  constexpr double planning_is_late = 0.008;
  constexpr double horizon = 0.3;
  const double clock = controller.timer_clock.base().to_double();
  const double chip_takes = std::max(0.006, 96'000.0 / clock);  // its guard, its slowest turn, an order read
  const double chip_tells_in = std::max(0.003, 48'000.0 / clock);
  const double delay = controller.link.value_or(ChipLink{}).delay.base();
  LinkFigures figures;
  // The chip takes an order of three runs, 54 bytes, in a millisecond or so.
  constexpr double cycles_of_a_byte = 400.0;
  figures.bytes_per_second = std::min(
      static_cast<double>(controller.small_chip->serial_baud) / bits_of_a_byte, clock / cycles_of_a_byte);
  const auto ticks = [&](double seconds) { return static_cast<chip::Tick>(std::ceil(seconds * clock)); };
  const double two_frames = 2.0 * int{chip::link_longest} / figures.bytes_per_second;
  figures.slack = ticks(planning_is_late);
  figures.lead = ticks(planning_is_late + delay + 1e-9 * static_cast<double>(link_most_waiting_ns) +
                       two_frames + chip_takes);
  figures.horizon = ticks(horizon);
  figures.reads = ticks(delay + chip_tells_in + two_frames);
  return figures;
}

double link_answers_in(const Controller& controller) {
  if (!controller.link || !controller.small_chip) return 0.0;
  const LinkFigures figures = link_figures(controller);
  return static_cast<double>(figures.reads + figures.lead) / controller.timer_clock.base().to_double();
}

}  // namespace cogstride
