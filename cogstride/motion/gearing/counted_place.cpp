#include "cogstride/motion/gearing/counted_place.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double quiet_counts = 3.0;  // times the time that a count took, without one

}  // namespace

void CountedPlace::begin(Lines& lines) {
  if (is_read_) return;
  const Tick first = lines.now() + lines.lead();
  lines.sample(source_, first, period_);
  lines.sample(edge_source_, first, period_);
}

bool CountedPlace::take(Tick now, std::span<const Reading> readings) {
  if (index_) index_->take(readings);
  std::optional<std::int64_t> count;
  Tick counted_at = counted_at_;
  for (const Reading& reading : readings) {
    if (reading.source == source_) {
      count = reading.raw;
      reads_late_ = now - reading.at;
    }
    if (reading.source == edge_source_) counted_at = reading.raw;
  }
  if (!count) return false;
  if (looks_ < 2) ++looks_;
  const int way = !count_ || *count == *count_ ? way_ : *count > *count_ ? 1 : -1;
  const bool turned = way != way_;
  speed_.look(known_at(now), *count, counted_at);
  if (count_ && *count != *count_) {
    const double rate = std::abs(speed_.counts_per_second());
    interval_ = rate > 0.0 ? 1.0 / rate : 0.0;
    // After it turned round nothing is known of its speed but its way.
    if (turned) interval_ = 0.0;
  }
  way_ = way;
  count_ = count;
  counted_at_ = counted_at;
  return true;
}

double CountedPlace::speed(Tick now, Tick) const {
  const double quiet = seconds(known_at(now) - counted_at_);
  return quiet > quiet_counts * interval_ + late_ ? 0.0 : speed_.counts_per_second();
}

/// A count that went up is just passed, one that went down lies a whole count below where it was passed. The
/// next is not passed before it is counted.
double CountedPlace::beyond(Tick now, Tick at) const {
  const double rate = speed(now, at);
  if (rate == 0.0) return 0.0;
  const double since = std::abs(rate) * seconds(now - counted_at_);
  // What has been counted since then may not be known yet.
  const double part = std::min(since, 1.0 + std::abs(rate) * (late_ + seconds(reads_late_)));
  return (way_ > 0 ? part : 1.0 - part) + rate * seconds(at - now);
}

}  // namespace cogstride
