// Holds the speed of a motor that is driven by duty, or takes it to a place on a ramp, by the counts of its
// encoder. It knows no lines: it is looked at with a count and says a duty.
//
// What is wanted comes from a ramp in counts (WantedCourse), what is from the counts (CountedShaft); the loop
// (plan/speed_loop.hpp) says the duty between, and a watch (HoldWatch) that it cannot go on. A speed that is
// held back by a limit is not made up for afterwards. The duty stays within what the current limit leaves at
// the measured speed, also when it brakes or reverses.
#pragma once

#include <optional>
#include <string>
#include <utility>

#include "cogstride/chip/duty_loop.hpp"
#include "cogstride/lines/events.hpp"
#include "cogstride/motion/speed/hold_watch.hpp"
#include "cogstride/motion/speed/wanted_course.hpp"

namespace cogstride {

class SpeedHold {
 public:
  static constexpr double stands_for = 0.03;  ///< s within a count of it, and a move has come to its end
  static constexpr double settles_in = 1.0;   ///< s after its ramp, that a move may take to its count

  /// @param looks  s from one look to the next; @param lead  s from a look to the duty's effect
  SpeedHold(const Mechanism& mechanism, const CountSource& source, double ticks_per_second, double looks,
            double lead);

  /// Lines that take so long from command to effect, beyond what was said at first: its loop goes gentler.
  void set_lines_delay(double seconds) { lines_delay_ = seconds; }
  /// What it can hold.
  [[nodiscard]] const HeldRange& range() const { return range_; }
  /// What it notices.
  [[nodiscard]] const HoldWatch& watch() const { return watch_; }

  /// Takes over as it is now, from rest or while it turns.
  void begin(chip::Tick now, std::int64_t count, double counts_per_second);
  /// From what is wanted now to a speed of the output, m/s or turns/s. @param acceleration  of the output;
  /// nothing: what the current limit leaves, less a reserve
  void spin(chip::Tick now, double speed, std::optional<double> acceleration);
  /// To rest within a count of a place, and to stay there. @param target  count of the encoder
  /// @param speed  of the output, the most on the way; nothing: the most that it has
  void move(chip::Tick now, std::int64_t target, std::optional<double> speed,
            std::optional<double> acceleration);
  /// On a count of it, until told otherwise, where it stands; what turns goes on.
  void stay_where_it_is(chip::Tick now) {
    if (wanted(now).speed == 0.0) move(now, shaft_.count(), {}, {});
  }
  /// Along with a place that moves evenly, in counts forwards; within a count of it once that stands.
  void go_along(chip::Tick now, const Course& course);
  /// What is wanted now, in counts forwards.
  [[nodiscard]] MotionState wanted(chip::Tick now) const { return course_.wanted(now); }
  /// Of what goes along: counts/s, counts/s2.
  [[nodiscard]] RampLimits own_limits() const { return {range_.highest(), range_.acceleration_of({})}; }
  /// Whether what is wanted has come to the speed that was asked for and the shaft is measured to turn with
  /// it, within a tenth; or the shaft has come to the place.
  [[nodiscard]] bool has_arrived(chip::Tick now) const;
  /// What is wanted goes on with a share of its speed from now on, 0 to 1: for one that waits for another.
  void set_pace(chip::Tick now, double pace) {
    course_.set_pace(now, pace);
    has_changed_ = true;
  }

  // Where whoever plays the lines closes the loop: what it is told, and what it says.
  /// @param period  ticks from one step of it to the next
  [[nodiscard]] chip::DutyLoopSetup loop_setup(chip::Tick period) const;
  /// What it is to hold between two instants. @param lets  share of its duty that is let through
  [[nodiscard]] chip::LoopWanted stretch(chip::Tick from, chip::Tick to, chip::Tick period,
                                         double lets) const;
  /// The same of one instant.
  [[nodiscard]] SpeedWanted wanted_at(chip::Tick at) const { return course_.at(at); }
  /// Whether what is wanted goes on evenly between two instants.
  [[nodiscard]] bool is_even(chip::Tick from, chip::Tick to) const;
  /// Whether something else is wanted than when this was asked last.
  [[nodiscard]] bool take_changed() { return std::exchange(has_changed_, false); }
  /// What it has given way to so far is what is wanted from now on.
  void take_over(double yielded) { course_.take_back(yielded); }
  /// What it says of itself. @param at  when that was so @param wanted  of it then, whatever it gave way to
  void see(chip::Tick at, const Counted& counted, const LoopTold& told, const SpeedWanted& wanted,
           std::optional<double> amperes);

  /// @param amperes  by a shunt
  /// @return the duty to give, -1 to 1
  double look(chip::Tick now, const Counted& counted, std::optional<double> amperes);
  /// Why it cannot go on; empty: it can.
  [[nodiscard]] const std::string& fault() const { return fault_; }
  [[nodiscard]] double duty() const { return duty_; }
  /// What its back-EMF takes of the duty, by the speed that is observed.
  [[nodiscard]] double emf_duty() const { return answer_.emf * shaft_.speed(); }
  /// Where its shaft is, counts forwards from the lower edge of count 0.
  [[nodiscard]] double place() const { return shaft_.place(); }
  /// The speed that was asked for last, of the output.
  [[nodiscard]] double asked_speed() const { return asked_; }
  /// Counts between what is wanted and what is.
  [[nodiscard]] double lag() const { return lag_; }
  /// The speed that is wanted, of the output.
  [[nodiscard]] double wanted_speed(chip::Tick now) const {
    return course_.at(now).speed / range_.counts_per_base();
  }

 private:
  [[nodiscard]] double seconds(chip::Tick ticks) const {
    return static_cast<double>(ticks) / ticks_per_second_;
  }
  /// Its count is there, or the next one: closer, friction would make it hunt to and fro.
  [[nodiscard]] bool is_at_target() const {
    return shaft_.count() >= target_ - 1 && shaft_.count() <= target_ + 1;
  }
  void stay_at_place(chip::Tick now, double pressed_for);
  [[nodiscard]] SpeedGains gains_at(double speed) const;

  std::string name_;
  std::string source_;
  double ticks_per_second_;
  double sign_;  // of raw counts, forwards
  bool can_brake_;
  double delay_;              // s, from what is to what is done about it ...
  double lines_delay_ = 0.0;  // ... and what its lines take beyond that
  DutyAnswer answer_;
  HeldRange range_;
  WantedCourse course_;
  CountedShaft shaft_;
  HoldWatch watch_;

  double asked_ = 0.0;
  bool holds_speed_ = true;
  bool goes_along_ = false;  // with another, until told otherwise
  std::int64_t target_ = 0;  // count of a move
  double duty_ = 0.0;
  double lag_ = 0.0;
  double yielded_ = 0.0;  // counts, as the loop told last
  bool has_changed_ = false;
  std::string fault_{};
};

[[nodiscard]] bool has_encoder(const Mechanism& mechanism);

/// What an encoder of the mechanism can hold, to be asked ahead. @throws RangeError when it has none
[[nodiscard]] HeldRange held_speeds(const Mechanism& mechanism);

}  // namespace cogstride
