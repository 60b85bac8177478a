// Runs of a chip's tables put together: silence between two, a little of it before a first step.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"

namespace cogstride {

/// Ticks that a run has at the least, so that the one behind it can be begun in time.
inline constexpr std::int64_t soonest_run = 800;

/// Ticks with their fraction, 2^-16.
[[nodiscard]] std::int64_t fine(chip::FineTick at);

/// Lets time pass without a pulse. @param fine_ticks  2^-16 ticks
void add_silence(std::vector<chip::NarrowPulseRun>& runs, std::int64_t fine_ticks);
/// A run with a little silence before its first step. @param silence  2^-16 ticks, below twice soonest_run
void add_late(std::vector<chip::NarrowPulseRun>& runs, chip::NarrowPulseRun run, std::int64_t silence);

/// A run that begins after a pause: the silence before it, and itself, a first step that comes soon after its
/// start with some of that. Either may be begun in time. @param pause  2^-16 ticks, 0 or more
struct Begun {
  std::vector<chip::NarrowPulseRun> silence{};
  std::vector<chip::NarrowPulseRun> runs{};
};
[[nodiscard]] Begun begun_after(const chip::NarrowPulseRun& run, std::int64_t pause);

/// Ticks that a run lasts.
[[nodiscard]] double ticks_of(const chip::NarrowPulseRun& run);
[[nodiscard]] bool same(const chip::NarrowPulseRun& a, const chip::NarrowPulseRun& b);

}  // namespace cogstride
