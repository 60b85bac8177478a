// Motions of a bare brushless motor by six steps. What tells its rotor's angle says which row of the table is
// on, and counts for the loop that holds its speed (motion/speed/speed_hold.hpp):
//
//   Hall sensors        from standstill on (motion/brushless/hall_angle.hpp)
//   terminal voltages   from a speed on at which its back-EMF is told well
//   (motion/brushless/back_emf_angle.hpp);
//                       until then it is stepped open loop, let go for a moment, and caught as it turns
//   nothing             it is stepped open loop for good (motion/brushless/open_loop_run.hpp), up to what
//   that gives
//
// By shunts the current of an open loop is kept as it was meant, and one far over the limit ends what is on.
// Whatever it notices (docs/six-steps.md lists it) turns all gates off from the next period on.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "cogstride/motion/brushless/back_emf_angle.hpp"
#include "cogstride/motion/brushless/field_watch.hpp"
#include "cogstride/motion/brushless/hall_angle.hpp"
#include "cogstride/motion/brushless/leg_currents.hpp"
#include "cogstride/motion/brushless/open_loop_run.hpp"
#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/motion/brushless/six_step_output.hpp"
#include "cogstride/motion/gearing/held_follow.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/speed/count_speed.hpp"
#include "cogstride/motion/speed/run_down.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class SixStepMover final : public Mover, public Speeds, public Follows {
 public:
  static const MoverKind its_kind;

  /// @throws RangeError when it is no bare brushless motor on a six-gate inverter
  SixStepMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);
  /// To a speed, for a time from rest to rest or until told otherwise. Done when it has come to it, or with
  /// `lasts` when it stands again. @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> spin(Lines& lines, const SpeedOrder& order) override;
  /// So much faster the way it is held to turn (slower where `by` is below 0). @throws RangeError when it
  /// holds no speed, or it cannot be had
  std::shared_ptr<MotionRecord> change_speed(Lines& lines, OutputSpeed by) override;
  /// @throws RangeError when it holds no speed, or nothing tells its angle at rest
  std::shared_ptr<MotionRecord> reverse_speed(Lines& lines) override;
  /// By Halls down by its loop and its friction, else at once: all gates off. Done when it has stood for a
  /// while; where nothing tells that, at once.
  std::shared_ptr<MotionRecord> stop(Lines& lines);
  void stop(Lines& lines, Braking) override { stop(lines); }
  void halt(Lines& lines, const Why& why) override;
  /// All lines were put at rest.
  void lines_were_cut(Lines& lines, const Why& why) override;
  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return &mechanism_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return driver().line_setups(); }
  [[nodiscard]] std::vector<PwmSetup> pwm_setups() const override { return {driver().pwm_setup()}; }
  [[nodiscard]] std::vector<std::unique_ptr<CountCheck>> count_checks(std::span<const CounterSetup> counters,
                                                                      ExactFrequency clock) override;
  [[nodiscard]] Follows* follows() override { return has_halls() && limits_.hold() ? this : nullptr; }
  [[nodiscard]] Follower follower() const override;
  /// By its Hall sensors. @throws RangeError when it is refused; what is on goes on
  std::shared_ptr<MotionRecord> follow(Lines& lines, std::unique_ptr<Follow> follow,
                                       std::string what) override;
  [[nodiscard]] Follow* following() override { return follows_.following(); }
  void let_go(Lines& lines) override;
  [[nodiscard]] Speeds* speeds() override { return this; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(Tick now, std::span<double> values) const override;
  [[nodiscard]] std::optional<std::int64_t> counted(Tick) const override {
    return angle_ == nullptr ? std::nullopt : std::optional(angle_->count());
  }
  [[nodiscard]] std::string asked(Tick now) const override;
  [[nodiscard]] MoverVerdict came_to(Tick now) const override;
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick) const override { return output_.given() != 0.0; }

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const GateDriver& driver() const { return output_.driver(); }
  /// Of the output, m/s or turns/s, that is wanted now; 0 when nothing is.
  [[nodiscard]] double wanted_speed(Tick now) const;
  /// Since its gates went off last.
  [[nodiscard]] const RunDown& run_down() const { return run_down_; }
  /// The duty that is given, -1 to 1: of each period, what is switched is on for that share.
  [[nodiscard]] double duty() const { return output_.given(); }
  /// Of the output, that it holds or was told to come to. Turns/s.
  [[nodiscard]] double asked_speed() const {
    return state_ == State::holds && !stops_ ? hold_->asked_speed() : 0.0;
  }
  /// Sixths of an electrical turn counted since the lines were opened; without sensors since it was caught.
  [[nodiscard]] std::int64_t count() const { return angle_ == nullptr ? 0 : angle_->count(); }
  /// Of those for a metre or a turn of the output, below 0 where they run backwards.
  [[nodiscard]] double commutation_rows_per_base() const { return rows_per_base_; }
  /// Whether sensors of its rotor say where it is, also at rest.
  [[nodiscard]] bool has_halls() const { return halls_.has_value(); }

  [[nodiscard]] Tick next_act() const override {
    return asked_ ? std::min(next_act_, follows_.next_look()) : 0;
  }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  /// listens: before a start, whether it turns already; steps: open loop; coasts: let go, to be caught.
  enum class State : std::uint8_t { off, listens, steps, coasts, holds, runs_out };
  void require(const SpeedOrder& order) const;
  void require_quick(const Lines& lines, double speed) const;
  [[nodiscard]] std::pair<double, double> rows_of(const SpeedOrder& order) const;
  std::shared_ptr<MotionRecord> change_steps(Lines& lines, OutputSpeed by);
  void begin(Lines& lines, const SpeedOrder& order);
  void begin_steps(Lines& lines);
  void take(Lines& lines, std::span<const Reading> readings);
  void take_halls(Lines& lines);
  void take_voltages(Lines& lines, const TerminalSample& sample);
  void take_current(Lines& lines, double amperes);
  void listen(Lines& lines, const std::optional<BackEmfAngle::Turning>& turning);
  void catch_on(Lines& lines, const std::optional<BackEmfAngle::Turning>& turning);
  void catch_it(Lines& lines, const BackEmfAngle::Turning& turning);
  void commutate(Lines& lines);
  void look(Lines& lines);
  void step(Lines& lines);
  void run_out(Lines& lines);
  std::shared_ptr<MotionRecord> hold_speed(Lines& lines, double speed, std::string what);
  void run_out_from_here(Lines& lines);
  /// Driven, what is wanted; let go, what its friction should have left. Of the output, m/s or turns/s.
  [[nodiscard]] double likely_speed(Tick now) const {
    return state_ == State::off || state_ == State::runs_out ? run_down_.speed(now) : wanted_speed(now);
  }
  void switch_off(Lines& lines);
  void end(Lines& lines, MotionStatus status);
  void fail(Lines& lines, const std::string& why);
  void ask_voltages(Lines& lines, Tick period);
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }
  [[nodiscard]] Tick ticks(double seconds) const;

  Mechanism mechanism_;
  SixStepOutput output_;
  double ticks_per_second_;
  double rows_per_base_;
  Tick stride_;
  SixStepLimits limits_;
  std::optional<HallAngle> halls_{};
  std::optional<BackEmfAngle> back_emf_{};
  const RotorAngle* angle_ = nullptr;        // the one of these that there is
  std::optional<FieldWatch> field_watch_{};  // beside it
  LegCurrents currents_;
  HeldFollow follows_{};
  std::optional<SpeedHold> hold_{};
  std::optional<OpenLoopRun> run_{};
  RunDown run_down_;

  State state_ = State::off;
  bool asked_ = false;
  CountSpeed speed_;
  double duty_ = 0.0;  // share of its supply that drives it on average
  bool stops_ = false;
  Tick stops_at_ = never;
  Tick next_look_ = never;
  Tick sampled_at_ = 0;  // its voltages, last
  std::optional<double> acceleration_{};
  std::optional<std::pair<double, double>>
      rows_{};           // rows/s and rows/s2 that a start by time was ordered with
  double wanted_ = 0.0;  // of the output, until it holds it
  Tick let_go_at_ = 0;
  std::int64_t hall_lag_ = 0;  // rows less Hall counts, when it was aligned

  Tick next_act_ = never;
};

}  // namespace cogstride
