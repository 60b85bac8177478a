// Follows the encoder of one mechanism: where its output is by counts, how fast, and whether that is where
// its steps should have taken it.
#pragma once

#include <functional>
#include <optional>

#include "cogstride/motion/speed/count_speed.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"

namespace cogstride {

class EncoderWatch final : public CountCheck {
 public:
  /// @param period  ticks between two looks
  EncoderWatch(StepperMover& mover, const Encoder& encoder, ExactFrequency clock, Tick period);

  void mover_is_zeroed() override;
  void read_again() override { asked_ = false; }
  [[nodiscard]] std::optional<Measured> measured() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return Measured{encoder_.name, count_, position(), {kind, speed()}, {kind, speed_error()}};
  }

  /// By counts, exact; nothing before homing.
  [[nodiscard]] std::optional<OutputPosition> position() const;
  /// Of the output, and what it may be off by; m/s or turns/s.
  [[nodiscard]] double speed() const { return speed_.counts_per_second() / counts_per_base_.to_double(); }
  [[nodiscard]] double speed_error() const { return speed_.error() / std::abs(counts_per_base_.to_double()); }

  [[nodiscard]] Tick next_act() const override { return asked_ ? never : 0; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  void compare(Tick at);
  void compare_ways(Tick at);
  void tell(const std::string& why);

  StepperMover& mover_;
  Encoder encoder_;
  Ratio counts_per_base_;
  Tick period_;
  double allowed_;  // between counted and stepped position, m or turns
  CountSpeed speed_;
  bool asked_ = false;
  bool told_ = false;
  std::int64_t count_ = 0;
  std::optional<std::int64_t> reference_count_;
  OutputPosition reference_{};
  /// Before the zero is found: count and step from which both have gone the same way.
  std::optional<std::pair<std::int64_t, std::int64_t>> both_from_{};
};

}  // namespace cogstride
