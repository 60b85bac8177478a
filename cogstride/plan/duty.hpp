// Duty cycles: shares of a period as compare values, and the way of a signed duty from one value to another.
//
//   DutyPlan plan = plan_duty(0.4, -0.4, limits);   // down, a pause without drive, up the other way
//   plan.duration();                                // s
//   plan.duty_at(0.1);                              // -1 to 1; below 0: backwards
//
// Between no drive and the lowest duty lies what does not turn the motor: it is jumped over, both ways. A
// reversal without a loop waits until the motor has spun down: reversed at speed, back-EMF and supply add up,
// and only the winding's resistance limits the current.
#pragma once

#include <array>
#include <cstddef>
#include <optional>

#include "cogstride/chip/tick.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// Ticks of a period for a share of it: the nearest whole number, exactly 0 for none and the whole period for
/// all.
/// @param share  0 to 1; beyond, it is the nearer of the two
/// @param period  ticks, above 0
/// @param grain  ticks of one count of the timer; the answer is a whole number of them, or the period
[[nodiscard]] chip::Tick on_ticks(double share, chip::Tick period, chip::Tick grain = 1);

struct DutyLimits {
  double lowest = 0.0;     ///< share, that it is asked to turn with
  double highest = 1.0;    ///< share
  double full_ramp = 0.2;  ///< s, from none to full at the fastest
  double pause = 0.0;      ///< s without drive before a reversal
};

/// Those of a brushed motor's mechanism; where its rig gives no pause, the time in which it spins down from
/// full speed. @throws RangeError for a mechanism of another kind
[[nodiscard]] DutyLimits duty_limits(const Mechanism& mechanism);

/// The duty of a signed fraction of what the mechanism may be given: 0 is none, and any other fraction lies
/// between the lowest and the highest duty, so that the smallest one turns it. @param fraction  -1 to 1
[[nodiscard]] double duty_of_fraction(double fraction, const DutyLimits& limits);

/// A duty against time in straight pieces.
class DutyPlan {
 public:
  struct Piece {
    double from = 0.0;
    double to = 0.0;
    double seconds = 0.0;
  };

  void add(const Piece& piece) { pieces_[count_++] = piece; }
  [[nodiscard]] double duration() const;
  /// @param seconds  since it began; before: where it began, beyond its end: where it ends
  [[nodiscard]] double duty_at(double seconds) const;
  [[nodiscard]] double end() const { return count_ == 0 ? 0.0 : pieces_[count_ - 1].to; }
  [[nodiscard]] std::size_t size() const { return count_; }
  [[nodiscard]] const Piece& operator[](std::size_t i) const { return pieces_[i]; }

 private:
  std::array<Piece, 3> pieces_{};  // down, pause, up
  std::size_t count_ = 0;
};

/// From one signed duty to another. The slopes take `ramp` seconds together, or the least that the limits
/// allow; a pause comes on top.
/// @param wait  s, still to pass without drive where it begins from none
/// @throws RangeError when `to` is beyond the highest or, but for 0, below the lowest duty, or when `ramp` is
/// too
///         short, with what can be had
[[nodiscard]] DutyPlan plan_duty(double from, double to, const DutyLimits& limits,
                                 std::optional<double> ramp = {}, double wait = 0.0);

}  // namespace cogstride
