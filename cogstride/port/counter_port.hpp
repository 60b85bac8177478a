// Hardware of this computer that counts the edges of encoders by itself, and says how far it has counted when
// it is asked.
#pragma once

#include <cstdint>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

/// Where a counter stands.
struct PortCount {
  std::int64_t count = 0;  ///< since it was opened; four to a line of the encoder
  std::int64_t changed_ns =
      0;  ///< when it came to that, on the port's clock, as well as the hardware tells it
};

class CounterPort {
 public:
  virtual ~CounterPort() = default;
  /// Whether it counts the encoder with that line A.
  [[nodiscard]] virtual bool has(LineId line_a) const = 0;
  /// Whether the hardware tells when it changed; else that is taken to be in the middle between two readings.
  [[nodiscard]] virtual bool tells_times(LineId line_a) const = 0;
  /// @return at once. @throws PortGone
  [[nodiscard]] virtual PortCount read(LineId line_a) = 0;
};

}  // namespace cogstride
