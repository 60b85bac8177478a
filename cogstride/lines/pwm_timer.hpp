// Duty channels of one PWM timer that one owner has: compare values in, level changes of its lines out.
//
// Edge-aligned, a channel is on from the period's start; centre-aligned, its on-time lies around the middle.
// New compare values are taken over together at a period's start. With a complementary line each of the two
// goes off at once and comes on a dead time after the other went off, so that both are never on together,
// whatever is ordered. What of a channel is driven (PwmDrive) is taken over with its compare value.
#pragma once

#include <vector>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

class PwmTimer {
 public:
  /// @throws RangeError when the period is not above 0 or the dead time is negative.
  explicit PwmTimer(PwmSetup setup);

  /// Takes `compare` over at the first period that starts at or after `at`; periods start at multiples of the
  /// period. It is one of these channels', and its on-time within the period.
  void put(Tick at, const Compare& compare);
  /// Forgets what was put for `from` or later.
  void withdraw(Tick from);
  /// All lines off until the next put.
  void stop();
  /// Whether one of its channels is on for a part of its periods, or will be.
  [[nodiscard]] bool is_driving() const;
  /// The tick of the next change or period start; `never` while stopped.
  [[nodiscard]] Tick next() const { return next_; }
  /// Goes to next() and appends the levels that change there (true: on).
  void advance(std::vector<Level>& changes);
  [[nodiscard]] std::vector<LineId> lines() const;
  /// Averaged: nothing is switched, and each put is told as shares of the period instead.
  [[nodiscard]] bool is_averaged() const { return setup_.averaged; }
  struct Share {
    LineId line;
    double share;
  };
  /// Goes to next() and appends the shares that begin there; averaged ones only.
  void advance(std::vector<Share>& shares);

 private:
  /// One of a channel's two lines.
  struct Side {
    bool wanted = false;  // what the compare unit says
    bool on = false;
    Tick off_since = -never / 2;
    Tick comes_on = never;  // end of a dead time
  };
  struct Channel {
    Tick on_ticks = 0;
    PwmDrive drive = PwmDrive::both;
    bool runs = false;  // has been given a compare value
    Side line{};
    Side complement{};
    Tick change_at = never;  // the compare unit's next change
  };
  struct Pending {
    Tick at;
    Compare compare;
  };

  void start_period(Tick at);
  void find_next();
  void compare(std::size_t index, Tick at, std::vector<Level>& changes);
  void come_on(std::size_t index, Tick at, std::vector<Level>& changes);
  [[nodiscard]] bool stands_still() const;
  [[nodiscard]] std::size_t place_of(LineId line) const;
  [[nodiscard]] Tick rise_of(const Channel& channel) const;

  PwmSetup setup_;
  std::vector<Channel> channels_;
  std::vector<Pending> pending_;
  Tick period_start_ = 0;
  Tick next_period_ = never;
  Tick next_ = never;  // the soonest of all these
};

/// Its channels by the owners of their lines, each a timer of its own: what one of them has queued is taken
/// back alone, and all go on in step.
[[nodiscard]] std::vector<PwmSetup> by_owner(const PwmSetup& setup, std::span<const LineSetup> lines);

}  // namespace cogstride
