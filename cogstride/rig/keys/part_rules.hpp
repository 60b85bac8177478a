// What the keys of one part of a rig must keep to among each other, beyond what each of them may be. Whoever
// has the part (a table of a file, a rig that was put together in a program) is told of each breach.
#pragma once

#include <string>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class PartErrors {
 public:
  virtual ~PartErrors() = default;
  /// @param key  of the part; "" is the part itself
  virtual void error(const char* key, const std::string& message, const char* code = "") = 0;
  /// Whether the key was written.
  [[nodiscard]] virtual bool has(const char* key) const = 0;
};

void check(PartErrors& errors, const Stepper& motor);
/// @param board  what its switches set is filled in where it does not list what can be set
void check(PartErrors& errors, StepDirBoard& board);
void check(PartErrors& errors, const BrushlessMotor& motor);
void check(PartErrors& errors, const SixGateInverter& board);
void check(PartErrors& errors, const TransistorArray& board);
void check(PartErrors& errors, const DualHBridge& board);
void check(PartErrors& errors, const PulseWidthInput& board);
void check(PartErrors& errors, const HallSet& halls);
void check(PartErrors& errors, const PlaceSwitch& place_switch);
/// Of all the others each key stands for itself.
template <class Part>
void check(PartErrors&, const Part&) {}

void check_limits(PartErrors& errors, const Limits& limits, const std::optional<HardEnds>& hard_ends);
void check_homing(PartErrors& errors, const Homing& homing, OutputKind kind, const Limits& limits,
                  const std::vector<Sensor>& sensors);
/// Against its limits.
void check_by_hand(PartErrors& errors, const Mechanism& mechanism);
/// Its lines against its board.
void check_wiring(PartErrors& errors, const Mechanism& mechanism);
/// Its board against its motor.
void check_board_fits(PartErrors& errors, const Mechanism& mechanism);

}  // namespace cogstride
