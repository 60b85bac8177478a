// What stands between motor shaft and output: belts, gear pairs, a screw or a toothed drive. Its ratio is
// exact.
//
//   Train train{{Belt{18, 24}, Screw{8_mm}}};
//   motor_turns_per_base(train);   // 500/3 motor turns a metre
#pragma once

#include <cstdint>
#include <variant>
#include <vector>

#include "cogstride/mechanism/output.hpp"

namespace cogstride {

/// A toothed belt, `driving` teeth on the motor's side.
struct Belt {
  std::int64_t driving = 1;
  std::int64_t driven = 1;
};

/// Two gears in mesh, `driving` teeth on the motor's side.
struct GearPair {
  std::int64_t driving = 1;
  std::int64_t driven = 1;
};

/// A screw that moves its nut by `lead` a turn. It ends the train: the output is linear.
struct Screw {
  ExactLength lead{};
};

/// A toothed wheel that drives a belt or a rack along a line: `teeth` of `pitch` a turn. It ends the train.
struct ToothedDrive {
  std::int64_t teeth = 1;
  ExactLength pitch{};
};

using TrainStage = std::variant<Belt, GearPair, Screw, ToothedDrive>;

/// The stages from the motor shaft on; no stage at all means that the motor shaft is the output.
struct Train {
  std::vector<TrainStage> stages{};
};

[[nodiscard]] OutputKind output_kind(const Train& train);

/// Motor turns that move the output by one metre (linear) or one turn (rotary). Exact.
/// @throws RangeError when a tooth count or lead is not above 0 or what makes the output linear is not the
/// last stage.
[[nodiscard]] Ratio motor_turns_per_base(const Train& train);

/// Motor turns to one turn behind the gear pairs alone, which is what a gearbox is sold by; belts and what
/// makes the output linear are not in it. Exact.
[[nodiscard]] Ratio gear_ratio(const Train& train);

}  // namespace cogstride
