// From physical times to ticks of the controller's clock.
#pragma once

#include <cmath>
#include <cstdint>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// The least whole number of ticks that lasts at least `time`: protective times round up. A time that is
/// whole to within a millionth of a tick is taken as whole.
[[nodiscard]] inline std::int64_t ticks_at_least(Time time, ExactFrequency clock) {
  return static_cast<std::int64_t>(std::ceil(time.base() * clock.base().to_double() - 1e-6));
}

}  // namespace cogstride
