// How well the edges of a run on live lines kept their times.
#pragma once

#include <cstdint>
#include <string>

namespace cogstride {

struct LivePlay {
  std::int64_t edges = 0;           ///< written
  std::int64_t edges_too_late = 0;  ///< by more than the bound
  double late_99 = 0.0;             ///< s, that 99 of 100 edges were not later than
  double late_worst = 0.0;          ///< s
  double bound = 0.0;               ///< s
  double stood_still = 0.0;         ///< s, for which all lines waited
  std::string conditions{};         ///< of the player, in words
  bool by_a_chip = false;           ///< which makes the edges, and does not tell of each: none of the above
  std::string record_failure{};  ///< why there is no record of the run; empty: there is, or none was wanted
};

}  // namespace cogstride
