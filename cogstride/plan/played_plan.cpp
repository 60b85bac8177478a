#include "cogstride/plan/played_plan.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "cogstride/plan/run_fitter.hpp"

namespace cogstride {

PlayedPlan play_plan(const MovePlan& plan, ExactFrequency clock, std::int64_t grain) {
  const double ticks_per_second = clock.base().to_double();
  constexpr chip::Tick none = std::numeric_limits<chip::Tick>::max();
  PlayedPlan played;
  RunFitter fitter(plan.ramp, plan.from_step, {0, 0}, ticks_per_second, grain);
  StepTimes times(plan.ramp, plan.from_step);
  chip::PulsePlayer<chip::PulseRun> player({0, 0});
  chip::PulseRun run{};
  std::array<double, 512> block{};
  std::size_t have = 0;
  std::size_t used = 0;
  chip::Tick last = 0;
  chip::Tick shortest = none;
  while (fitter.next(run)) {
    ++played.runs;
    player.load(run);
    while (player.left() > 0) {
      player.advance();
      if (!player.makes_pulses()) continue;
      if (used == have) {
        have = times.fill(block);
        used = 0;
      }
      const double exact = block[used++];
      played.worst_error_ticks = std::max(
          played.worst_error_ticks, std::abs(static_cast<double>(player.tick()) - exact * ticks_per_second));
      if (played.pulses == 0) {
        played.first_pulse = exact;
      } else {
        shortest = std::min(shortest, player.tick() - last);
      }
      last = player.tick();
      ++played.pulses;
    }
  }
  if (shortest != none) played.shortest_interval = static_cast<double>(shortest) / ticks_per_second;
  return played;
}

}  // namespace cogstride
