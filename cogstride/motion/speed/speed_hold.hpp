// Holds the speed of a motor that is driven by duty, or takes it to a place on a ramp, by the counts of its
// encoder. It knows no lines: it is looked at with a count and says a duty.
//
// What is wanted comes from a ramp in counts; the loop (plan/speed_loop.hpp) does the rest. A speed that is
// held back by a limit is not made up for afterwards. The duty stays within what the current limit leaves at
// the measured speed, also when it brakes or reverses.
//
// Within a stated time (`CountSource::noticed_after`) it notices that nothing is counted although it drives,
// that counts run away the wrong way, and that a limit keeps it from its speed.
#pragma once

#include <cmath>
#include <optional>
#include <string>

#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/speed_loop.hpp"

namespace cogstride {

/// What counts, and of what motor.
struct CountSource {
  std::string name{};
  double counts_per_base = 0.0;  ///< for a metre or a turn of the output, below 0 where they run backwards
  RotaryMotorModel model{};
  double winding = 0.0;          ///< s, time constant of its current
  double lowest = 200.0;         ///< counts/s that still make a loop
  double most_duty = 1.0;        ///< that its board can be given
  bool can_brake = true;         ///< less duty than its back-EMF brakes it; else it just runs out
  double noticed_after = 0.2;    ///< s driven without a count, or with counts the wrong way
  std::string kind = "encoder";  ///< what it is, in the words of a fault
};

/// An encoder of a brushed motor. @throws RangeError for a motor of another kind
[[nodiscard]] CountSource count_source(const Mechanism& mechanism, const Encoder& encoder);

class SpeedHold {
 public:
  static constexpr double stands_for = 0.03;  ///< s within a count of it, and a move has come to its end
  static constexpr double settles_in = 1.0;   ///< s after its ramp, that a move may take to its count
  static constexpr double short_of_it = 0.5;  ///< s held back by a limit, far below its speed
  static constexpr double far_below = 0.9;    ///< of the wanted speed; nearer, it has come to it

  /// @param looks  s from one look to the next; @param lead  s from a look to the duty's effect
  SpeedHold(const Mechanism& mechanism, const CountSource& source, double ticks_per_second, double looks,
            double lead);

  /// Of the output, m/s or turns/s: the slowest that it holds. Below, counts come too rarely.
  [[nodiscard]] double lowest_speed() const { return lowest_ / counts_per_base_; }
  /// Of the output: the fastest that full duty and the current limit leave with some to spare.
  [[nodiscard]] double highest_speed() const { return highest_ / counts_per_base_; }
  /// Of the output: what the current limit leaves, less a reserve.
  [[nodiscard]] double highest_acceleration() const { return acceleration_ / counts_per_base_; }
  /// @throws RangeError when a speed of the output cannot be held, with the figure that can
  void require(double speed) const;
  /// The same of an acceleration of the output, above 0.
  void require_acceleration(double acceleration) const;
  /// s that the ramp from rest to a speed of the output takes.
  [[nodiscard]] double ramp_seconds(double speed, std::optional<double> acceleration) const;

  /// Takes over as it is now, from rest or while it turns.
  void begin(chip::Tick now, std::int64_t count, double counts_per_second);
  /// From what is wanted now to a speed of the output, m/s or turns/s. @param acceleration  of the output;
  /// nothing: what the current limit leaves, less a reserve
  void spin(chip::Tick now, double speed, std::optional<double> acceleration);
  /// To rest within a count of a place, and to stay there. @param target  count of the encoder
  /// @param speed  of the output, the most on the way; nothing: the most that it has
  void move(chip::Tick now, std::int64_t target, std::optional<double> speed,
            std::optional<double> acceleration);
  /// Whether what is wanted has come to the speed that was asked for and the shaft is measured to turn with
  /// it, within a tenth; or the shaft has come to the place.
  [[nodiscard]] bool has_arrived(chip::Tick now) const {
    if (ramp_time(now) < arrives_) return false;
    if (!holds_speed_) return is_at_target() && seconds(now - counted_at_) > stands_for;
    const double asked = asked_ * counts_per_base_;
    return std::abs(observer_.speed() - asked) <= (1.0 - far_below) * std::abs(asked) || asked == 0.0;
  }
  /// What is wanted goes on with a share of its speed from now on, 0 to 1: for one that waits for another.
  void set_pace(chip::Tick now, double pace) {
    ramp_done_ = ramp_time(now);
    paced_at_ = now;
    pace_ = pace;
  }

