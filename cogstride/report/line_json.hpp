// A line of a controller for programs: its number, or the name of a pin.
#pragma once

#include <nlohmann/json.hpp>

#include "cogstride/mechanism/line_name.hpp"

namespace cogstride {

[[nodiscard]] inline nlohmann::ordered_json line_json(std::int64_t line) {
  if (pin_of(line)) return line_name(line);
  return line;
}

}  // namespace cogstride
