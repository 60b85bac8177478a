// From which speed on the back-EMF of a brushless motor tells its angle, through dividers and a converter.
//
// A phase that carries no current stands at the star's voltage and its own back-EMF, E sin a. That goes
// through nothing in the middle of the sixth of a turn in which it is free; noise n of a reading shifts that
// by n / E of a radian. While all three are free, diodes hold the lowest terminal at ground: the two others
// are told from it when they are more than a diode's drop above it.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct BackEmfSense {
  double constant = 0.0;         ///< V s/rad by shaft speed, peak of a phase
  double radians_per_row = 0.0;  ///< of the shaft, that a sixth of an electrical turn is
  double volts_per_code = 0.0;   ///< at a terminal
  double least_volts = 0.0;      ///< at a terminal: less may be noise
  double hand_over_rate = 0.0;   ///< rows/s (sixths of an electrical turn) from which it is told well

  /// V, peak of a phase. @param rate  rows/s
  [[nodiscard]] double peak_at(double rate) const { return constant * radians_per_row * rate; }
};

/// @throws RangeError when it is no bare brushless motor, or the controller has no analogue inputs
[[nodiscard]] BackEmfSense back_emf_sense(const Mechanism& mechanism, const TerminalVoltages& terminals,
                                          const Controller& controller);

}  // namespace cogstride
