// From a timer's clock to a frequency: what its prescaler, its top value and its compare values must be, and
// what really comes of them.
//
//   auto found = timer_settings({48_MHz, 16, {1, 8, 64}}, 20_kHz, Alignment::edge);
//   found[0].counts;      // 2400, from bottom to top: the top value is one less
//   found[0].bits;        // 11.2: log2 of the duties that it can tell apart
//
// Counting up, a period is counts x prescaler ticks of the clock; counting up and down, twice that. A timer
// that is too narrow for a period can be let run over: then whole overflows are counted, 2^width counts each,
// and nothing between can be had.
#pragma once

#include <cstdint>
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
  std::int64_t counts = 1;     ///< from bottom to top; the top value is one less
  std::int64_t overflows = 0;  ///< that are counted for one period; 0: the period is one run of the counter
  Ratio frequency{};           ///< that comes, Hz: exact
  double error = 0.0;          ///< of it, as a share of what was asked; below 0: too slow
  double bits = 0.0;           ///< log2 of the duties from none to full that can be told apart, less one
};

/// The best setting of each prescaler that can come within a factor of two, the best first: the smallest
/// error, then without counting overflows, then the finest duty.
/// @param wanted  above 0
/// @throws RangeError when no setting comes near, with the frequencies between which there are some
[[nodiscard]] std::vector<TimerSetting> timer_settings(const TimerHardware& timer, ExactFrequency wanted,
                                                       Alignment alignment);

/// The setting with so many counts more or fewer (overflows, where those are counted): a neighbour.
[[nodiscard]] TimerSetting beside(const TimerHardware& timer, const TimerSetting& setting,
                                  ExactFrequency wanted, Alignment alignment, std::int64_t more);

/// Compare value of a duty: the counts of a period that a channel is on. Exactly 0 for none, and all counts
/// for full.
[[nodiscard]] std::int64_t compare_value(const TimerSetting& setting, double duty);

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
