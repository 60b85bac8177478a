#include "cogstride/bench/live/line_port.hpp"

#include <fmt/format.h>

namespace cogstride {

void LinePort::write_duty(LineId line, std::int64_t) {
  throw RangeError(
      fmt::format("line {} is a plain line: no hardware makes its duty", static_cast<int>(line)));
}

}  // namespace cogstride
