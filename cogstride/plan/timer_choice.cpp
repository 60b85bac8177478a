#include "cogstride/plan/timer_choice.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

double counts_in_a_period(ExactFrequency clock, const TimerUnit& timer, ExactFrequency wanted,
                          Alignment alignment) {
  const double ways = alignment == Alignment::centre ? 2.0 : 1.0;
  return clock.base().to_double() / static_cast<double>(timer.prescaler) / ways / wanted.base().to_double();
}

}  // namespace

TimerChoice with_counts(ExactFrequency clock, const TimerUnit& timer, ExactFrequency wanted,
                        Alignment alignment, std::int64_t counts) {
  TimerChoice choice;
  const double most = std::ldexp(1.0, static_cast<int>(std::min<std::int64_t>(timer.width, 62)));
  choice.counts = std::max<std::int64_t>(1, counts);
  choice.fits = counts >= 1 && static_cast<double>(counts) <= most;
  const std::int64_t ways = alignment == Alignment::centre ? 2 : 1;
  choice.frequency = clock.base() / (Ratio(timer.prescaler) * Ratio(ways) * Ratio(choice.counts));
  choice.error = choice.frequency.to_double() / wanted.base().to_double() - 1.0;
  choice.duty_step = 1.0 / static_cast<double>(choice.counts);
  return choice;
}

TimerChoice choose_counts(ExactFrequency clock, const TimerUnit& timer, ExactFrequency wanted,
                          Alignment alignment) {
  const double exact = counts_in_a_period(clock, timer, wanted, alignment);
  const double most = std::ldexp(1.0, static_cast<int>(std::min<std::int64_t>(timer.width, 32)));
  const auto down = static_cast<std::int64_t>(std::floor(std::min(exact, most)));
  const TimerChoice fast = with_counts(clock, timer, wanted, alignment, down);
  const TimerChoice slow = with_counts(clock, timer, wanted, alignment, down + 1);
  TimerChoice choice = std::abs(fast.error) <= std::abs(slow.error) || !slow.fits ? fast : slow;
  choice.fits = exact < most + 0.5 && exact > 0.5;
  return choice;
}

}  // namespace cogstride
