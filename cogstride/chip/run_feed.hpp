// Runs that lie in tables, put into an axis as it has room for them.
//
//   const RunPiece pieces[] COGSTRIDE_IN_FLASH = {{to_the_end, 120}, {pause, 1}, {back, 118}};
//   RunFeed<decltype(axis), avr8::ReadFlash> feed(axis);
//   feed.begin(pieces, 3);
//   while (feed.serve()) {}                      // the main program
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "pulse_run.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// Some runs of a table.
struct RunPiece {
  const NarrowPulseRun* runs;
  uint16_t count;
};

/// @tparam Read  what reads a run and a piece where they lie: of a port, or ReadPlainly
template <class Axis, class Read>
class RunFeed {
 public:
  explicit RunFeed(Axis& axis) : axis_(axis) {}

  /// Puts as many as there is room for; the axis begins when it is told to.
  /// @param pieces  the very last run of them says that nothing follows (run_ends)
  COGSTRIDE_ONCE void begin(const RunPiece* pieces, uint8_t count) {
    next_piece_ = pieces;
    pieces_ = count;
    left_ = 0;
    serve();
  }
  /// @return whether there are more to put
  COGSTRIDE_ONCE bool serve() {
    for (;;) {
      if (left_ == 0) {
        if (pieces_ == 0) return false;
        const RunPiece piece = Read()(*next_piece_);
        ++next_piece_;
        --pieces_;
        next_ = piece.runs;
        left_ = piece.count;
      }
      if (axis_.is_full()) return true;
      if (!axis_.put(Read()(*next_))) return drop();
      ++next_;
      --left_;
    }
  }
  /// @return false
  bool drop() {
    left_ = 0;
    pieces_ = 0;
    return false;
  }

 private:
  Axis& axis_;
  const RunPiece* next_piece_ = nullptr;
  uint8_t pieces_ = 0;
  const NarrowPulseRun* next_ = nullptr;
  uint16_t left_ = 0;
};

/// Where a table lies in plain memory.
struct ReadPlainly {
  template <class T>
  const T& operator()(const T& there) const {
    return there;
  }
};

}  // namespace chip
}  // namespace cogstride
