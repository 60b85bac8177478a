// Voltages of a brushless motor's three terminals at one instant, and what of them a row of six steps leaves
// free to tell.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/lines/events.hpp"

namespace cogstride {

/// Phases that a row joins to the supply and to ground, and the one that is free.
struct RowPhases {
  std::size_t from;
  std::size_t to;
  std::size_t free;
};

/// @param way  1 or -1: backwards the two that are joined change places
[[nodiscard]] inline RowPhases phases_in(int sector, int way) {
  namespace checks = chip::six_step_checks;
  const std::size_t from = checks::from_phase[sector];
  const std::size_t to = checks::to_phase[sector];
  return way > 0 ? RowPhases{from, to, 3 - from - to} : RowPhases{to, from, 3 - from - to};
}

struct TerminalSample {
  Tick at = 0;
  std::array<double, 3> volts{};  ///< of the terminals A, B, C, against ground

  /// V, of a phase against the mean of the three, where the star stands.
  [[nodiscard]] double off_star(std::size_t phase) const {
    return volts[phase] - (volts[0] + volts[1] + volts[2]) / 3.0;
  }
  /// Whether the free phase stands where a diode holds it. @pre the two others are joined
  [[nodiscard]] bool is_at_a_rail(const RowPhases& phases) const {
    const auto [low, high] = std::minmax(volts[phases.from], volts[phases.to]);
    const double margin = rail_share * (high - low);
    return volts[phases.free] < low + margin || volts[phases.free] > high - margin;
  }

 private:
  static constexpr double rail_share = 0.02;  // of the supply
};

}  // namespace cogstride
