// One who takes part in the run of a bench: says when it next wants to act, and is handed what was read
// since.
#pragma once

#include <span>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

class Participant {
 public:
  virtual ~Participant() = default;
  /// The tick at which it wants to act; a tick that has passed means at once, `never` means only on readings.
  [[nodiscard]] virtual Tick next_act() const = 0;
  /// Called at that tick, and whenever something was read.
  virtual void act(Lines& lines, std::span<const Reading> readings) = 0;
};

}  // namespace cogstride
