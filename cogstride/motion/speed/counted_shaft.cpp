#include "cogstride/motion/speed/counted_shaft.hpp"

#include <algorithm>

namespace cogstride {
namespace {
constexpr double observer_bandwidth = 300.0;  // rad/s
}

CountedShaft::CountedShaft(const DutyAnswer& answer, double sign, double ticks_per_second)
    : observer_(answer, observer_bandwidth), sign_(sign), ticks_per_second_(ticks_per_second) {}

void CountedShaft::begin(chip::Tick now, std::int64_t count, double counts_per_second) {
  count_ = count;
  counted_at_ = looked_at_ = now;
  has_turned_ = false;
  observer_.begin(sign_ * static_cast<double>(count) + 0.5, sign_ * counts_per_second);
}

/// A count names the quarter of a line that lies above its lower edge, where counts run forwards.
void CountedShaft::look(chip::Tick now, const Counted& counted, double duty) {
  const double lower =
      sign_ > 0.0 ? static_cast<double>(counted.count) : -static_cast<double>(counted.count) - 1.0;
  observer_.predict(seconds(now - looked_at_), duty);
  looked_at_ = now;
  if (counted.count == count_) {
    observer_.confine(lower, lower + 1.0, seconds(now - counted_at_));
    return;
  }
  const int way = sign_ * static_cast<double>(counted.count - count_) > 0.0 ? 1 : -1;
  const double edge = way > 0 ? lower : lower + 1.0;
  if (has_turned_ && way == last_way_) {
    observer_.correct(edge, seconds(now - counted.at), seconds(counted.at - counted_at_));
  } else {  // where it was before, nobody knows
    observer_.begin(edge, way * std::max(0.0, way * observer_.speed()));
  }
  observer_.confine(lower, lower + 1.0, 0.0);
  has_turned_ = true;
  last_way_ = way;
  count_ = counted.count;
  counted_at_ = counted.at;
}

}  // namespace cogstride
