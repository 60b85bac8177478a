#include "cogstride/plan/narrow_plan.hpp"

#include <fmt/format.h>

#include "cogstride/plan/run_fitter.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

chip::NarrowPulseRun narrow_run(const chip::PulseRun& run) {
  const std::int64_t unit = (run.flags & chip::run_slow) != 0 ? 16 : 1;
  return {static_cast<std::uint32_t>(static_cast<std::int64_t>(run.gap) / unit),
          static_cast<std::int32_t>(run.change / unit), static_cast<std::int16_t>(run.bend / unit),
          static_cast<std::uint8_t>(run.steps), run.flags};
}

std::vector<chip::NarrowPulseRun> narrow_plan(const Ramp& ramp, std::int64_t made, double ticks_per_second,
                                              double least_gap) {
  RunFitter fitter(ramp, made, {0, 0}, ticks_per_second, 1, narrow_runs);
  std::vector<chip::NarrowPulseRun> runs;
  chip::PulseRun wide{};
  chip::PulsePlayer<chip::PulseRun> player({0, 0});
  chip::Tick last = 0;
  while (fitter.next(wide)) {
    runs.push_back(narrow_run(wide));
    player.load(wide);
    while (player.left() > 0) {
      player.advance();
      if (static_cast<double>(player.tick() - last) < least_gap)
        throw RangeError(
            fmt::format("step {} comes {} ticks after the one before, and the chip needs {:.0f}: {:.4g} "
                        "steps/s are too many for it",
                        fitter.made(), player.tick() - last, least_gap,
                        ticks_per_second / static_cast<double>(player.tick() - last)));
      last = player.tick();
    }
  }
  if (!runs.empty()) runs.back().flags |= chip::run_ends;
  return runs;
}

std::vector<chip::Tick> played_ticks(const std::vector<chip::NarrowPulseRun>& runs) {
  std::vector<chip::Tick> ticks;
  chip::PulsePlayer<chip::PulseRun> player({0, 0});
  for (const chip::NarrowPulseRun& run : runs) {
    player.load(chip::wide_run(run));
    while (player.left() > 0) {
      player.advance();
      if (player.makes_pulses()) ticks.push_back(player.tick());
    }
  }
  return ticks;
}

}  // namespace cogstride
