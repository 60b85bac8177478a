// Whether the rotor of a brushless motor turns with the field that it is stepped by open loop, by the
// voltages of its terminals.
//
// The free phase shows its back-EMF, and what the current of the two others induces in it where the
// inductance depends on the rotor's angle a: as sin 2a against the phases' axes. A rotor that turns with its
// field meets the same from row to row, with the other sign; so do its back-EMFs. Where it stands, 2a moves
// on by a third of a turn with each row: over three rows, signs undone, that adds up to nothing, and back-EMF
// there is none.
#pragma once

#include <array>
#include <cstddef>

#include "cogstride/motion/brushless/terminal_sample.hpp"
#include "cogstride/plan/back_emf_sense.hpp"

namespace cogstride {

class FieldWatch {
 public:
  FieldWatch(const BackEmfSense& sense, double ticks_per_second)
      : sense_(sense), ticks_per_second_(ticks_per_second) {}

  /// Before its first row.
  void begin();
  /// A sample in the middle of what is on. @param sector  of the row; @param rate  rows/s; 0: it is aligned
  /// @return whether over three rows so little back-EMF was left that it cannot turn with them
  bool look(const TerminalSample& sample, int sector, double rate);

 private:
  static constexpr std::size_t row_parts = 3;
  struct Part {
    double sum = 0.0;  // V, of the free phase, as it would be in an even sector
    int count = 0;     // of what was asked, in which no diode carried current
    int asked = 0;
  };
  [[nodiscard]] bool is_silent(double least) const;

  BackEmfSense sense_;
  double ticks_per_second_;
  int sector_ = -1;
  Tick row_began_ = 0;
  std::size_t rows_before_ = 0;
  std::array<std::array<Part, row_parts>, 3> rows_{};  // the last three, in turn
  bool stands_ = false;
};

}  // namespace cogstride
