// From a timer's clock to a frequency: what its prescaler, its top value and its compare values must be, and
// what really comes of them.
//
//   auto found = timer_settings({48_MHz, 16, {1, 8, 64}}, 20_kHz, Alignment::edge);
//   found[0].counts;      // 2400
//   top_value(found[0], Alignment::edge);   // 2399
//   found[0].bits;        // 11.2: log2 of the duties that it can tell apart
//
// Counting up from 0 to a top value and over again, a period is  prescaler x (top + 1) / clock;  counting up
// to it and down again,  2 x prescaler x top / clock.  A timer that is too narrow for a period can be let run
// over: then whole overflows are counted, 2^width counts each, and nothing between can be had.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct TimerHardware {
  ExactFrequency clock{};
  std::int64_t width = 16;                  ///< bits, 1 to 62
  std::vector<std::int64_t> prescalers{1};  ///< that can be set
};

struct TimerSetting {
  std::int64_t prescaler = 1;
  std::int64_t counts = 1;     ///< steps from bottom to top, by which duties are told
  std::int64_t overflows = 0;  ///< that are counted for one period; 0: the period is one run of the counter
  Ratio frequency{};           ///< that comes, Hz: exact
  double error = 0.0;          ///< of it, as a share of what was asked; below 0: too slow
  double bits = 0.0;           ///< log2 of the duties from none to full that can be told apart, less one
};

/// Prescalers that are tried where nobody says which there are: powers of two up to 1024.
[[nodiscard]] std::vector<std::int64_t> usual_prescalers();

/// The value at which the counter turns over, or round: counts - 1 counting up, counts counting up and down.
[[nodiscard]] inline std::int64_t top_value(const TimerSetting& setting, Alignment alignment) {
  return alignment == Alignment::edge ? setting.counts - 1 : setting.counts;
}

/// The value to compare with, for so many counts of on-time: counting up a channel is on while the counter is
/// below it; counting up and down it is on round the top, while the counter is at it or above.
[[nodiscard]] inline std::int64_t compared_with(const TimerSetting& setting, Alignment alignment,
                                                std::int64_t on) {
  return alignment == Alignment::edge ? on : setting.counts - on;
}

/// The best setting of each prescaler that can come within a factor of two, the best first: the smallest
/// error, then without counting overflows, then the finest duty.
/// @param wanted  above 0
/// @throws RangeError when no setting comes near, with the frequencies between which there are some
[[nodiscard]] std::vector<TimerSetting> timer_settings(const TimerHardware& timer, ExactFrequency wanted,
                                                       Alignment alignment);

/// The setting with so many counts more or fewer (overflows, where those are counted): a neighbour; nothing
/// where there is none.
[[nodiscard]] std::optional<TimerSetting> beside(const TimerHardware& timer, const TimerSetting& setting,
                                                 ExactFrequency wanted, Alignment alignment,
                                                 std::int64_t more);

/// Counts of a period that a channel is on for a duty. Exactly 0 for none, and all counts for full.
[[nodiscard]] std::int64_t compare_value(const TimerSetting& setting, double duty);

/// What a dead time leaves of a channel's on-time and of its complement's, s: each comes on so much later.
struct PairTimes {
  double on = 0.0;          ///< 0: it never comes on
  double complement = 0.0;  ///< the same of the other
};
/// @param on, period, dead  s
[[nodiscard]] PairTimes pair_times(double on, double period, double dead);

/// Counts by which a channel's period begins later than the first's: all at once, or spread evenly.
/// @param channel  0 to channels - 1
[[nodiscard]] std::int64_t phase_counts(const TimerSetting& setting, std::int64_t channel,
                                        std::int64_t channels, bool spread);

/// Duties that can be made in software, edge by edge, at a frequency, by a controller that makes so many
/// pulses a second with good timing: no level shorter than half the shortest period.
struct SoftwareDuty {
  bool fits = false;     ///< the frequency itself
  double lowest = 0.0;   ///< share, besides none
  double highest = 1.0;  ///< besides full
};
[[nodiscard]] SoftwareDuty software_duty(ExactFrequency top_rate, ExactFrequency wanted);

}  // namespace cogstride
