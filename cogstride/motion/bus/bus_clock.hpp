// What a controller says on its bus beside what it tells each drive: common instants, and that it lives.
#pragma once

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class BusClock final : public Participant {
 public:
  /// @param controller  has a bus
  explicit BusClock(const Controller& controller);
  [[nodiscard]] Tick next_act() const override { return next_act_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  Tick cycle_;
  Tick beat_;
  int id_;
  Tick put_until_ = 0;
  Tick beats_at_ = 0;
  Tick next_act_ = 0;
};

/// Frames of a common instant are put so long before it, beyond the lead of the lines: half a cycle.
[[nodiscard]] constexpr Tick frames_before(Tick cycle) {
  return cycle / 2;
}

}  // namespace cogstride
