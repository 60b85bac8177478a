// Where a duty or a throttle is on its way, from one order to the next: straight pieces, a time that it is
// held for, and the way back. It knows no lines.
#pragma once

#include <optional>
#include <string>

#include "cogstride/lines/events.hpp"
#include "cogstride/motion/orders.hpp"
#include "cogstride/plan/duty.hpp"

namespace cogstride {

/// "40 %", "12.5 % backwards".
[[nodiscard]] std::string duty_text(double duty);

class DutyCourse {
 public:
  DutyCourse(const DutyLimits& limits, double ticks_per_second)
      : limits_(limits), ticks_per_second_(ticks_per_second) {}

  [[nodiscard]] const DutyLimits& limits() const { return limits_; }
  /// -1 to 1. From the tick on at which a piece ends it is where that leads to, however seconds are rounded.
  [[nodiscard]] double at(Tick now) const;
  /// Where it goes, or is.
  [[nodiscard]] double goal() const { return plan_ ? plan_->end() : held_; }
  [[nodiscard]] bool is_on_its_way() const { return plan_.has_value(); }
  /// The tick at which the piece that is on ends; `never` when none is.
  [[nodiscard]] Tick piece_ends() const;

  /// @param from  where it is now
  /// @param holds_for  s at its goal, before it goes back to none
  /// @param waits  s without drive, before it begins
  /// @throws RangeError as plan_duty(); what is on goes on
  void go(Tick now, double from, double to, std::optional<double> ramp, std::optional<double> holds_for = {},
          double waits = 0.0);
  /// A piece has ended. @return whether all of it has: it stays where it is
  bool end_piece(Tick now);
  /// Stays at a duty from now on, with nothing on.
  void stay(double duty) {
    plan_.reset();
    held_ = duty;
  }

 private:
  DutyLimits limits_;
  double ticks_per_second_;
  std::optional<DutyPlan> plan_{};
  Tick began_ = 0;
  std::optional<double> holds_for_{};
  std::optional<double> ramp_{};
  double held_ = 0.0;  // while no plan is on
};

}  // namespace cogstride
