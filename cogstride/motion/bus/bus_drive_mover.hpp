// Motions of a mechanism whose drive is on a bus and closes its loops by itself. It is brought up as soon as
// the bench runs; what is ordered before that begins once it is driven.
//
// Moves and speeds go on ramps that are made here and told cycle by cycle, each place with the common instant
// at which it is to be reached in a cycle (cyclic places): so what is foreseen is what is told, others can
// follow it exactly, and several drives begin in the same instant. By torque it is told a torque.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "cogstride/motion/bus/drive_link.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/gearing/place_source.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/ramp.hpp"

namespace cogstride {

class BusDriveMover final : public Mover,
                            public Places,
                            public Speeds,
                            public Duties,
                            public Torques,
                            public Follows,
                            public Commanded,
                            public Arming {
 public:
  static const MoverKind its_kind;

  /// @throws RangeError when its drive is on no bus, or the rig has none
  BusDriveMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// To a place; it is held there until told otherwise. Places count from where it stood when the lines were
  /// opened. @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> move(Lines& lines, const MoveOrder& order) override;
  [[nodiscard]] std::optional<OutputPosition> position(Tick now) const override;
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) override;
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) override;
  std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) override;
  /// A share of its top speed.
  std::shared_ptr<MotionRecord> spin(Lines& lines, const DutyOrder& order) override;
  std::shared_ptr<MotionRecord> change(Lines& lines, Fraction by) override;
  /// @throws RangeError when its current does not give that
  std::shared_ptr<MotionRecord> pull(Lines& lines, Torque torque) override;
  std::shared_ptr<MotionRecord> reverse(Lines& lines, std::optional<ExactTime> ramp) override;
  std::shared_ptr<MotionRecord> stop(Lines& lines, std::optional<ExactTime> ramp) override;
  void let(Lines& lines, SlowsBy how) override;
  [[nodiscard]] Follower follower() const override;
  std::shared_ptr<MotionRecord> follow(Lines& lines, std::unique_ptr<Follow> follow,
                                       std::string what) override;
  [[nodiscard]] Follow* following() override { return follow_.get(); }
  void let_go(Lines& lines) override;
  [[nodiscard]] std::int64_t commanded_step(Tick now) const override;
  [[nodiscard]] Ahead commanded(Tick now, Tick at) const override;
  [[nodiscard]] Ratio commanded_per_base() const override { return counts_per_base_; }
  [[nodiscard]] std::int64_t step_at_zero() const override { return zero_; }
  /// What was wrong is no more: brought up anew where that is needed; done when it may be driven.
  std::shared_ptr<MotionRecord> arm(Lines& lines) override;
  [[nodiscard]] bool is_armed() const override { return link_.is_up(); }

  void stop(Lines& lines, Braking how) override;
  /// Driven while it stands; or not, so that its shaft can be turned.
  void hold(Lines& lines) override;
  void release(Lines& lines) override;
  void halt(Lines& lines, const Why& why) override;
  void lines_were_cut(Lines& lines, const Why& why) override;

  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return &mechanism_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return {}; }
  [[nodiscard]] std::vector<Frame> rest_frames() const override { return {link_.rest_frame()}; }
  [[nodiscard]] Places* places() override { return this; }
  [[nodiscard]] Speeds* speeds() override { return this; }
  [[nodiscard]] Duties* duties() override { return this; }
  [[nodiscard]] Torques* torques() override { return this; }
  [[nodiscard]] Follows* follows() override { return this; }
  [[nodiscard]] Commanded* commanded() override { return this; }
  [[nodiscard]] Arming* arming() override { return this; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::optional<std::int64_t> counted(Tick now) const override;
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] std::optional<double> asked_speed(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick now) const override;
  [[nodiscard]] bool stays_on() const override { return link_.is_on(); }

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const DriveLink& link() const { return link_; }
  /// Counts of its drive at place 0 of its output.
  [[nodiscard]] std::int64_t zero() const { return zero_; }
  [[nodiscard]] double counts_per_base() const { return counts_per_base_.to_double(); }
  /// Where it is told to be, counts.
  [[nodiscard]] MotionState wanted(Tick at) const;

 private:
  /// What waits until it is driven, or has been begun.
  struct Order {
    enum class Kind : std::uint8_t { rests, moves, turns, follows, pulls, arms };
    Kind kind = Kind::rests;
    std::int64_t place = 0;  ///< moves: counts from place 0
    double speed = 0.0;      ///< turns: counts/s, signed
    RampLimits limits{};
    double torque = 0.0;  ///< pulls: N m of its motor
  };
  std::shared_ptr<MotionRecord> begin(Lines& lines, Order order, std::string what);
  void start(Lines& lines);
  void plan(Tick from);
  void go_by(const Ramp& ramp, Tick from);
  void stay(StepPosition at, Tick from);
  void put(Lines& lines);
  [[nodiscard]] bool is_by_torque() const { return order_.kind == Order::Kind::pulls && !waits_; }
  [[nodiscard]] MotionState told_state(Tick at) const;
  void look_whether_over(Lines& lines);
  void look_at_leaders(Lines& lines, std::span<const Reading> readings);
  void tell_news(Lines& lines);
  void fail(Lines& lines, const std::string& why);
  std::shared_ptr<MotionRecord> turn(Lines& lines, double speed, const RampLimits& limits, std::string what);
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }
  /// The first common instant that nothing was put for.
  [[nodiscard]] Tick next_instant(const Lines& lines) const;
  [[nodiscard]] double base_of(double counts) const {
    return (counts - static_cast<double>(zero_)) / counts_per_base();
  }

  Mechanism mechanism_;
  Controller controller_;
  DriveLink link_;
  double ticks_per_second_;
  Ratio counts_per_base_;
  RampLimits limits_;
  double steepest_;
  double most_torque_;  // N m
  bool was_by_torque_ = false;
  std::int64_t zero_ = 0;
  int zero_of_ = 0;  // of which time that it was brought up; 0: of none
  Ramp ramp_{};
  Ramp before_{};  // until then
  Tick before_at_ = 0;
  Tick ramp_at_ = 0;    // a common instant
  Tick put_until_ = 0;  // common instants up to then have been put
  Order order_{};
  bool waits_ = false;                         // the order, to be begun
  std::optional<OutputPosition> stands_at_{};  // by the last move, exactly
  std::shared_ptr<Follow> follow_{};
  std::shared_ptr<Follow> followed_{};
  Tick settles_until_ = never;
  double most_lag_ = 0.0;
  double most_current_ = 0.0;
  double most_supply_current_ = 0.0;
  double least_supply_ = 1e9;
  double highest_celsius_ = -1e9;
};

}  // namespace cogstride
