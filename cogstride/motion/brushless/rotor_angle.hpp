// What commutation goes by: the sector that a brushless motor's rotor is in, or its field is taken to be in.
#pragma once

#include <cstdint>
#include <string>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class RotorAngle {
 public:
  virtual ~RotorAngle() = default;
  [[nodiscard]] virtual bool is_known() const = 0;
  /// 0 to 5. @pre it is known
  [[nodiscard]] virtual int sector(Tick now) const = 0;
  /// Sixths of an electrical turn since it began, below 0 backwards, and when the last one was counted.
  [[nodiscard]] virtual std::int64_t count() const = 0;
  [[nodiscard]] virtual Tick counted_at() const = 0;
  /// Why nobody may go by it; empty: one may.
  [[nodiscard]] virtual std::string fault() const = 0;
};

}  // namespace cogstride
