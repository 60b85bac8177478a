// What an encoder says of a mechanism.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "cogstride/mechanism/output.hpp"

namespace cogstride {

/// What an encoder says of a mechanism.
struct Measured {
  std::string encoder{};
  std::int64_t count = 0;
  std::optional<OutputPosition> position{};  ///< of the output, exact by counts; nothing before homing
  double speed = 0.0;                        ///< of the output, m/s or turns/s
  double speed_error = 0.0;                  ///< that it may be off by at the most
};

}  // namespace cogstride
