// One who is told what is put on lines, as it is put: to record it.
#pragma once

#include <span>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class LinesWatch {
 public:
  virtual ~LinesWatch() = default;
  virtual void levels(Tick at, std::span<const Level> levels) = 0;
  virtual void runs(FineTick start, LineId line, std::span<const chip::PulseRun> runs) = 0;
  /// What a mechanism had put from then on is taken back.
  virtual void withdrawn(MechanismId mechanism, Tick from) = 0;
  /// All that was put from then on is dropped.
  virtual void cut(Tick at) = 0;
};

}  // namespace cogstride
