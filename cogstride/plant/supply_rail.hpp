// A supply at the board that it feeds: it gives through a resistance and, unless it is a battery, takes
// nothing back; what is pumped into it then charges its capacitor, until a clamp takes it.
//
//   R C dv/dt = V - R i - v        while it gives;   C dv/dt = -i  above V;   a clamp at V_c through R_c
//
// Each is solved exactly over a time in which the current stays the same.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/mechanism/controller.hpp"

namespace cogstride {

class SupplyRail {
 public:
  explicit SupplyRail(const Supply& supply)
      : source_(supply.voltage.base()),
        resistance_(std::max(1e-3, supply.resistance.base())),
        capacitance_(supply.capacitance_at_board().base()),
        time_constant_(resistance_ * capacitance_),
        clamp_(supply.clamp_voltage ? supply.clamp_voltage->base() : std::numeric_limits<double>::infinity()),
        clamp_resistance_(supply.clamp_resistance ? supply.clamp_resistance->base() : 1.0),
        takes_back_(supply.charge.has_value()) {}

  [[nodiscard]] double source() const { return source_; }  ///< V, without load
  /// Share of a difference to where the voltage goes that is left after a time, while the supply gives.
  [[nodiscard]] double left_after(double seconds) const { return std::exp(-seconds / time_constant_); }

  /// V after a time. @param volts  before it; @param drawn  A, below 0 what is pumped back; @param left
  /// left_after(seconds); @param is_fed  the source is joined
  [[nodiscard]] double after(double volts, double drawn, double seconds, double left, bool is_fed) const {
    if (is_fed && (takes_back_ || volts - 1e-9 <= source_)) {
      const double at = source_ - resistance_ * drawn;
      return at + (volts - at) * left;
    }
    if (volts > clamp_) {
      const double at = clamp_ - clamp_resistance_ * drawn;
      return at + (volts - at) * std::exp(-seconds / (clamp_resistance_ * capacitance_));
    }
    return std::max(0.0, volts - drawn * seconds / capacitance_);
  }

 private:
  double source_;
  double resistance_;
  double capacitance_;
  double time_constant_;
  double clamp_;
  double clamp_resistance_;
  bool takes_back_;  // a battery
};

}  // namespace cogstride
