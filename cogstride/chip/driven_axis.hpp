// An axis with all that goes with it: its current, homing, tables of runs, ways by hand. Several share its
// code.
//
//   StepAxis<Step> steps;
//   DrivenAxis<StepAxis<Step>::Runs, avr8::ReadFlash> carriage(steps, F_CPU, figures, lines);
//   carriage.home(now);
//   for (;;) carriage.serve(now);                // the main program; now: milliseconds
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "axis_walk.hpp"
#include "home_axis.hpp"
#include "run_feed.hpp"

namespace cogstride {
namespace chip {

/// What a rig says of an axis, in steps.
struct AxisFigures {
  HomingGoal<int32_t> goal;
  HomingPaces paces;
  int32_t stands_at;  ///< after homing
  int32_t least;      ///< its travel
  int32_t most;
  ChipLimits limits;
  uint32_t usual;  ///< steps/s by hand, where nothing else is said
};

/// Its lines beside those of its steps.
struct AxisLines {
  void (*enable)(bool on);  ///< gives it its current
  SwitchActs sensor;
  SwitchActs other_end;
};

/// @tparam Axis  the Runs of a StepAxis @tparam Read  reads a run where tables lie
template <class Axis, class Read>
class DrivenAxis {
 public:
  /// @param axis, figures  must outlive it
  DrivenAxis(Axis& axis, uint32_t ticks_per_second, const AxisFigures& figures, const AxisLines& lines)
      : axis_(axis),
        walk_(axis, ticks_per_second),
        home_(axis, walk_, figures.goal, figures.paces, lines.sensor, lines.other_end),
        feed_(axis),
        figures_(figures),
        enable_(lines.enable) {}

  COGSTRIDE_ONCE void hold(bool on) {
    is_on_ = on;
    typename Axis::Off off;
    enable_(on && !is_cut_);
  }

  /// Finds its zero. @return false where it has nothing to home with
  COGSTRIDE_ONCE bool home(uint16_t now) {
    const bool aligned = is_on_;
    hold(true);
    knows_zero_ = false;
    feed_.drop();
    is_fed_ = false;
    holds_ = 0;
    axis_.limit(INT32_MIN, INT32_MAX);
    is_homing_ = home_.begin(aligned, now);
    return is_homing_;
  }
  bool is_homing() const { return is_homing_; }
  bool knows_zero() const { return knows_zero_; }
  /// It stands at 0, and needs no homing.
  COGSTRIDE_ONCE void stands_at_zero() {
    knows_zero_ = true;
    axis_.set_position(0);
    walk_.ended();
    axis_.limit(figures_.least, figures_.most);
  }
  HomingFault fault() const { return home_.fault(); }
  /// The sensor has changed; an interrupt's side.
  void edge(bool acts) {
    if (is_homing_) home_.edge(acts);
  }

  /// Runs of tables stand by; start_at() of the axis lets them begin. Not while it moves.
  COGSTRIDE_ONCE void load(const RunPiece* pieces, uint8_t count) {
    axis_.clear();
    is_fed_ = true;
    feed_.begin(pieces, count);
  }
  bool is_playing() const { return is_fed_; }
  /// Ended before its last run: by a stop, by a limit, or since the next was not there.
  bool has_been_ended() const { return axis_.is_halted(); }

  // By hand. Nothing moves while it homes or plays, nor, but for nudges, before its zero is known.

