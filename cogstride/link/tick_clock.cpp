#include "cogstride/link/tick_clock.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr std::int64_t second = 1'000'000'000;
constexpr std::size_t seconds_kept = 60;

}  // namespace

chip::Tick TickClock::whole(std::uint32_t tick) const {
  if (samples_.empty()) return tick;
  const chip::Tick last = samples_.back().tick;
  return last + static_cast<std::int32_t>(tick - static_cast<std::uint32_t>(last));
}

void TickClock::take(std::int64_t sent_ns, std::int64_t heard_ns, std::uint32_t tick) {
  const Sample sample{sent_ns + (heard_ns - sent_ns) / 2, (heard_ns - sent_ns + 1) / 2, whole(tick)};
  if (samples_.empty() || sample.ns - samples_.back().ns >= second) {
    samples_.push_back(sample);
  } else if (sample.within <= samples_.back().within) {
    // The second's best; it stays with its first, so that seconds end.
    Sample& now = samples_.back();
    if (samples_.size() == 1 || sample.ns - samples_[samples_.size() - 2].ns < 2 * second) now = sample;
  }
  if (samples_.size() > seconds_kept) samples_.pop_front();
  // How fast it goes: between those two that tell most.
  const Sample& last = samples_.back();
  double least = most_drift;
  for (const Sample& each : samples_) {
    if (last.ns - each.ns < second) continue;
    const double passed = static_cast<double>(last.ns - each.ns);
    const double off = static_cast<double>(last.within + each.within) / passed;
    if (off >= least) continue;
    least = off;
    rate_ = static_cast<double>(last.tick - each.tick) / passed;
  }
  rate_ = std::clamp(rate_, per_ns_ * (1.0 - most_drift), per_ns_ * (1.0 + most_drift));
  rate_off_ = least;
}

/// ns that it may be off by, at another instant.
double TickClock::spread(const Sample& sample, std::int64_t ns) const {
  return static_cast<double>(sample.within) + rate_off_ * std::abs(static_cast<double>(ns - sample.ns));
}

const TickClock::Sample& TickClock::best(std::int64_t ns) const {
  return *std::min_element(samples_.begin(), samples_.end(),
                           [&](const Sample& a, const Sample& b) { return spread(a, ns) < spread(b, ns); });
}

chip::Tick TickClock::at(std::int64_t ns) const {
  if (samples_.empty()) return 0;
  const Sample& from = best(ns);
  return from.tick + std::llround(rate_ * static_cast<double>(ns - from.ns));
}

chip::Tick TickClock::error(std::int64_t ns) const {
  if (samples_.empty()) return std::numeric_limits<chip::Tick>::max();
  return static_cast<chip::Tick>(std::ceil(spread(best(ns), ns) * rate_)) + 1;
}

std::int64_t TickClock::ns_of(chip::Tick tick) const {
  if (samples_.empty()) return 0;
  const Sample& last = samples_.back();
  const std::int64_t ns = last.ns + std::llround(static_cast<double>(tick - last.tick) / rate_);
  const Sample& from = best(ns);
  return from.ns + std::llround(static_cast<double>(tick - from.tick) / rate_);
}

}  // namespace cogstride
