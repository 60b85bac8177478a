// How fast can this computer go? Steady trains of pulses on one line, faster and faster, until an edge is
// later than the bound.
#pragma once

#include <functional>

#include "cogstride/port/line_port.hpp"
#include "cogstride/quantity/quantity.hpp"
#include "cogstride/study/results/rate_result.hpp"

namespace cogstride {

struct RateOrder {
  ExactFrequency clock{};
  LineId line{};
  Time bound{};
  Time each{};            ///< that a trial lasts
  double lowest = 500.0;  ///< pulses a second to begin with
  double top = 1e6;       ///< where it ends in any case
  bool asks_for_real_time = true;
};

/// Doubles the rate while it holds, then halves what is between in ratio until a tenth is left. A rate that
/// fails is tried once more: a computer may be busy for a moment.
/// @param told  of each trial, as it ends. @throws PortGone
[[nodiscard]] RateResult measure_rate(LinePort& port, const RateOrder& order,
                                      const std::function<void(const RateTrial&)>& told = {});

}  // namespace cogstride
