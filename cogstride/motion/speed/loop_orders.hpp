// What a loop is told that whoever plays the lines closes (LoopSetup): the course of a SpeedHold in
// stretches, ahead of time; and what it said of itself.
#pragma once

#include <deque>
#include <optional>
#include <span>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"

namespace cogstride {

class LoopOrders {
 public:
  LoopOrders(LoopSetup setup, double ticks_per_second);

  [[nodiscard]] const LoopSetup& setup() const { return setup_; }
  /// When what is ordered now comes to be wanted: the next step of the loop that can still be told.
  [[nodiscard]] Tick begins(const Lines& lines) const;
  /// Tells of itself from now on. @param stride  ticks from one time to the next
  void ask(Lines& lines, Tick stride) const;
  void hear(std::span<const Reading> readings);
  /// What it said last, of what it holds now; nothing: it has said nothing yet.
  [[nodiscard]] const std::optional<LoopTold>& said() const { return said_; }

  /// Tells what is wanted, as far ahead as is needed. @param lets  share of its duty that is let through
  /// @param has_changed  what is wanted is not what was told for later; where that comes often, it is told
  /// now and then
  void tell(Lines& lines, SpeedHold& hold, double lets, bool has_changed);
  /// When more of it is to be told.
  [[nodiscard]] Tick next_tell() const { return is_on_ ? tells_at_ : never; }
  /// What is wanted from now on does not go on from what it gave way to.
  void begin_anew() { is_anew_ = true; }
  /// It ends. @return when its lines are free for something else
  Tick end(Lines& lines);
  /// All lines were put at rest.
  void forget();
  [[nodiscard]] bool is_on() const { return is_on_; }
  /// What was wanted of it at an instant, whatever it gave way to.
  [[nodiscard]] SpeedWanted wanted(Tick at) const;

 private:
  struct Told {
    Tick at = 0;
    chip::LoopWanted wanted{};
    double place = 0.0;  // counts, where the stretch begins
  };
  [[nodiscard]] Tick on_grid(Tick at) const;
  [[nodiscard]] bool is_renewed(Tick soonest, double lets) const;

  LoopSetup setup_;
  double ticks_per_second_;
  Tick period_;
  bool is_on_ = false;
  bool is_anew_ = false;
  bool has_changed_ = false;  // what is wanted, since it was told
  Tick begun_ = 0;            // a step of it
  Tick told_to_ = 0;
  Tick renewed_at_ = 0;
  Tick tells_at_ = never;
  Tick stretch_ = 0;  // so long is one
  Tick anew_at_ = 0;  // what it says of earlier instants is of something else
  double lets_ = 1.0;
  std::deque<Told> told_{};
  std::optional<LoopTold> said_{};
};

}  // namespace cogstride
