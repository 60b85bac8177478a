// What the keys of one part of a rig must keep to among each other, beyond what each of them may be: each
// breach is an error at its place in the file.
#pragma once

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/rig/files/toml_table.hpp"

namespace cogstride {

void check(TomlTable& table, const Stepper& motor);
/// @param board  what its switches set is filled in where it does not list what can be set
void check(TomlTable& table, StepDirBoard& board);
void check(TomlTable& table, const BrushlessMotor& motor);
void check(TomlTable& table, const SixGateInverter& board);
void check(TomlTable& table, const TransistorArray& board);
void check(TomlTable& table, const DualHBridge& board);
void check(TomlTable& table, const PulseWidthInput& board);
void check(TomlTable& table, const HallSet& halls);
void check(TomlTable& table, const PlaceSwitch& place_switch);
/// Of all the others each key stands for itself.
template <class Part>
void check(TomlTable&, const Part&) {}

}  // namespace cogstride
