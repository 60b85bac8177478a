// Rows that follow each other round and round, one a step: which of several lines are on.
//
//   const uint8_t rows[] = {1, 4, 2, 8};
//   RowCycle cycle(rows, 4);
//   cycle.step(false);   // 4
//
// C++14 with <stdint.h> alone: no heap, no division.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

class RowCycle {
 public:
  /// Stands at the first row. @param rows  must outlive it; @param count  1 or more
  constexpr RowCycle(const uint8_t* rows, uint8_t count) : rows_(rows), count_(count), at_(0) {}

  /// Stands at that row.
  void begin(uint8_t at) { at_ = at; }
  /// Bit by bit what is on in the row that it stands at.
  COGSTRIDE_IN_INTERRUPT constexpr uint8_t row() const { return rows_[at_]; }
  /// To the next row, or the one before. @return it
  COGSTRIDE_IN_INTERRUPT constexpr uint8_t step(bool backwards) {
    if (backwards) {
      at_ = static_cast<uint8_t>((at_ == 0 ? count_ : at_) - 1);
    } else {
      at_ = static_cast<uint8_t>(at_ + 1 == count_ ? 0 : at_ + 1);
    }
    return row();
  }

 private:
  const uint8_t* rows_;
  uint8_t count_;
  uint8_t at_;
};

}  // namespace chip
}  // namespace cogstride
