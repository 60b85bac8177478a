// A knob or a stick as a share: from the voltage of its analogue input, over the whole of its travel.
//
//   KnobScale scale(hand, analogue);
//   share = scale.share(volts, share);    // 0 to 1; a stick with a centre: -1 to 1
//
// Both ends and the centre are wider than the noise, so that they are reached and do not flicker; between
// them a share changes only by more than the noise, so that what hangs on it stands still while the hand
// does.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class KnobScale {
 public:
  /// @throws RangeError when its range is none, or its centre lies outside
  KnobScale(const HandControl& hand, const AnalogueInputs& analogue);

  /// @param volts  a mean of `codes_per_mean` codes
  /// @param last  the share before; it stays when nothing but noise has changed
  [[nodiscard]] double share(double volts, double last) const;
  /// The voltage at a share: what a hand does to it.
  [[nodiscard]] double volts(double share) const;
  [[nodiscard]] bool has_centre() const { return has_centre_; }

  static constexpr int codes_per_mean = 4;

 private:
  double low_;
  double high_;
  double centre_ = 0.0;
  bool has_centre_ = false;
  bool reversed_;
  double end_band_;     // V at each end
  double centre_band_;  // V at each side of the centre
  double still_;        // share that is no change
};

}  // namespace cogstride
