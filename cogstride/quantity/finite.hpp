// Refuses what is no number, or has no end, before it becomes a pulse.
#pragma once

#include <cmath>
#include <string>
#include <string_view>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

/// @return value  @throws RangeError when it is not a number, or is infinite
inline double require_finite(double value, std::string_view what) {
  if (std::isfinite(value)) return value;
  const char* const found = std::isnan(value) ? "not a number" : value > 0.0 ? "infinity" : "minus infinity";
  throw RangeError(std::string(what) + ": found " + found);
}

}  // namespace cogstride