  /// On and on to the end of its travel, until the same one lets go: a key that is held. Another one holds
  /// nothing meanwhile. @param who  1 to 255
  COGSTRIDE_ONCE void hold_on(uint8_t who, int8_t way, uint32_t speed) {
    if ((holds_ != 0 && holds_ != who) || !is_free() || !knows_zero_) return;
    holds_ = who;
    walk_to(way > 0 ? figures_.most : figures_.least, speed);
    has_aim_ = false;
  }
  COGSTRIDE_ONCE void let_go(uint8_t who) {
    if (holds_ == who) rest();
  }
  /// To a step inside its travel.
  COGSTRIDE_ONCE void go_to(int32_t step, uint32_t speed) {
    if (holds_ != 0 || !is_free() || !knows_zero_) return;
    walk_to(step, speed);
  }
  /// So many steps on from where it goes: five presses are five ways. Before it is homed slowly, and by what
  /// it goes in two seconds at the most.
  COGSTRIDE_ONCE void nudge(int32_t steps) {
    if (holds_ != 0 || !is_free() || (walk_.is_busy() && !has_aim_)) return;
    uint32_t speed = usual_;
    if (!knows_zero_) {
      speed = figures_.paces.slow.speed;
      const int32_t most = 2 * static_cast<int32_t>(speed);
      if (steps > most || steps < -most) return;
    }
    walk_to((walk_.is_busy() ? aim_ : axis_.position()) + steps, speed);
  }
  /// To rest on its ramp; a stretch of a table goes on to its end.
  COGSTRIDE_ONCE void rest() {
    holds_ = 0;
    has_aim_ = false;
    if (is_free()) walk_.brake();
  }
  /// To rest as soon as may be, whatever it does: by hand on its ramp; a stretch of a table and a homing at
  /// once, and nobody knows then where it stands. Interrupts are off.
  COGSTRIDE_ONCE void rest_soon() {
    if (is_free()) return rest();
    if (is_cut_ || is_lent_) return;
    if (axis_.is_playing()) axis_.end_here();
    feed_.drop();
    is_homing_ = false;
    knows_zero_ = false;
  }
  /// Steps/s by hand, from now on and of a key that is held.
  COGSTRIDE_ONCE void set_usual(uint32_t speed) {
    if (speed == usual_) return;
    usual_ = speed;
    if (holds_ == 0 || !is_free()) return;
    walk_to(aim_, speed);
    has_aim_ = false;
  }
  uint32_t usual() const { return usual_; }
  bool is_walking() const { return walk_.is_busy(); }

  /// Something else makes its steps, from where it stands, or has made them. @return false: it moves
  COGSTRIDE_ONCE bool lend() {
    if (!is_free() || walk_.is_busy()) return false;
    if (!is_on_) hold(true);
    is_lent_ = true;
    return true;
  }
  bool is_lent() const { return is_lent_; }
  COGSTRIDE_ONCE void take_back(int32_t position, bool knows_zero) {
    is_lent_ = false;
    axis_.set_position(position);
    walk_.ended();
    if (!knows_zero) knows_zero_ = false;
  }

  /// A switch at an end of its travel, in its interrupt: whatever it does but homing is over at once, and
  /// nobody knows where it stands.
  void met_end() {
    if (is_homing_ || !axis_.is_playing()) return;
    axis_.end_here();
    knows_zero_ = false;
  }

  /// An emergency stop, in its interrupt: all at once, without current, and until a reset.
  void cut() {
    axis_.end_here();
    axis_.bar();
    is_cut_ = true;
    knows_zero_ = false;
    enable_(false);
  }

  COGSTRIDE_ONCE void serve(uint16_t now) {
    if (is_cut_) return;
    if (is_homing_) {
      if (home_.serve(now)) return;
      is_homing_ = false;
      if (!home_.has_found()) return hold(false);
      knows_zero_ = true;
      axis_.set_position(figures_.stands_at);
      walk_.ended();
      axis_.limit(figures_.least, figures_.most);
      return;
    }
    if (!is_fed_) {
      walk_.serve();
      return;
    }
    if (feed_.serve() || axis_.is_playing()) return;
    is_fed_ = false;
    if (!axis_.is_halted()) walk_.ended();
  }

  int32_t position() const { return axis_.position(); }

 private:
  bool is_free() const { return !is_homing_ && !is_fed_ && !is_lent_ && !is_cut_; }
  COGSTRIDE_ONCE void walk_to(int32_t step, uint32_t speed) {
    if (!is_on_) hold(true);
    ChipLimits limits = figures_.limits;
    limits.speed = speed;
    aim_ = step < axis_.least() ? axis_.least() : step > axis_.most() ? axis_.most() : step;
    has_aim_ = true;
    walk_.go_to(aim_, limits);
  }

  Axis& axis_;
  AxisWalk<Axis> walk_;
  HomeAxis<Axis> home_;
  RunFeed<Axis, Read> feed_;
  const AxisFigures& figures_;
  void (*const enable_)(bool);
  uint32_t usual_ = figures_.usual;  // steps/s by hand
  int32_t aim_ = 0;                  // where it goes by hand
  bool has_aim_ = false;             // and not on and on, or to rest
  uint8_t holds_ = 0;                // who does; 0: nobody
  volatile bool is_cut_ = false;
  bool is_on_ = false;
  volatile bool is_homing_ = false;
  volatile bool knows_zero_ = false;
  bool is_fed_ = false;
  bool is_lent_ = false;
};

}  // namespace chip
}  // namespace cogstride
