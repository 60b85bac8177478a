#include "cogstride/plan/run_shapes.hpp"

#include <algorithm>

namespace cogstride {

using chip::NarrowPulseRun;

std::int64_t fine(chip::FineTick at) {
  return at.tick * 65536 + at.fraction;
}

void add_silence(std::vector<NarrowPulseRun>& runs, std::int64_t fine_ticks) {
  if (fine_ticks <= 0) return;
  constexpr std::int64_t longest = 60'000;
  const std::int64_t whole = fine_ticks / 65536;
  if (whole <= longest) {
    runs.push_back({static_cast<std::uint32_t>(fine_ticks), 0, 0, 1, chip::run_silent});
    return;
  }
  std::int64_t parts = (whole + longest - 1) / longest;
  const std::int64_t each = whole / parts;
  std::int64_t left = fine_ticks;
  for (--parts; parts > 0;) {
    const std::int64_t together = std::min<std::int64_t>(parts, 255);
    runs.push_back({static_cast<std::uint32_t>(each << 16), 0, 0, static_cast<std::uint8_t>(together),
                    chip::run_silent});
    left -= together * (each << 16);
    parts -= together;
  }
  runs.push_back({static_cast<std::uint32_t>(left), 0, 0, 1, chip::run_silent});
}

void add_late(std::vector<NarrowPulseRun>& runs, NarrowPulseRun run, std::int64_t silence) {
  const bool is_slow = (run.flags & chip::run_slow) != 0;
  const std::int64_t gap = std::int64_t{run.gap} * (is_slow ? 16 : 1) + silence;
  const auto flags =
      static_cast<std::uint8_t>(run.steps > 1 ? run.flags & ~unsigned{chip::run_ends} : run.flags);
  // What is longer than a turn of the timer is a slow one.
  if (is_slow || gap > std::int64_t{UINT32_MAX})
    runs.push_back(
        {static_cast<std::uint32_t>(gap / 16), 0, 0, 1, static_cast<std::uint8_t>(flags | chip::run_slow)});
  else
    runs.push_back({static_cast<std::uint32_t>(gap), 0, 0, 1, flags});
  if (run.steps == 1) return;
  run.gap = static_cast<std::uint32_t>(run.gap + run.change);
  run.change += run.bend;
  --run.steps;
  runs.push_back(run);
}

Begun begun_after(const NarrowPulseRun& run, std::int64_t pause) {
  constexpr std::int64_t soonest = soonest_run * 65536;
  Begun begun;
  if (pause <= 0) {
    begun.runs.push_back(run);
    return begun;
  }
  const std::int64_t first = std::int64_t{run.gap} * ((run.flags & chip::run_slow) != 0 ? 16 : 1);
  const std::int64_t late = std::max<std::int64_t>(0, soonest - first);
  if (pause - late < soonest) {
    add_late(begun.runs, run, pause);
    return begun;
  }
  add_silence(begun.silence, pause - late);
  if (late > 0)
    add_late(begun.runs, run, late);
  else
    begun.runs.push_back(run);
  return begun;
}

double ticks_of(const NarrowPulseRun& run) {
  const double unit = (run.flags & chip::run_slow) != 0 ? 16.0 / 65536.0 : 1.0 / 65536.0;
  const double n = run.steps;
  return unit * (n * run.gap + n * (n - 1.0) / 2.0 * run.change + n * (n - 1.0) * (n - 2.0) / 6.0 * run.bend);
}

bool same(const NarrowPulseRun& a, const NarrowPulseRun& b) {
  return a.gap == b.gap && a.change == b.change && a.bend == b.bend && a.steps == b.steps &&
         a.flags == b.flags;
}

}  // namespace cogstride
