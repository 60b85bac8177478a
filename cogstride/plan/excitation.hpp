// What the coils of a stepper carry, step by step, over one electrical turn: as ends that are switched on
// lines, or as currents of a microstepping board.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/chip/coils.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct ExcitationRow {
  std::int64_t step = 0;
  double ideal_angle = 0.0;  ///< of the field, degrees of an electrical turn, 0 to 360: equal steps
  double angle = 0.0;        ///< that the currents really make
  double field = 0.0;        ///< vector sum of both coils, in peaks of one
  double current_a = 0.0;    ///< share of the peak, -1 to 1
  double current_b = 0.0;
  std::vector<bool> high{};  ///< levels of the lines, in the order of `Excitation::lines`; none for STEP/DIR
  std::uint64_t port = 0;    ///< the same as one value: bit n is line n, lines 0 to 63
};

struct Excitation {
  struct Line {
    std::int64_t number = 0;
    std::string use{};  ///< "a_plus"
  };
  std::vector<Line> lines{};  ///< that the controller switches, in the order of their numbers
  std::vector<ExcitationRow> rows{};
  std::string how{};         ///< "full steps, two phases on"
  double motor_step = 0.0;   ///< degrees of the motor a row
  double worst_error = 0.0;  ///< of the field's angle against equal steps, electrical degrees
  std::int64_t still = 0;  ///< rows whose field stands where the last one's stood: too few levels of current
};

/// One electrical turn, forwards, from step 0 on. @throws RangeError unless the motor is a stepper
[[nodiscard]] Excitation excitation_of(const Mechanism& mechanism);

/// How the coils are switched by a board that leaves it to the controller. @throws RangeError for another
[[nodiscard]] chip::Stepping coil_stepping(const Mechanism& mechanism);

/// Levels of the four coil lines for the ends that are on (chip/coils.hpp), in the order of their numbers.
[[nodiscard]] std::vector<bool> coil_levels(const CoilWiring& wiring, std::uint8_t ends_on);

}  // namespace cogstride
