// What six steps put on the gates: the row of a sector, with as much of each period on as gives the duty that
// is wanted.
#pragma once

#include <optional>

#include "cogstride/board/six_gate.hpp"
#include "cogstride/motion/brushless/rotor_angle.hpp"
#include "cogstride/plan/diode_conduction.hpp"

namespace cogstride {

class SixStepOutput {
 public:
  /// @throws RangeError when it is no bare brushless motor on a six-gate inverter
  SixStepOutput(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  [[nodiscard]] const GateDriver& driver() const { return driver_; }
  [[nodiscard]] const chip::SixStepTable& table() const { return table_; }
  /// The row of where the rotor is. @param duty  share of its supply that drives it on average, -1 to 1
  /// @param emf  what the back-EMF takes of it, with its sign
  /// @param when_none  the row is put though nothing of a period would be on, so that its current is told
  /// @return whether all of it is put; else it is to be put again after a period
  bool put(Lines& lines, const RotorAngle& angle, double duty, double emf, bool when_none);
  /// All gates off from the next period on.
  void put_off(Lines& lines);
  void lines_were_cut();
  /// What is on of each period, with its sign, -1 to 1.
  [[nodiscard]] double given() const { return given_; }

 private:
  GateDriver driver_;
  chip::SixStepTable table_;
  std::optional<DiodeConduction> by_diodes_{};
  double given_ = 0.0;
};

}  // namespace cogstride
