// Motions of one stepper mechanism: queued in order, carried out on its lines.
//
// Its commanded position is an exact fraction of a metre or turn, and its steps are that position's rounded
// image: a thousand moves of 0.07 mm end at exactly 70 mm.
#pragma once

#include <memory>
#include <optional>
#include <variant>

#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/stepper/homing_sequence.hpp"
#include "cogstride/motion/stepper/motion_queue.hpp"
#include "cogstride/motion/stepper/step_stream.hpp"

namespace cogstride {

class StepperMover final : public Mover,
                           public Places,
                           public Redirects,
                           public Arrivals,
                           public Speeds,
                           public Zeroed,
                           public Follows,
                           public Commanded {
 public:
  static const MoverKind its_kind;
  StepperMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// Where switches, supplies and stops are read; must outlive it.
  void watch(const Inputs& inputs) override { inputs_ = &inputs; }

  /// Queues a homing. @throws RangeError when the mechanism cannot be homed.
  std::shared_ptr<MotionRecord> home() override;
  /// Queues a trip to the switch at the other end, slowly for its edge: it must lie where the rig says, else
  /// the motion ends as faulted. It stands at that end of the travel afterwards. @throws RangeError when
  /// there are no two switches, or no position is known
  std::shared_ptr<MotionRecord> measure() override;
  /// What measure() found last: the travel between the two switches' edges.
  [[nodiscard]] std::optional<OutputPosition> measured_travel() const { return measured_travel_; }
  /// Queues a motion towards an end, by hand: to the soft limit, or past it to the hard end. @param way +1 or
  /// -1
  /// @throws RangeError as move(), or when it stands there already
  std::shared_ptr<MotionRecord> jog(Lines& lines, int way, const OutputSpeed& speed,
                                    bool past_limits) override;
  std::shared_ptr<MotionRecord> nudge(Lines& lines, const OutputPosition& by,
                                      const std::optional<OutputSpeed>& speed) override;
  /// From now on the travel ends where it stands. @throws RangeError when that is not beyond its begin, or it
  /// moves, or no position is known
  OutputPosition teach_far_limit() override;
  /// Queues a move. @throws RangeError, with nothing queued, when it is refused: outside the travel, over a
  /// limit, or with no position known (a mechanism with a gate is homed first).
  std::shared_ptr<MotionRecord> move(Lines& lines, const MoveOrder& order) override;
  std::shared_ptr<MotionRecord> move_when_told(Lines& lines, const MoveOrder& order) override;
  [[nodiscard]] bool stands_by(const MotionRecord& motion) const override;
  std::optional<Least> get_ready(Lines& lines) override;
  void begin(Lines& lines, const Least& how) override;
  /// Queues a turn to an angle or a station. @throws RangeError as move()
  std::shared_ptr<MotionRecord> turn(Lines& lines, const TurnOrder& order);
  /// Queues a motion at a speed, for a time, a way, or neither. It then ends at the end of the travel; where
  /// there is none it goes on until it is redirected or cancelled, and nothing can be queued behind it.
  /// @throws RangeError as move()
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) override;
  /// The spin that is on goes so much faster (slower where `by` is below 0), or the other way round at the
  /// same speed. @throws RangeError when none is on or nothing of the speed is left
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) override;
  std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) override;
  [[nodiscard]] Follower follower() const override;
  /// Queues it. @throws RangeError as move()
  std::shared_ptr<MotionRecord> follow(Lines& lines, std::unique_ptr<Follow> follow,
                                       std::string what) override;
  /// The one that is on, or waits to begin as the next.
  [[nodiscard]] Follow* following() override;
  void let_go(Lines& lines) override;
  [[nodiscard]] std::int64_t commanded_step(Tick now) const override { return standing_step(now); }
  [[nodiscard]] Ahead commanded(Tick now, Tick at) const override;
  [[nodiscard]] Ratio commanded_per_base() const override { return steps_per_base_; }
  [[nodiscard]] std::int64_t step_at_zero() const override { return origin_.value_or(0); }
  /// Brakes what is on and takes back all that is queued.
  void stop(Lines& lines, Braking how) override;
  std::shared_ptr<MotionRecord> redirect(Lines& lines, const MoveOrder& order) override;
  std::shared_ptr<MotionRecord> redirect(Lines& lines, const SpeedOrder& order) override;
  [[nodiscard]] bool can_be_redirected() const override;
  /// Takes a queued motion back, or brakes the running one; those queued behind it go on.
  void cancel(Lines& lines, const MotionRecord& motion, Braking how) override;

  /// Switches the outputs on, so that the motor holds where it stands.
  void hold(Lines& lines) override;
  /// Switches the outputs off: detent and friction alone hold it then. The next motion switches them on again
  /// with the field where it stood. @throws RangeError while a motion is on or queued
  void release(Lines& lines) override;

  /// All lines were put at rest: motions that had not ended are faulted, and the position is not believed any
  /// more where a motion was on.
  void lines_were_cut(Lines& lines, const Why& why) override;
  /// Brakes as hard as the motor can; the motion ends as faulted, and those queued behind it are dropped.
  void halt(Lines& lines, const Why& why) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return &mechanism_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return stream_.driver().line_setups(); }
  [[nodiscard]] bool has_ended() const override { return queue_.is_empty(); }
  [[nodiscard]] bool is_driven(Tick) const override { return !queue_.is_empty(); }
  /// Something has shown that it does not stand where it was thought to; it must be homed.
  void forget_position() override;
  /// The step that it stands on now, counted since the lines were opened.
  [[nodiscard]] std::int64_t standing_step(Tick now) const {
    return stream_.is_busy() ? stream_.step_at(now) : stream_.made();
  }
  /// It is known to stand at `position` without having been homed: on a whole electrical period, as a board
  /// comes up. @throws RangeError while it moves, or when there is no such step
  void believe(OutputPosition position) override;
  /// The short way to the nearest whole electrical period inside the travel; nothing when it stands on one.
  [[nodiscard]] std::optional<MoveOrder> to_whole_period() const override;
  [[nodiscard]] bool is_homing() const override { return homing_.has_value(); }
  [[nodiscard]] bool knows_zero() const override { return origin_ && !is_makeshift_; }

  [[nodiscard]] Places* places() override { return this; }
  [[nodiscard]] Redirects* redirects() override { return this; }
  [[nodiscard]] Arrivals* arrivals() override { return this; }
  [[nodiscard]] Speeds* speeds() override { return this; }
  [[nodiscard]] Zeroed* zeroed() override { return this; }
  [[nodiscard]] std::vector<GearSetup> gear_setups() const override;
  [[nodiscard]] Follows* follows() override { return this; }
  [[nodiscard]] Commanded* commanded() override { return this; }
  [[nodiscard]] std::vector<std::unique_ptr<CountCheck>> count_checks(std::span<const CounterSetup> counters,
                                                                      ExactFrequency clock) override;
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::optional<std::int64_t> counted(Tick now) const override {
    return standing_step(now) - origin_.value_or(0);
  }
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] std::optional<double> asked_speed(Tick now) const override {
    return stream_.speed_at(now) / steps_per_base_.to_double();
  }
  [[nodiscard]] std::string doing() const override {
    return queue_.first_is_running() ? queue_.first().record->what : std::string();
  }
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool loses_place(Tick now, Tick late) const override;

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const StepStream& stream() const { return stream_; }
  /// The commanded position, known since start (no gate) or homing; the target while a move is on. While it
  /// runs without end it is the step planned for `now`.
  [[nodiscard]] std::optional<OutputPosition> position(Tick now) const override;
  /// The step count, since the lines were opened, of output position 0. Nothing before homing.
  [[nodiscard]] std::optional<std::int64_t> origin() const { return origin_; }

 private:
  [[nodiscard]] const SpeedOrder& running_spin() const;
  [[nodiscard]] std::optional<OutputPosition> known_end() const;
  [[nodiscard]] RampLimits limits_of(const SpeedOrder& order) const;
  [[nodiscard]] bool is_obstructed(Lines& lines);
  void begin_next(Lines& lines);
  void begin_first(Lines& lines, const std::optional<Least>& told);
  void begin_homing(Lines& lines, HomingGoal goal);
  void measured(Lines& lines);
  void begin(Lines& lines, const QueuedMotion& order, std::optional<ExactTime> in,
             const std::optional<Least>& told);
  void require_redirectable() const;
  std::shared_ptr<MotionRecord> replace_running(Lines& lines, std::string what, QueuedMotion motion);
  void homing_acted(Lines& lines);
  void follow_on(Lines& lines, std::span<const Reading> readings);
  bool leave_to_lines(Lines& lines);
  [[nodiscard]] RampLimits steepest_limits(const Lines& lines) const;
  void came_to_rest(Lines& lines);
  [[nodiscard]] bool is_in_position() const;
  bool waits_for_position(Lines& lines);
  [[nodiscard]] OutputPosition commanded_at(Tick now) const;
  void finish(Lines& lines, MotionStatus status);
  void finish(Lines& lines, const Why& why, bool by_itself);
  void fail(Lines& lines, FaultCode code, std::string why) { finish(lines, {code, std::move(why)}, true); }
  void forget_how();
  void stand_at(std::int64_t step);
  [[nodiscard]] OutputPosition position_of(std::int64_t step) const;

  Mechanism mechanism_;
  Controller controller_;
  Ratio steps_per_base_;
  StepStream stream_;
  MotionQueue queue_;
  std::optional<HomingSequence> homing_;
  std::shared_ptr<Follow> following_{};           // the motion that is on
  std::shared_ptr<Follow> followed_{};            // the last
  std::optional<std::uint32_t> left_to_lines_{};  // its gear, as it was when that was tried
  bool was_let_go_ = false;
  bool braking_ = false;
  bool brakes_steeply_ = false;
  std::optional<std::int64_t> origin_;
  bool is_makeshift_ = false;  // the origin is that of a nudge, for want of a zero, and goes with it
  OutputPosition commanded_;   // where the running motion ends
  bool endless_ = false;       // the running motion has no end
  RampLimits running_limits_;
  std::optional<OutputPosition> measured_travel_;
  Tick in_position_by_ =
      never;  // its steps are out, and its board has until then to say that it stands there
  std::optional<Why> halted_by_{};  // why the running motion is being stopped, when something else did it
  const Inputs* inputs_ = nullptr;
};

}  // namespace cogstride
