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
  InexactSpeed speed{};                      ///< of the output
  InexactSpeed speed_error{};                ///< that it may be off by at the most
};

}  // namespace cogstride
