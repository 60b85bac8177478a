#include "cogstride/plan/timer_setting.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "cogstride/plan/timer_choice.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

std::int64_t ways(Alignment alignment) {
  return alignment == Alignment::centre ? 2 : 1;
}

/// Of an overflow.
std::int64_t whole_counts(const TimerHardware& timer) {
  return std::int64_t{1} << std::clamp<std::int64_t>(timer.width, 1, 62);
}
/// From bottom to a top value that it holds.
std::int64_t most_counts(const TimerHardware& timer, Alignment alignment) {
  return alignment == Alignment::edge ? whole_counts(timer) : whole_counts(timer) - 1;
}

TimerUnit unit_of(const TimerHardware& timer, std::int64_t prescaler) {
  TimerUnit unit;
  unit.width = timer.width;
  unit.prescaler = prescaler;
  return unit;
}

TimerSetting one_run(const TimerChoice& choice, std::int64_t prescaler) {
  return {prescaler,        choice.counts, 0,
          choice.frequency, choice.error,  std::log2(static_cast<double>(choice.counts))};
}

/// Whole overflows of the counter, the nearest number of them to a frequency unless it is said.
TimerSetting overflowing(const TimerHardware& timer, ExactFrequency wanted, Alignment alignment,
                         std::int64_t prescaler, std::optional<std::int64_t> overflows = {}) {
  // Seen from its overflows it is a slower timer whose count they are.
  const ExactFrequency slower =
      ExactFrequency::from_base(timer.clock.base() / (Ratio(prescaler) * Ratio(whole_counts(timer))));
  TimerUnit count;
  count.width = 31;
  const TimerChoice choice = overflows ? with_counts(slower, count, wanted, alignment, *overflows)
                                       : choose_counts(slower, count, wanted, alignment);
  return {prescaler,        whole_counts(timer), choice.counts,
          choice.frequency, choice.error,        std::log2(static_cast<double>(choice.counts))};
}

}  // namespace

std::vector<TimerSetting> timer_settings(const TimerHardware& timer, ExactFrequency wanted,
                                         Alignment alignment) {
  const std::int64_t most = most_counts(timer, alignment);
  std::vector<TimerSetting> found;
  double slowest = HUGE_VAL;
  double fastest = 0.0;
  for (const std::int64_t prescaler : timer.prescalers) {
    const double clock = timer.clock.base().to_double() / static_cast<double>(prescaler * ways(alignment));
    const double exact = clock / wanted.base().to_double();
    fastest = std::max(fastest, clock / 2.0);  // a duty needs two counts
    slowest = std::min(slowest, clock / static_cast<double>(most));
    const bool is_too_narrow = exact > static_cast<double>(most) * 1.0000001;
    TimerSetting best =
        is_too_narrow
            ? overflowing(timer, wanted, alignment, prescaler)
            : one_run(choose_counts(timer.clock, unit_of(timer, prescaler), wanted, alignment), prescaler);
    // One overflow is one run of the whole counter, which tells duties by its counts.
    if (best.overflows <= 1 && (is_too_narrow || best.counts > most))
      best = one_run(with_counts(timer.clock, unit_of(timer, prescaler), wanted, alignment, most), prescaler);
    const bool comes_near = best.error > -0.5 && best.error < 1.0 && (best.counts >= 2 || best.overflows > 0);
    if (comes_near) found.push_back(best);
  }
  if (found.empty())
    throw RangeError(fmt::format(
        "{:.6g} kHz cannot be had: this timer makes {:.4g} kHz to {:.4g} kHz in one run of its counter, and "
        "slower ones where whole overflows come near to them",
        wanted.base().to_double() / 1e3, slowest / 1e3, fastest / 1e3));
  std::stable_sort(found.begin(), found.end(), [](const TimerSetting& a, const TimerSetting& b) {
    if (std::abs(a.error) != std::abs(b.error)) return std::abs(a.error) < std::abs(b.error);
    if ((a.overflows > 0) != (b.overflows > 0)) return a.overflows == 0;  // nobody has to count
    return a.bits > b.bits;
  });
  return found;
}

std::vector<std::int64_t> usual_prescalers() {
  std::vector<std::int64_t> usual;
  for (std::int64_t prescaler = 1; prescaler <= 1024; prescaler *= 2) usual.push_back(prescaler);
  return usual;
}

PairTimes pair_times(double on, double period, double dead) {
  if (on <= 0.0) return {0.0, period};
  if (on >= period) return {period, 0.0};
  return {std::max(0.0, on - dead), std::max(0.0, period - on - dead)};
}

std::optional<TimerSetting> beside(const TimerHardware& timer, const TimerSetting& setting,
                                   ExactFrequency wanted, Alignment alignment, std::int64_t more) {
  if (setting.overflows > 0) {
    if (setting.overflows + more < 1) return std::nullopt;
    return overflowing(timer, wanted, alignment, setting.prescaler, setting.overflows + more);
  }
  const std::int64_t counts = setting.counts + more;
  if (counts < 1 || counts > most_counts(timer, alignment)) return std::nullopt;
  return one_run(with_counts(timer.clock, unit_of(timer, setting.prescaler), wanted, alignment, counts),
                 setting.prescaler);
}

std::int64_t compare_value(const TimerSetting& setting, double duty) {
  const std::int64_t all = setting.overflows > 0 ? setting.overflows : setting.counts;
  if (require_finite(duty, "a duty") >= 1.0) return all;
  if (!(duty > 0.0)) return 0;
  return std::llround(duty * static_cast<double>(all));
}

std::int64_t phase_counts(const TimerSetting& setting, std::int64_t channel, std::int64_t channels,
                          bool spread) {
  return spread && channels > 0 ? setting.counts * channel / channels : 0;
}

SoftwareDuty software_duty(ExactFrequency top_rate, ExactFrequency wanted) {
  const double share = wanted.base().to_double() / top_rate.base().to_double();
  if (share > 1.0) return {};
  return {true, share / 2.0, 1.0 - share / 2.0};
}

}  // namespace cogstride
