// Follows the encoder beside a motor whose Hall sensors close its loop: whether it counts what they do.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <utility>

#include "cogstride/motion/brushless/six_step_mover.hpp"

namespace cogstride {

class BesideWatch final : public CountCheck {
 public:
  BesideWatch(const SixStepMover& mover, const Encoder& encoder, ExactFrequency clock);

  void read_again() override { asked_ = false; }

  [[nodiscard]] Tick next_act() const override { return asked_ ? never : 0; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  const SixStepMover& mover_;
  Encoder encoder_;
  double counts_per_base_;
  Tick period_;
  double allowed_;  // between the two, m or turns
  bool asked_ = false;
  std::optional<std::pair<std::int64_t, std::int64_t>> from_{};  // count and row
};

}  // namespace cogstride
