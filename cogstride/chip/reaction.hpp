// What is done when an input says so without asking whoever plans: all lines come to rest.
//
//   Reaction pressed(true, 0, 240000, 0);   // high counts at once, low when it has lasted 5 ms of 48 MHz
//   pressed.edge(true, at, true);           // it changed
//   if (pressed.is_due(now)) cut();
//
// A contact that bounces acts once: until it has been back for long enough, its edges are the same press.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

class Reaction {
 public:
  static constexpr Tick never = INT64_MAX;

  /// @param when_high  the level that it is about
  /// @param steady_for  ticks that it has to stand before it counts; 0: its edge counts
  /// @param released_for  ticks that it has to be back before it can count again
  /// @param waits  ticks from when it counts in which somebody else may act on it first
  constexpr Reaction(bool when_high, Tick steady_for, Tick released_for, Tick waits)
      : when_high_(when_high), steady_for_(steady_for), released_for_(released_for), waits_(waits) {}

  /// The input has changed. @param counts  whether it is to act, should it stand
  void edge(bool high, Tick at, bool counts) {
    settle(at);
    const bool is_there = high == when_high_;
    steady_at_ = is_there == stands_ ? never : at + (is_there ? steady_for_ : released_for_);
    counts_ = is_there && counts;
    settle(at);
  }
  /// When it acts, if it stays so and nobody else does; `never` while it need not.
  constexpr Tick due_at() const {
    return due_ != never ? due_ : steady_at_ != never && counts_ ? steady_at_ + waits_ : never;
  }
  constexpr bool is_due(Tick now) const { return due_at() <= now; }
  /// It has been acted on, or is not to be.
  void forget() {
    due_ = never;
    counts_ = false;
  }

 private:
  /// What has stood long enough by now is so.
  void settle(Tick now) {
    if (steady_at_ > now) return;
    stands_ = !stands_;
    if (stands_ && counts_) due_ = steady_at_ + waits_;
    steady_at_ = never;
  }

  bool when_high_;
  Tick steady_for_;
  Tick released_for_;
  Tick waits_;
  bool stands_ = false;
  bool counts_ = false;     // the edge that made it so was to
  Tick steady_at_ = never;  // when it will have changed
  Tick due_ = never;
};

}  // namespace chip
}  // namespace cogstride
