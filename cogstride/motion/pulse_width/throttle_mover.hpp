// Motions of a motor behind a speed controller: arming, and throttles on slopes.
//
// Before it is armed it gets nothing but the pulses of its arming stages, and after every stop the pulse of
// no throttle. Without pulses (a release, a cut) the speed controller lets its motor go and wants to be armed
// again.
#pragma once

#include "cogstride/motion/duty_course.hpp"
#include "cogstride/motion/pulse_width/pulse_width_mover.hpp"

namespace cogstride {

/// What a throttle may be and how fast it may change. @throws RangeError for a mechanism of another kind
[[nodiscard]] DutyLimits throttle_limits(const Mechanism& mechanism);

/// s that arming takes, with the frames that make sure of each stage; 0 where there is nothing to arm.
[[nodiscard]] double arming_seconds(const Mechanism& mechanism);

class ThrottleMover final : public PulseWidthMover, public Duties, public Arming {
 public:
  static const MoverKind its_kind;

  /// @throws RangeError when it is no motor behind a speed controller
  ThrottleMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// The stages of the rig, one after the other, and then no throttle. @throws RangeError when it is armed
  std::shared_ptr<MotionRecord> arm(Lines& lines) override;
  [[nodiscard]] bool is_armed() const override { return is_armed_; }
  /// The record ends when the throttle is reached, or with `lasts` when it is back at none.
  /// @throws RangeError when it is not armed or refused; what is on goes on
  std::shared_ptr<MotionRecord> spin(Lines& lines, const DutyOrder& order) override;
  /// So much more the way it turns (less where `by` is below 0). @throws RangeError as above
  std::shared_ptr<MotionRecord> change(Lines& lines, Fraction by) override;
  std::shared_ptr<MotionRecord> reverse(Lines& lines, std::optional<ExactTime> ramp) override;
  /// Down to none, where it stays: the pulse of no throttle.
  std::shared_ptr<MotionRecord> stop(Lines& lines, std::optional<ExactTime> ramp) override;
  void stop(Lines& lines, Braking) override { stop(lines, std::nullopt); }
  /// @throws RangeError: a speed controller slows its motor in its own way
  void let(Lines& lines, SlowsBy how) override;
  void halt(Lines& lines, const Why& why) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] Duties* duties() override { return this; }
  [[nodiscard]] Arming* arming() override { return this; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool is_driven(Tick now) const override { return throttle_at(now) != 0.0; }

  /// The throttle that is asked for, -1 to 1.
  [[nodiscard]] double throttle_at(Tick now) const { return course_.at(now); }
  [[nodiscard]] const DutyLimits& limits() const { return course_.limits(); }

 private:
  [[nodiscard]] double share_at(Tick at) const override;
  bool frame_is_put(Tick now, Tick begins) override;
  void has_lost_pulses() override;
  std::shared_ptr<MotionRecord> begin(Lines& lines, double to, std::optional<double> ramp,
                                      std::optional<double> holds_for, std::string what);
  void require_armed() const;

  DutyCourse course_;
  bool is_armed_ = false;
  std::optional<std::size_t> stage_{};  // of arming
  Tick stage_ends_ = 0;
  Tick turned_until_ = -never;  // when it was last driven, and which way
  int turned_way_ = 0;
};

}  // namespace cogstride
