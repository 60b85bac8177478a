// Motions of one mechanism that is driven by duty: a brushed motor behind an H-bridge. It is given a duty, or
// its encoder closes a loop that holds a speed (motion/speed/speed_hold.hpp).
//
// A new order takes the place of the one that is on, from the duty it has by then; it never jumps faster than
// its limits allow, and never drives the other way before the motor has had its pause. Where the mechanism
// has a shunt and a current limit, the duty is held back while the current is over it; where it has a probe
// and a highest rise, it stops with a fault when that is passed.
#pragma once

#include <functional>
#include <memory>
#include <optional>

#include "cogstride/board/h_bridge.hpp"
#include "cogstride/motion/brushed/brushed_feedback.hpp"
#include "cogstride/motion/brushed/current_hold_back.hpp"
#include "cogstride/motion/brushed/duty_record.hpp"
#include "cogstride/motion/duty_course.hpp"
#include "cogstride/motion/gearing/held_follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/speed/loop_orders.hpp"
#include "cogstride/motion/speed/run_down.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class DutyMover final : public Mover, public Places, public Speeds, public Duties, public Follows {
 public:
  static const MoverKind its_kind;

  /// @throws RangeError when it is no brushed motor behind an H-bridge
  DutyMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);
  /// The record ends when the duty is reached, or with `lasts` when it is back at none.
  /// @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> spin(Lines& lines, const DutyOrder& order) override;
  /// So much more duty the way it turns (less where `by` is below 0).
  /// @throws RangeError when it has none, or would have none left
  std::shared_ptr<MotionRecord> change(Lines& lines, Fraction by) override;
  /// The same duty the other way. @throws RangeError when it has none
  std::shared_ptr<MotionRecord> reverse(Lines& lines, std::optional<ExactTime> ramp) override;
  /// Down to none, and then what the rig says it slows by.
  std::shared_ptr<MotionRecord> stop(Lines& lines, std::optional<ExactTime> ramp) override;
  void stop(Lines& lines, Braking) override { stop(lines, std::nullopt); }
  /// To a speed that its encoder's counts hold; the record ends when what is wanted has come to it, or with
  /// `lasts` (from rest to rest) when it stands again.
  /// @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) override;
  /// So much faster the way it is held to turn (slower where `by` is below 0). @throws RangeError as above
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) override;
  std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) override { return reverse(lines, std::nullopt); }
  /// To a place by its encoder, on a ramp; it is held there until told otherwise. Places count from where it
  /// stood when the lines were opened, and are reached within a count of the encoder.
  /// @throws RangeError when it has no encoder, or it is refused; what is on goes on
  std::shared_ptr<MotionRecord> move(Lines& lines, const MoveOrder& order) override;
  [[nodiscard]] std::optional<OutputPosition> position(Tick now) const override;
  [[nodiscard]] Follower follower() const override;
  /// By its encoder. @throws RangeError as move()
  std::shared_ptr<MotionRecord> follow(Lines& lines, std::unique_ptr<Follow> follow,
                                       std::string what) override;
  [[nodiscard]] Follow* following() override { return follows_.following(); }
  void let_go(Lines& lines) override;
  /// The same to a count of its encoder, as one wheel of a pair, which tells of the way by itself.
  /// @param speed @param acceleration  of the output, the most on the way
  std::shared_ptr<MotionRecord> move_as_wheel(Lines& lines, std::int64_t target, double speed,
                                              double acceleration);
  /// At a speed of its output from now on, as one wheel of a pair; 0: it comes to rest. @param acceleration
  /// on the way there
  std::shared_ptr<MotionRecord> roll_as_wheel(Lines& lines, double speed, double acceleration);
  /// What is wanted goes on with a share of its speed.
  void set_pace(Tick now, double pace) {
    if (holds_) hold_->set_pace(now, pace);
  }
  void leave_count_unwatched() override { watches_count_ = false; }
  /// Counts for a metre or a turn of its output, below 0 where they run backwards. @throws RangeError when it
  /// has no encoder
  [[nodiscard]] double feedback_counts_per_base() const;
  /// Whether its encoder closes a loop now.
  [[nodiscard]] bool holds_speed() const { return holds_; }
  /// What can be held. @throws RangeError when it has no encoder
  [[nodiscard]] const SpeedHold& speed_hold() const;

  /// No drive, at once: shorted, or let go. @throws RangeError when it cannot be let go
  void let(Lines& lines, SlowsBy how) override;

  /// All lines were put at rest.
  void lines_were_cut(Lines& lines, const Why& why) override;
  /// Down as steeply as it may; what is on ends as faulted.
  void halt(Lines& lines, const Why& why) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return &mechanism_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return driver_.line_setups(); }
  [[nodiscard]] std::vector<PwmSetup> pwm_setups() const override { return {driver_.pwm_setup()}; }
  [[nodiscard]] std::vector<LoopSetup> loop_setups() const override {
    return loop_ ? std::vector{loop_->setup()} : std::vector<LoopSetup>{};
  }
  [[nodiscard]] Places* places() override { return hold_ ? this : nullptr; }
  [[nodiscard]] Speeds* speeds() override { return hold_ ? this : nullptr; }
  [[nodiscard]] Duties* duties() override { return this; }
  [[nodiscard]] Follows* follows() override { return hold_ ? this : nullptr; }
  [[nodiscard]] bool reads(const Encoder& encoder) const override {
    return feedback_.encoder() != nullptr && feedback_.encoder()->line_a == encoder.line_a;
  }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::optional<std::int64_t> counted(Tick) const override { return feedback().count(); }
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool has_ended() const override { return !course_.is_on_its_way() && !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick now) const override { return duty(now) != 0.0; }

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const BridgeDriver& driver() const { return driver_; }
  [[nodiscard]] const DutyLimits& limits() const { return course_.limits(); }
  /// The duty that is asked for at an instant; -1 to 1.
  [[nodiscard]] double duty(Tick now) const;
  /// The highest so far, by size, and for how long there was one, s.
  [[nodiscard]] double highest_duty() const { return driven_.highest(); }
  [[nodiscard]] double driven_seconds() const { return seconds(driven_.driven()); }
  /// Since its lines were cut, from the speed that its duty should have given it.
  [[nodiscard]] const RunDown& run_down() const { return run_down_; }
  /// What of it is let through: below 1 while the current is over its limit.
  [[nodiscard]] double let_through() const { return hold_back_.share(); }
  /// s, for which less was let through.
  [[nodiscard]] double held_back(Tick now) const {
    return seconds(held_back_ + (held_back_since_ == never ? 0 : now - held_back_since_));
  }
  /// What its sensors say.
  [[nodiscard]] const BrushedFeedback& feedback() const { return feedback_; }

  [[nodiscard]] Tick next_act() const override {
    const Tick tells = loop_ && holds_ ? loop_->next_tell() : never;
    return std::min({next_put_, tells, follows_.next_look(), feedback_.is_asked() ? never : 0});
  }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  std::shared_ptr<MotionRecord> begin(Lines& lines, double to, std::optional<double> ramp,
                                      std::optional<double> holds_for, std::string what);
  std::shared_ptr<MotionRecord> hold_from_now(Lines& lines, double speed, std::optional<double> acceleration,
                                              std::string what);
  std::shared_ptr<MotionRecord> begin_holding(Lines& lines, double speed, std::optional<double> acceleration,
                                              std::string what);
  void require_no_obstacle(bool drives) const;
  /// @throws RangeError when it has no encoder, or these lines are too slow for its loop
  void require_loop(const Lines& lines);
  /// As a number, m/s2 or turns/s2. @throws RangeError when it cannot be had
  [[nodiscard]] std::optional<double> required(const std::optional<OutputAcceleration>& acceleration) const;
  // When what is told now comes to be wanted: something else, or that the loop holds at all.
  Tick want_anew(const Lines& lines);
  Tick close_loop(const Lines& lines);
  void look_at_held(Lines& lines);
  /// What is wanted now goes to whoever closes the loop, where that is not done here.
  void tell_loop(Lines& lines) {
    if (loop_ && holds_) loop_->tell(lines, *hold_, hold_back_.share(), hold_->take_changed());
  }
  /// From when on what is put is heeded: the loop may still have its lines.
  void end_holding(Lines& lines);
  void put(Lines& lines);
  void piece_is_over(Lines& lines);
  void read(Lines& lines, std::span<const Reading> readings);
  void watch_count(Tick now, bool has_counted);
  /// Of a duty, what surely comes to the motor, its bridge coasting between too.
  [[nodiscard]] double sure_drive(double duty) const;
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }

  Mechanism mechanism_;
  BridgeDriver driver_;
  double ticks_per_second_;
  DutyCourse course_;
  Tick stride_;  // from one duty of a ramp to the next
  RunDown run_down_;
  DutyRecord driven_{};
  BrushedFeedback feedback_;
  CurrentHoldBack hold_back_;
  Tick held_back_ = 0;
  Tick held_back_since_ = never;
  Tick next_put_ = never;

  std::optional<SpeedHold> hold_{};
  std::optional<LoopOrders> loop_{};  // where whoever plays the lines closes it
  Tick free_at_ = 0;                  // its lines, of that
  double yielded_ = 0.0;              // counts, by what it said last
  HeldFollow follows_{};
  bool holds_ = false;
  std::optional<OutputPosition> stands_at_{};  // by the last move, exactly
  Tick held_until_ = never;                    // when it begins to stop by itself
  std::optional<double> held_acceleration_{};  // that was asked for
  bool stops_ = false;                         // the loop takes it to rest, and lets go there

  bool watches_count_ = true;
  Tick quiet_since_ = 0;  // driven by duty, without a count
};

}  // namespace cogstride
