// How fast a computer can put pulses out, rate by rate.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace cogstride {

struct RateTrial {
  double rate = 0.0;  ///< pulses a second
  std::int64_t edges = 0;
  std::int64_t edges_too_late = 0;  ///< by more than the bound
  double late_99 = 0.0;             ///< s
  double late_worst = 0.0;          ///< s

  [[nodiscard]] bool holds() const { return edges > 0 && edges_too_late == 0; }
};

struct RateResult {
  std::vector<RateTrial> trials{};  ///< in the order in which they were made
  double bound = 0.0;               ///< s
  double highest = 0.0;             ///< pulses a second that held; 0 when none did
  std::string on{};                 ///< what was driven
  std::string conditions{};         ///< of the player, in words
};

}  // namespace cogstride
