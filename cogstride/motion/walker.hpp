// What goes from step to step of an output and can stop at an edge: what homing asks for.
#pragma once

#include <cstdint>
#include <optional>

#include "cogstride/lines/lines.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

class Walker {
 public:
  virtual ~Walker() = default;

  [[nodiscard]] virtual bool is_on() const = 0;
  /// Its motor holds from now on; nothing moves before it is awake.
  virtual void switch_on(Lines& lines) = 0;
  /// From rest at made() to `target`. With `stop`, it ends at that edge, wherever it is; where that is to be
  /// on a ramp and its lines do not brake it by themselves, brake() has to be called then, as always.
  virtual void start(Lines& lines, std::int64_t target, const RampLimits& limits,
                     std::optional<StopOn> stop) = 0;
  /// Brakes to rest on a ramp, as soon as the lines allow.
  virtual void brake(Lines& lines, const RampLimits& limits) = 0;
  /// Takes note that the way has been ended by its StopOn.
  virtual void end_here(Lines& lines) = 0;

  [[nodiscard]] virtual bool is_busy() const = 0;
  /// The step that it stands on at an instant as planned, while busy.
  [[nodiscard]] virtual std::int64_t step_at(Tick at) const = 0;
  /// The step it stands on when not busy.
  [[nodiscard]] virtual std::int64_t made() const = 0;
  [[nodiscard]] virtual Tick next_act() const = 0;
  virtual void act(Lines& lines) = 0;
};

}  // namespace cogstride
