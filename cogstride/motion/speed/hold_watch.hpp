// What a loop that holds a speed notices by itself, within a stated time (`CountSource::noticed_after`): that
// nothing is counted although it drives, that counts run away the wrong way, that no current flows, that a
// limit keeps it from its speed.
#pragma once

#include <optional>
#include <string>

#include "cogstride/motion/speed/counted_shaft.hpp"
#include "cogstride/motion/speed/held_range.hpp"

namespace cogstride {

class HoldWatch {
 public:
  static constexpr double short_of_it = 0.5;  ///< s held back by a limit, far below its speed
  static constexpr double far_below = 0.9;    ///< of the wanted speed; nearer, it has come to it

  HoldWatch(const Mechanism& mechanism, const CountSource& source, const HeldRange& range,
            const DutyAnswer& answer, double ticks_per_second);

  /// The loop is closed.
  void begin(chip::Tick now);
  /// Something else is wanted from now on.
  void order(chip::Tick now) { quiet_since_ = now; }

  /// What there is to see at a look.
  struct Sight {
    double duty = 0.0;  ///< that is given
    SpeedWanted want{};
    double lag = 0.0;  ///< counts between what is wanted and what is
    bool is_held_back = false;
    std::optional<double> amperes{};  ///< by a shunt
  };
  /// @return why it cannot go on; empty: it can
  [[nodiscard]] std::string look(chip::Tick now, const CountedShaft& shaft, const Sight& sight);

  /// Why a motor that is driven and has not been counted for a while cannot go on, its loop closed or not;
  /// empty: that is no wonder. @param duty  that reaches it; @param quiet  s driven without a count
  [[nodiscard]] std::string fault_of_quiet(double duty, double quiet, std::optional<double> amperes) const;
  /// s until a duty that surely turns it has made two counts from rest:  K d t^2/2T counts at first, K d t
  /// later.
  [[nodiscard]] double first_counts_within(double duty) const;
  /// Whether a duty turns it, whatever its friction and load.
  [[nodiscard]] bool surely_turns(double duty) const;

 private:
  [[nodiscard]] double seconds(chip::Tick ticks) const {
    return static_cast<double>(ticks) / ticks_per_second_;
  }
  [[nodiscard]] bool lasts(chip::Tick& since, bool is_so, chip::Tick now, double longest) const;
  [[nodiscard]] std::string fault_of_current(chip::Tick now, const CountedShaft& shaft, const Sight& sight);
  [[nodiscard]] std::string fault_of_way(chip::Tick now, double speed, const Sight& sight);
  [[nodiscard]] std::string fault_of_speed(chip::Tick now, double speed, const Sight& sight);

  std::string name_;
  std::string source_;
  std::string source_kind_;
  std::string or_its_supply_;  // where nothing says whether it is up
  double noticed_after_;
  HeldRange range_;
  DutyAnswer answer_;
  double ticks_per_second_;

  chip::Tick quiet_since_ = 0;
  chip::Tick wrong_since_ = -1;
  double wrong_speed_ = 0.0;
  chip::Tick short_since_ = -1;
  double short_speed_ = 0.0;
  chip::Tick no_current_since_ = -1;
};

}  // namespace cogstride
