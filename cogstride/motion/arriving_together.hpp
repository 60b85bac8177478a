// Moves of several movers that begin at one instant and end at one: those that would be early go gentler.
//
// Each waits in its mover's own queue. Once the turn of all of them has come, all are told when to begin and
// how long to take. One that is taken back before is not waited for.
#pragma once

#include <memory>
#include <utility>
#include <vector>

#include "cogstride/motion/mover.hpp"

namespace cogstride {

class ArrivingTogether final : public Participant {
 public:
  /// @param orders  each of another mover
  /// @throws RangeError when one is refused, cannot wait for others, or is named twice; nothing is queued
  /// then
  ArrivingTogether(Lines& lines, const std::vector<std::pair<Mover*, MoveOrder>>& orders);

  /// In the order of what was ordered.
  [[nodiscard]] std::vector<std::shared_ptr<MotionRecord>> records() const;
  /// Whether all has been told, or nothing of it is left to be told.
  [[nodiscard]] bool is_over() const;

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Member {
    Arrivals* mover;
    std::shared_ptr<MotionRecord> record;
  };
  std::vector<Member> members_;
  bool has_begun_ = false;
};

}  // namespace cogstride
