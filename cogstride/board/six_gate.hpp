// Six gates of a three-phase inverter, from the controller's side: a row of a six-step table becomes compare
// values of six channels, taken over together at a period's start.
//
// No gate comes on before the other one of its leg has been off for the board's dead time: a row that changes
// sides in a leg leaves that leg off for a whole period first.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class GateDriver {
 public:
  /// @throws RangeError when it is no six-gate inverter, its timer cannot make the frequency, or a period is
  /// shorter than the dead time
  GateDriver(const Mechanism& mechanism, MechanismId id, PwmGroup group, const Controller& controller);

  [[nodiscard]] MechanismId id() const { return id_; }
  /// Its lines, at rest with every gate off.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] PwmSetup pwm_setup() const;
  [[nodiscard]] Tick period() const { return period_; }

  /// From the first period that begins at `at` or later. @param duty  of what the row switches, 0 to 1
  /// @return whether all of the row is put: else a leg stays off for a period, and it is to be put again
  bool put(Lines& lines, Tick at, const chip::SixStepRow& row, double duty);
  /// All gates off.
  void put_off(Lines& lines, Tick at);
  /// All lines were put at rest.
  void lines_were_cut() { last_on_ = before_on_ = 0; }

 private:
  void put_gates(Lines& lines, Tick at, std::uint8_t on, std::uint8_t switched, double duty);

  std::string name_;
  MechanismId id_;
  PwmGroup group_;
  GateWiring wiring_;
  Tick period_ = 1;
  Tick grain_ = 1;
  std::uint8_t last_on_ = 0;    // gates of the period put last
  std::uint8_t before_on_ = 0;  // and of the one that goes on until then
  Tick last_from_ = 0;          // the period that it was put for
};

}  // namespace cogstride
