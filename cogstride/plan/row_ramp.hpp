// Rows of a commutation by time: from a rate evenly to another, and on with that.
#pragma once

#include <algorithm>
#include <cmath>

namespace cogstride {

struct RowRamp {
  double begins = 0.0;  ///< s after aligning
  double rows = 0.0;    ///< by then
  double from = 0.0;    ///< rows/s
  double slope = 0.0;   ///< rows/s2, by size
  double to = 0.0;      ///< rows/s

  [[nodiscard]] double lasts() const { return slope > 0.0 ? std::abs(to - from) / slope : 0.0; }
  [[nodiscard]] double signed_slope() const { return to < from ? -slope : slope; }
  [[nodiscard]] double rate_at(double seconds) const {
    const double since = seconds - begins;
    return since >= lasts() ? to : from + signed_slope() * since;
  }
  [[nodiscard]] double rows_at(double seconds) const {
    const double since = seconds - begins;
    const double on_ramp = std::min(since, lasts());
    return rows + from * on_ramp + 0.5 * signed_slope() * on_ramp * on_ramp + to * (since - on_ramp);
  }
  /// s after aligning at which so many rows are made.
  [[nodiscard]] double made_at(double wanted) const {
    const double missing = wanted - rows;
    const double on_ramp = 0.5 * (from + to) * lasts();
    if (missing >= on_ramp) return begins + lasts() + (missing - on_ramp) / to;
    // The lesser root of from t + a t^2 / 2, in the form that loses no digits.
    const double root = std::sqrt(std::max(0.0, from * from + 2.0 * signed_slope() * missing));
    return begins + 2.0 * missing / (from + root);
  }
};

}  // namespace cogstride
