// Motions of a hobby servo: swings from angle to angle within its limits, pulse by pulse.
//
// Nobody knows where a servo stands before its first pulse: it goes to the first angle as fast as it can.
// From then on the angle that is asked for goes on a ramp. A servo says nothing back: a swing counts as done
// when it must have come there by its own speed.
#pragma once

#include <algorithm>

#include "cogstride/motion/pulse_width/pulse_width_mover.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class ServoMover final : public PulseWidthMover, public Places {
 public:
  static const MoverKind its_kind;

  /// @throws RangeError when it is no hobby servo
  ServoMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// A new swing takes the place of the one that is on, from where it is by then and as fast as it is.
  /// @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> swing(Lines& lines, const MoveOrder& order);
  std::shared_ptr<MotionRecord> move(Lines& lines, const MoveOrder& order) override;
  /// Brakes, and holds where it comes to rest.
  std::shared_ptr<MotionRecord> stop(Lines& lines);
  void stop(Lines& lines, Braking) override { stop(lines); }
  void halt(Lines& lines, const Why& why) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] Places* places() override { return this; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] Tick next_act() const override { return std::min(PulseWidthMover::next_act(), ends_at_); }
  void act(Lines& lines, std::span<const Reading> readings) override;
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool is_driven(Tick) const override { return !has_ended(); }

  /// Where it was sent; exact. Nothing before its first swing and after a release.
  [[nodiscard]] std::optional<OutputPosition> position() const { return goes_to_; }
  [[nodiscard]] std::optional<OutputPosition> position(Tick) const override { return goes_to_; }

 private:
  [[nodiscard]] double share_at(Tick at) const override;
  bool frame_is_put(Tick now, Tick begins) override;
  void has_lost_pulses() override { goes_to_.reset(); }
  void go(Tick now, const Ramp& ramp, OutputPosition to, double settles);
  void brake(Lines& lines);

  OutputPosition swing_;
  std::optional<OutputPosition> goes_to_{};
  Ramp ramp_{};
  RampLimits limits_{};
  Tick began_ = 0;
  Tick ramp_ends_ = 0;
  Tick done_at_ = never;
  Tick ends_at_ = never;  // of a swing in a time
};

/// Of a swing's ramp, in ten-millionths of a turn or metre a second. @throws RangeError when an order exceeds
/// the mechanism's limits, or the servo's own speed
[[nodiscard]] RampLimits swing_limits(const Mechanism& mechanism, const std::optional<OutputSpeed>& speed,
                                      const std::optional<OutputAcceleration>& acceleration);

/// s that a swing takes, from rest to rest, until it must have come there; from nowhere known: the whole
/// swing at its own speed. @throws RangeError as above
[[nodiscard]] double swing_seconds(const Mechanism& mechanism, const std::optional<OutputPosition>& from,
                                   OutputPosition to, const MoveOrder& order);

}  // namespace cogstride