  /// What an encoder says at a look.
  struct Counted {
    std::int64_t count = 0;
    chip::Tick at = 0;        ///< of the edge that was counted last
    double per_second = 0.0;  ///< see CountSpeed
  };
  /// @param amperes  by a shunt
  /// @return the duty to give, -1 to 1
  double look(chip::Tick now, const Counted& counted, std::optional<double> amperes);
  /// Why a motor that is driven and has not been counted for a while cannot go on, its loop closed or not;
  /// empty: that is no wonder. @param duty  that reaches it; @param quiet  s driven without a count
  [[nodiscard]] std::string fault_of_quiet(double duty, double quiet, std::optional<double> amperes) const;
  /// s until a duty that surely turns it has made two counts from rest:  K d t^2/2T counts at first, K d t
  /// later.
  [[nodiscard]] double first_counts_within(double duty) const;
  /// Whether a duty turns it, whatever its friction and load.
  [[nodiscard]] bool surely_turns(double duty) const;
  /// Why it cannot go on; empty: it can.
  [[nodiscard]] const std::string& fault() const { return fault_; }
  [[nodiscard]] double duty() const { return duty_; }
  /// What its back-EMF takes of the duty, by the speed that is observed.
  [[nodiscard]] double emf_duty() const { return answer_.emf * observer_.speed(); }
  /// The speed that was asked for last, of the output.
  [[nodiscard]] double asked_speed() const { return asked_; }
  /// Counts between what is wanted and what is.
  [[nodiscard]] double lag() const { return lag_; }
  /// The speed that is wanted, of the output.
  [[nodiscard]] double wanted_speed(chip::Tick now) const { return wanted(now).speed / counts_per_base_; }

 private:
  [[nodiscard]] double seconds(chip::Tick ticks) const {
    return static_cast<double>(ticks) / ticks_per_second_;
  }
  /// s of its ramp that have passed.
  [[nodiscard]] double ramp_time(chip::Tick now) const {
    return ramp_done_ + pace_ * seconds(now - paced_at_);
  }
  [[nodiscard]] MotionState ramp_state(chip::Tick now) const;
  void begin_ramp(chip::Tick now) {
    ramp_done_ = 0.0;
    paced_at_ = now;
    pace_ = 1.0;
  }
  [[nodiscard]] SpeedWanted wanted(chip::Tick now) const;
  [[nodiscard]] double acceleration_of(std::optional<double> asked) const;
  void take_count(chip::Tick now, const Counted& counted);
  [[nodiscard]] bool lasts(chip::Tick& since, bool is_so, chip::Tick now, double longest) const;
  /// Its count is there, or the next one: closer, friction would make it hunt to and fro.
  [[nodiscard]] bool is_at_target() const { return count_ >= target_ - 1 && count_ <= target_ + 1; }
  void stay_at_place(chip::Tick now, double looked);
  void watch(chip::Tick now, const SpeedWanted& wanted, bool is_held_back, std::optional<double> amperes);

  std::string name_;
  std::string encoder_;
  double ticks_per_second_;
  double counts_per_base_;  // above 0
  double sign_;             // of raw counts, forwards
  OutputKind kind_;
  double limit_;  // A
  double most_duty_;
  DutyAnswer answer_;
  SpeedObserver observer_;
  std::string source_kind_;
  std::string or_its_supply_;  // where nothing says whether it is up
  double noticed_after_;
  bool can_brake_;
  double delay_;  // s, from what is to what is done about it
  double lowest_;
  double highest_;
  double acceleration_;  // counts/s2

  Ramp ramp_{};
  double ramp_done_ = 0.0;  // s of it, at paced_at_
  chip::Tick paced_at_ = 0;
  double pace_ = 1.0;
  double arrives_ = 0.0;
  double asked_ = 0.0;
  bool holds_speed_ = true;
  std::int64_t target_ = 0;  // count of a move
  double shift_ = 0.0;       // counts by which the place wanted was taken back
  chip::Tick looked_at_ = 0;
  bool has_turned_ = false;  // an edge has come
  std::int64_t count_ = 0;
  int last_way_ = 1;
  chip::Tick counted_at_ = 0;
  chip::Tick quiet_since_ = 0;
  double duty_ = 0.0;
  double lag_ = 0.0;

  chip::Tick wrong_since_ = -1;
  double wrong_speed_ = 0.0;
  chip::Tick short_since_ = -1;
  double short_speed_ = 0.0;
  chip::Tick no_current_since_ = -1;
  std::string fault_{};
};

[[nodiscard]] bool has_encoder(const Mechanism& mechanism);

/// A speed of an output as makers say it: "300 rpm", "12 mm/s". @param speed  m/s or turns/s
[[nodiscard]] std::string speed_text(OutputKind kind, double speed);

/// What an encoder of the mechanism can hold, to be asked ahead. @throws RangeError when it has none
[[nodiscard]] SpeedHold held_speeds(const Mechanism& mechanism, const Controller& controller);

}  // namespace cogstride
