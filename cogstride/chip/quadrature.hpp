// Decoding the two tracks of an incremental encoder: counts of 1, 2 or 4 edges a line, and what cannot be.
//
//   quarter     0  1  2  3      forwards, A leads B
//   A           0  1  1  0
//   B           0  0  1  1
//
// With fewer than four edges a line the same edge counts up and down, so that going to and fro over it never
// drifts. Both tracks changing at once is no quarter further but two, either way: such a transition is
// counted as illegal, and the count left as it is.
//
// Plain C++14 with integers alone: it also runs on a microcontroller.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam Count  int64_t on a host, int32_t or less on a chip
template <class Count>
class QuadratureDecoderOf {
 public:
  /// @param edges  of a line that count: 1, 2 or 4
  explicit constexpr QuadratureDecoderOf(uint8_t edges = 4) : edges_(edges) {}

  /// The levels at the start: nothing is counted.
  constexpr void begin(bool a, bool b) { quarter_ = quarter_of(a, b); }

  /// Takes the levels as they are now. @return -1, 0 or +1, what was counted
  constexpr int8_t take(bool a, bool b) {
    const uint8_t quarter = quarter_of(a, b);
    const uint8_t way = (quarter - quarter_) & 3u;
    const uint8_t before = quarter_;
    quarter_ = quarter;
    if (way == 0) return 0;
    if (way == 2) {
      ++illegal_;
      return 0;
    }
    // The boundary that was crossed, named by the quarter above it.
    const uint8_t boundary = way == 1 ? quarter : before;
    const bool counts =
        edges_ == 4 || (edges_ == 2 && (boundary & 1u) == 1) || (edges_ == 1 && boundary == 1);
    if (!counts) return 0;
    const int8_t step = way == 1 ? 1 : -1;
    count_ += step;
    return step;
  }

  /// Takes the level of the index line, after the tracks of the same instant: its rising edge keeps the
  /// count, so that a whole turn can be told from one that lost an edge. @return whether it did
  constexpr bool take_index(bool high) {
    const bool rises = high && !index_;
    index_ = high;
    if (rises) index_count_ = count_;
    if (rises) ++indexes_;
    return rises;
  }

  constexpr Count count() const { return count_; }
  /// The count at the last index pulse, and how many there were.
  constexpr Count index_count() const { return index_count_; }
  constexpr uint32_t indexes() const { return indexes_; }
  constexpr uint32_t illegal() const { return illegal_; }

 private:
  static constexpr uint8_t quarter_of(bool a, bool b) {
    return static_cast<uint8_t>(a ? (b ? 2 : 1) : (b ? 3 : 0));
  }

  Count count_ = 0;
  Count index_count_ = 0;
  uint32_t indexes_ = 0;
  uint32_t illegal_ = 0;
  bool index_ = false;
  uint8_t edges_;
  uint8_t quarter_ = 0;
};

typedef QuadratureDecoderOf<int64_t> QuadratureDecoder;

/// The same for an interrupt that has no time: all four edges of a line, by a table of sixteen.
class QuadratureTracks {
 public:
  /// @param tracks  bit 0: A, bit 1: B
  void begin(uint8_t tracks) { last_ = static_cast<uint8_t>(tracks << 2); }
  /// @return -1, 0 or +1; 0 for both tracks at once, which is counted as illegal
  int8_t take(uint8_t tracks) {
    static constexpr int8_t ways[16] = {0, 1, -1, 2, -1, 0, 2, 1, 1, 2, 0, -1, 2, -1, 1, 0};
    const int8_t way = ways[static_cast<uint8_t>(last_ | tracks)];
    last_ = static_cast<uint8_t>(tracks << 2);
    if (__builtin_expect(way == 2, 0)) {
      ++illegal_;
      return 0;
    }
    return way;
  }
  uint8_t illegal() const { return illegal_; }

 private:
  uint8_t last_ = 0;  // times four
  uint8_t illegal_ = 0;
};

/// A line whose level counts only once it has stood for some ticks: shorter pulses leave nothing behind.
/// @tparam Time  Tick, or the milliseconds of a chip's clock, which may wrap
template <class Time>
class GlitchFilterOf {
 public:
  explicit constexpr GlitchFilterOf(Time stands_for = 0) : stands_for_(stands_for) {}

  constexpr void begin(bool level) {
    level_ = level;
    raw_ = level;
  }
  /// The line changed to `level` at `at`; settle() first.
  constexpr void change(bool level, Time at) {
    raw_ = level;
    since_ = at;
  }
  /// A change that has stood long enough by `now` counts. @return whether one did
  constexpr bool settle(Time now) {
    if (raw_ == level_ || static_cast<Time>(now - since_) < stands_for_) return false;
    level_ = raw_;
    return true;
  }
  constexpr bool level() const { return level_; }
  /// When the change that is waiting will count, or did.
  constexpr Time counts_at() const { return since_ + stands_for_; }
  constexpr bool is_waiting() const { return raw_ != level_; }

 private:
  Time stands_for_;
  Time since_ = 0;
  bool level_ = false;
  bool raw_ = false;
};

typedef GlitchFilterOf<Tick> GlitchFilter;

/// A switch that a chip's main program looks at: its contact may bounce for some milliseconds.
class DebouncedSwitch {
 public:
  /// @param steady_for  ms that its level must stand
  explicit constexpr DebouncedSwitch(uint16_t steady_for) : filter_(steady_for) {}
  constexpr void begin(bool level) {
    filter_.begin(level);
    seen_ = level;
  }
  /// @param now  ms, which may wrap @return whether what counts has changed
  constexpr bool look(bool level, uint16_t now) {
    if (level != seen_) {
      seen_ = level;
      filter_.change(level, now);
    }
    return filter_.settle(now);
  }
  constexpr bool level() const { return filter_.level(); }

 private:
  GlitchFilterOf<uint16_t> filter_;
  bool seen_ = false;
};

}  // namespace chip
}  // namespace cogstride
