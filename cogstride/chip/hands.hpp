// What a hand does to a chip: a key that is held, a knob.
//
//   HoldToRun hold(300);                         // ms after which a hold that nobody renews is over
//   hold.press(+1, now);                         // at the press, and as long as it is held
//   switch (hold.look(now)) { ... }              // +1, -1: run; 0: brake
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "quadrature.hpp"

namespace cogstride {
namespace chip {

/// Runs while it is held, and not without a sign of life: a cable that breaks lets go.
class HoldToRun {
 public:
  /// @param lasts  ms, up to 32767
  explicit constexpr HoldToRun(uint16_t lasts) : lasts_(lasts) {}

  /// Pressed, or still held. @param way  +1 or -1
  void press(int8_t way, uint16_t now) {
    way_ = way;
    at_ = now;
  }
  void release() { way_ = 0; }
  /// @return the way to run, 0: to rest
  int8_t look(uint16_t now) {
    if (way_ != 0 && static_cast<uint16_t>(now - at_) > lasts_) {
      way_ = 0;
      ++timed_out_;
    }
    return way_;
  }
  /// How often a hold ended without a release.
  uint8_t timed_out() const { return timed_out_; }

 private:
  uint16_t lasts_;
  uint16_t at_ = 0;
  int8_t way_ = 0;
  uint8_t timed_out_ = 0;
};

/// A key as it counts: a contact that bounces is one press, and one that is held when it is first looked at
/// is none before it has been let go.
class SteadyKey {
 public:
  /// @param lasts  ms that it has to stand
  explicit constexpr SteadyKey(uint16_t lasts) : contact_(lasts) { contact_.begin(true); }

  /// @return +1: pressed, -1: let go, 0: as before
  int8_t look(bool acts, uint16_t now) {
    if (!contact_.look(acts, now)) return 0;
    if (contact_.level()) return 1;
    const bool was_first = is_first_;
    is_first_ = false;
    return was_first ? 0 : -1;
  }

 private:
  DebouncedSwitch contact_;
  bool is_first_ = true;
};

/// A knob's code as a speed. Both ends are wider than the noise, so that they are reached; in between the
/// speed changes only by more than the noise, so that it stands still while the hand does. Figures from the
/// host's KnobScale.
class KnobSpeed {
 public:
  /// @param low, high  codes between which it is even, 0 to 4095; @param still  codes that are no change
  constexpr KnobSpeed(uint16_t low, uint16_t high, uint8_t still, uint16_t least, uint16_t most)
      : low_(low), high_(high), still_(still), least_(least), most_(most) {}

  /// @return steps/s: 0 at the low end, least to most above it
  uint16_t look(uint16_t code) {
    const bool is_an_end = code <= low_ || code >= high_;
    const uint16_t off =
        code > taken_ ? static_cast<uint16_t>(code - taken_) : static_cast<uint16_t>(taken_ - code);
    if (is_an_end || off > still_) taken_ = code;
    if (taken_ <= low_) return 0;
    if (taken_ >= high_) return most_;
    return static_cast<uint16_t>(least_ +
                                 static_cast<uint32_t>(taken_ - low_) * (most_ - least_) / (high_ - low_));
  }

 private:
  uint16_t low_;
  uint16_t high_;
  uint8_t still_;
  uint16_t least_;
  uint16_t most_;
  uint16_t taken_ = 0;
};

}  // namespace chip
}  // namespace cogstride
