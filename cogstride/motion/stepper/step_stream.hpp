// Plays ramps on the lines of one stepper's board, ahead of time by a horizon and in constant memory, and can
// stop.
//
// Steps are counted from where the lines were opened; what they mean in millimetres is the mover's business.
#pragma once

#include <algorithm>
#include <optional>

#include "cogstride/board/step_driver.hpp"
#include "cogstride/motion/stepper/chip_runs.hpp"
#include "cogstride/motion/walker.hpp"
#include "cogstride/plan/pursuit.hpp"
#include "cogstride/plan/run_fitter.hpp"

namespace cogstride {

class StepStream final : public Walker {
 public:
  StepStream(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// Puts ENABLE to its active level; nothing steps before the board is awake.
  void switch_on(Lines& lines) override;
  void switch_off(Lines& lines);

  /// As homing does it: on a small chip on a ramp that the chip makes by itself.
  void start(Lines& lines, std::int64_t target, const RampLimits& limits,
             std::optional<StopOn> stop) override;
  /// @param not_before  when the ramp begins at the earliest
  void start(Lines& lines, std::int64_t target, const RampLimits& limits, std::optional<StopOn> stop,
             Tick not_before);
  /// Switches on, and says when a motion to `target` could begin.
  [[nodiscard]] Tick earliest_start(Lines& lines, std::int64_t target);
  /// From rest or in mid-motion: to a speed (steps/s, signed), held without end. 0 brakes.
  void hold_speed(Lines& lines, double speed, const RampLimits& limits);
  /// In mid-motion: on to another target from the speed it has, as soon as the lines allow; past it and back
  /// when it cannot stop in time. At rest the same as start().
  void retarget(Lines& lines, std::int64_t target, const RampLimits& limits);
  /// From rest or in mid-motion: along with something that moves evenly. As long as what is planned is within
  /// an eighth of a step of it, that goes on.
  /// @param course  where that is at soonest()
  void go_along(Lines& lines, const Course& course, const RampLimits& limits);
  /// From rest: whoever plays the lines gears it to a count, on ramps of its own; or by something else, where
  /// it is already. It is busy until it has been braked and stands.
  /// @return false: nobody does that here; nothing has happened
  bool gear(Lines& lines, LineId counts_at, chip::CountFollow what, Tick told_each);
  [[nodiscard]] bool is_geared() const { return geared_.has_value(); }
  /// What is told of one that is.
  void hear(Lines& lines, std::span<const Reading> readings);
  /// Its leader does, steps/s: by that it goes on between two times that it is told.
  void leader_goes_at(double speed) {
    if (geared_) geared_->speed = speed;
  }
  [[nodiscard]] std::optional<GearSetup> gear_setup() const { return driver_.gear_setup(); }
  /// From when on what is planned can still be changed.
  [[nodiscard]] static Tick soonest(const Lines& lines) { return lines.now() + lines.lead(); }
  /// State of the motion at an instant that is to come; at rest where it stands.
  [[nodiscard]] MotionState state_ahead(Tick at) const;
  void brake(Lines& lines, const RampLimits& limits) override;
  /// What was still ahead is dropped.
  void end_here(Lines& lines) override;

  /// All lines were put at rest, ENABLE and DIR included.
  void lines_were_cut(Lines& lines);

  [[nodiscard]] bool is_on() const override { return on_; }
  [[nodiscard]] bool is_busy() const override { return busy_; }
  [[nodiscard]] std::int64_t step_at(Tick at) const override;
  /// The speed of the motion at `at`, steps/s, signed; 0 when not busy.
  [[nodiscard]] double speed_at(Tick at) const;
  /// Its acceleration, steps/s2, signed.
  [[nodiscard]] double acceleration_at(Tick at) const;
  [[nodiscard]] Tick next_act() const override;
  /// Hands out what the horizon asks for; ends the motion when its time has come.
  void act(Lines& lines) override;

  [[nodiscard]] std::int64_t made() const override {
    if (geared_) return geared_->place;
    return own_ ? own_->made() : fitter_.made();
  }
  /// Of the motion that is on: first and last instant.
  [[nodiscard]] Tick began_at() const { return start_; }
  [[nodiscard]] Tick ends_at() const { return std::max(ends_at_, last_edge_); }
  /// Since when step_at() is of the motion that is on, or it stands.
  [[nodiscard]] Tick same_since() const {
    if (geared_) return geared_->told_at;
    return busy_ ? start_ : ends_at();
  }
  [[nodiscard]] const StepDriver& driver() const { return driver_; }

 private:
  struct Geared {
    Tick told_at = 0;
    std::int64_t place = 0;
    double speed = 0.0;  // steps/s
    bool is_let_go = false;
  };
  struct Withheld {
    Tick at = 0;            ///< from here on nothing is in the queues any more
    std::int64_t made = 0;  ///< steps that go out before it
    MotionState state;      ///< of the planned motion at that instant
    bool brakes = false;    ///< by itself, at an edge: it stands then
  };
  void take_stop(const Lines& lines, const std::optional<StopOn>& stop);
  Withheld withhold(Lines& lines);
  void ends_by_itself(const MotionState& now, const Withheld& withheld, const RampLimits& limits, Tick at);
  [[nodiscard]] MotionState state_at(Tick at) const;
  [[nodiscard]] bool goes_along_with(const Course& course, Tick from) const;
  void begin(const Ramp& ramp, std::int64_t made, Tick at);
  void begin(const Ramp& ramp, std::int64_t made, Tick at, const RunForm& form);
  void feed_own(Lines& lines);
  void put(Lines& lines, FineTick from, const chip::PulseRun& run);
  [[nodiscard]] Tick begins_turned(const Lines& lines, const Ramp& ramp, std::int64_t made, Tick at) const;
  void begin_turned(Lines& lines, const Ramp& ramp, std::int64_t made, Tick at);
  void begin_along(Lines& lines, const MotionState& state, const Course& course, const RampLimits& limits,
                   std::int64_t made, Tick at);
  void feed(Lines& lines);
  /// So far is handed out of a motion that changes soon: a little more than may pass unserved.
  [[nodiscard]] static Tick part_ahead(const Lines& lines);
  void face(Lines& lines, bool forwards, Tick begins, Tick before);
  [[nodiscard]] Tick earliest_turn(const Lines& lines) const;

  StepDriver driver_;
  double ticks_per_second_;
  Tick feeds_again_ = 0;  // when the lines want more of the motion
  bool on_ = false;
  Tick switched_on_at_ = -never;
  Tick awake_at_ = 0;
  bool forwards_ = false;    // DIR rests backwards
  Tick turned_at_ = -never;  // of the last change of DIR that was put
  Tick last_edge_ = -never / 2;
  Ramp ramp_;
  Tick grain_;        // that its steps come at multiples of
  bool is_small_;     // the controller is a small chip
  bool makes_ramps_;  // and makes those of homing by itself
  RunForm form_;
  RunFitter fitter_;
  std::optional<ChipRuns> own_{};   // of the motion that is on: in place of ramp_ and fitter_
  std::optional<Geared> geared_{};  // in place of all of them
  Tick start_ = 0;
  std::int64_t made_before_ = 0;
  bool changes_soon_ = false;  // it is looked at again before it has gone far
  Tick ends_at_ = never;
  std::optional<StopOn> stop_;
  bool busy_ = false;
  bool all_put_ = true;
};

}  // namespace cogstride
