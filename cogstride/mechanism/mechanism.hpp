// One motor with its board, train, sensors and limits.
#pragma once

#include <optional>
#include <string>

#include "cogstride/mechanism/parts.hpp"
#include "cogstride/mechanism/train.hpp"

namespace cogstride {

struct Mechanism {
  std::string name{};
  Supply supply{};
  BipolarStepper motor{};
  StepDirBoard board{};
  StepDirWiring wiring{};
  Train train{};
  std::optional<Ratio> train_sold_as{};  ///< motor turns to one of the output, as a label says
  Load load{};
  Limits limits{};
  std::optional<OpticalGate> gate{};
  std::optional<Homing> homing{};  ///< needs a gate
  std::optional<HardEnds> hard_ends{};
};

/// Steps (microsteps, pulses on STEP) that move the output by one metre or one turn. Exact.
[[nodiscard]] inline Ratio steps_per_base(const Mechanism& mechanism) {
  return Ratio(mechanism.motor.full_steps) * Ratio(mechanism.board.microsteps) *
         motor_turns_per_base(mechanism.train);
}

/// The step nearest to a position, half away from zero: its rounded image.
/// @throws RangeError when the position is of the other kind (mm for a rotary output) or out of reach of 63
/// bits.
[[nodiscard]] std::int64_t step_at(const Mechanism& mechanism, OutputPosition position);

/// @throws RangeError when `kind` is not the kind of the mechanism's output.
void require_kind(const Mechanism& mechanism, OutputKind kind);

/// Steps a second (a second squared, for PerTime 2) of an output amount.
template <int PerTime>
[[nodiscard]] double steps_per_time(const Mechanism& mechanism, OutputAmount<PerTime> amount) {
  require_kind(mechanism, amount.kind);
  return (amount.base * steps_per_base(mechanism)).to_double();
}

}  // namespace cogstride
