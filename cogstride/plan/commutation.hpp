// Six-step commutation of a mechanism: its table as the rig wires it, row by row, with what the gates, the
// terminals and the Hall sensors do in it.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// What a terminal of the motor is joined to in a row.
enum class PhaseState : std::uint8_t { off, low, high };

struct CommutationRow {
  int sector = 0;           ///< 0 to 5
  double angle_from = 0.0;  ///< of the rotor, electrical degrees, forwards
  double angle_to = 0.0;
  std::array<bool, 6> on{};        ///< gates: a high, a low, b high, b low, c high, c low
  std::array<bool, 6> switched{};  ///< those that the duty switches
  std::array<bool, 6> high{};      ///< levels of the gate lines
  std::uint64_t port = 0;          ///< of the gate lines as one value: bit n is line n, lines 0 to 63
  std::array<PhaseState, 3> phases{};
  std::optional<std::array<bool, 3>> halls{};  ///< levels of the Hall lines, where there are sensors
  std::uint8_t hall_code = 0;                  ///< the same as a number: the first line is bit 0
};

struct Commutation {
  struct Line {
    std::int64_t number = 0;
    std::string use{};  ///< "a_high"
  };
  std::array<Line, 6> gates{};
  std::vector<Line> halls{};
  std::vector<CommutationRow> rows{};      ///< one electrical turn, in the order of motion
  std::vector<std::uint8_t> impossible{};  ///< Hall codes that cannot be
  bool backwards = false;
  double motor_sector = 0.0;  ///< degrees of the motor a row
  chip::SixStepTable table{};
};

/// The wiring of a mechanism as chip/six_step.hpp takes it; bits of its port are gates, not lines.
/// @throws RangeError unless it is a bare brushless motor on a six-gate inverter
[[nodiscard]] chip::SixStepWiring six_step_wiring(const Mechanism& mechanism);

/// How three Hall sensors are wired, into that.
void wire_halls(chip::SixStepWiring& wiring, const HallSet& halls);

/// @throws RangeError as above, or when the table would not be sound
[[nodiscard]] Commutation commutation_of(const Mechanism& mechanism, bool backwards = false);

}  // namespace cogstride
