// Follows a knob: its analogue input, read and taken the mean of, as a share of its travel.
#pragma once

#include "cogstride/motion/participant.hpp"
#include "cogstride/plan/knob.hpp"

namespace cogstride {

class Knob final : public Participant {
 public:
  /// @throws RangeError when the controller has no analogue inputs, or the range of the knob is none
  Knob(const HandControl& hand, const Controller& controller);

  [[nodiscard]] const HandControl& hand() const { return hand_; }
  /// Of its travel, 0 to 100 %; of one with a centre -100 % to 100 %; none until it has been read.
  [[nodiscard]] Fraction share() const { return Fraction::from_base(share_); }
  [[nodiscard]] bool is_known() const { return means_ > 0; }
  /// The share, once it is known.
  [[nodiscard]] std::optional<double> known_share() const {
    return is_known() ? std::optional(share_) : std::nullopt;
  }
  /// The lines were cut: it is asked for again.
  void read_again() { asked_ = false; }

  [[nodiscard]] Tick next_act() const override { return asked_ ? never : 0; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  HandControl hand_;
  KnobScale scale_;
  SourceId source_;
  double volts_per_code_;
  Tick between_;
  bool asked_ = false;
  double sum_ = 0.0;
  int codes_ = 0;
  std::int64_t means_ = 0;
  double share_ = 0.0;
};

}  // namespace cogstride
