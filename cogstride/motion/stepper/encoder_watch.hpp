// Follows the encoder of one mechanism: where its output is by counts, how fast, and whether that is where
// its steps should have taken it.
#pragma once

#include <functional>
#include <optional>

#include "cogstride/motion/speed/count_speed.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"

namespace cogstride {

class EncoderWatch final : public Participant {
 public:
  EncoderWatch(StepperMover& mover, const Encoder& encoder, ExactFrequency clock);

  /// Told once when the output is not where its steps should have taken it, with the evidence.
  void on_loss(std::function<void(const std::string&)> listener) { listener_ = std::move(listener); }
  /// The mover stands, and its position is true: the count belongs to it.
  void set_by_mover();
  /// The lines were cut: asks for its counts again.
  void read_again() { asked_ = false; }

  [[nodiscard]] const StepperMover& mover() const { return mover_; }
  [[nodiscard]] const Encoder& encoder() const { return encoder_; }
  [[nodiscard]] std::int64_t count() const { return count_; }
  /// By counts, exact; nothing before homing.
  [[nodiscard]] std::optional<OutputPosition> position() const;
  /// Of the output, and what it may be off by; m/s or turns/s.
  [[nodiscard]] double speed() const { return speed_.counts_per_second() / counts_per_base_.to_double(); }
  [[nodiscard]] double speed_error() const { return speed_.error() / std::abs(counts_per_base_.to_double()); }

  [[nodiscard]] Tick next_act() const override { return asked_ ? never : 0; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  void compare(const Lines& lines);
  void compare_ways(const Lines& lines);
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
  std::function<void(const std::string&)> listener_;
};

}  // namespace cogstride
