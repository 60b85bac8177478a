#include "cogstride/plan/timer_setting.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

std::int64_t ways(Alignment alignment) {
  return alignment == Alignment::centre ? 2 : 1;
}

std::int64_t most_counts(const TimerHardware& timer) {
  return std::int64_t{1} << std::clamp<std::int64_t>(timer.width, 1, 62);
}

TimerSetting with(const TimerHardware& timer, ExactFrequency wanted, Alignment alignment,
                  std::int64_t prescaler, std::int64_t counts, std::int64_t overflows) {
  TimerSetting setting{prescaler, counts, overflows, {}, 0.0, 0.0};
  const Ratio periods = Ratio(std::max<std::int64_t>(1, overflows)) * Ratio(ways(alignment));
  setting.frequency = timer.clock.base() / (Ratio(prescaler) * Ratio(counts) * periods);
  setting.error = setting.frequency.to_double() / wanted.base().to_double() - 1.0;
  setting.bits = std::log2(static_cast<double>(overflows > 0 ? overflows : counts));
  return setting;
}

/// The whole number, at least 1 and at most `most`, that comes nearest in frequency.
template <class Make>
TimerSetting nearest(double exact, std::int64_t most, const Make& make) {
  const auto down =
      std::clamp<std::int64_t>(static_cast<std::int64_t>(std::floor(std::min(exact, 1e18))), 1, most);
  const TimerSetting low = make(down);
  const TimerSetting high = make(std::min(most, down + 1));
  return std::abs(low.error) <= std::abs(high.error) ? low : high;
}

}  // namespace

std::vector<TimerSetting> timer_settings(const TimerHardware& timer, ExactFrequency wanted,
                                         Alignment alignment) {
  const std::int64_t most = most_counts(timer);
  std::vector<TimerSetting> found;
  double slowest = HUGE_VAL;
  double fastest = 0.0;
  for (const std::int64_t prescaler : timer.prescalers) {
    const double clock = timer.clock.base().to_double() / static_cast<double>(prescaler * ways(alignment));
    const double exact = clock / wanted.base().to_double();
    fastest = std::max(fastest, clock / 2.0);  // a duty needs two counts
    slowest = std::min(slowest, clock / static_cast<double>(most));
    TimerSetting best = nearest(exact, most, [&](std::int64_t counts) {
      return with(timer, wanted, alignment, prescaler, counts, 0);
    });
    if (exact > static_cast<double>(most) * 1.0000001)
      best = nearest(exact / static_cast<double>(most), std::int64_t{1} << 31, [&](std::int64_t overflows) {
        return with(timer, wanted, alignment, prescaler, most, overflows);
      });
    const bool comes_near = best.error > -0.5 && best.error < 1.0 && (best.counts >= 2 || best.overflows > 0);
    if (comes_near) found.push_back(best);
  }
  if (found.empty())
    throw RangeError(fmt::format("{:.6g} kHz cannot be had: this timer makes {:.4g} kHz to {:.4g} kHz",
                                 wanted.base().to_double() / 1e3, slowest / 1e3, fastest / 1e3));
  std::stable_sort(found.begin(), found.end(), [](const TimerSetting& a, const TimerSetting& b) {
    if (std::abs(a.error) != std::abs(b.error)) return std::abs(a.error) < std::abs(b.error);
    if ((a.overflows > 0) != (b.overflows > 0)) return a.overflows == 0;  // nobody has to count
    return a.bits > b.bits;
  });
  return found;
}

TimerSetting beside(const TimerHardware& timer, const TimerSetting& setting, ExactFrequency wanted,
                    Alignment alignment, std::int64_t more) {
  if (setting.overflows > 0)
    return with(timer, wanted, alignment, setting.prescaler, setting.counts,
                std::max<std::int64_t>(1, setting.overflows + more));
  return with(timer, wanted, alignment, setting.prescaler,
              std::clamp<std::int64_t>(setting.counts + more, 1, most_counts(timer)), 0);
}

std::int64_t compare_value(const TimerSetting& setting, double duty) {
  const std::int64_t all = setting.overflows > 0 ? setting.overflows : setting.counts;
  if (duty >= 1.0) return all;
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
