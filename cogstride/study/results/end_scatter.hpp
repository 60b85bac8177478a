// Where a mechanism ends after a pattern that only time decides, over many runs that differ in their noise.
#pragma once

#include <algorithm>
#include <cmath>
#include <string>
#include <vector>

namespace cogstride {

struct EndScatter {
  std::string mechanism{};
  std::string unit{};                  ///< mm or deg
  std::vector<double> ends{};          ///< of each run, from where it began
  std::size_t failures = 0;            ///< runs that ended otherwise
  bool never_moved = true;             ///< in any run, however little
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked

  [[nodiscard]] double mean() const {
    double sum = 0.0;
    for (const double end : ends) sum += end;
    return ends.empty() ? 0.0 : sum / static_cast<double>(ends.size());
  }
  /// Deviation from the mean.
  [[nodiscard]] double rms() const {
    double squares = 0.0;
    for (const double end : ends) squares += (end - mean()) * (end - mean());
    return ends.size() < 2 ? 0.0 : std::sqrt(squares / static_cast<double>(ends.size() - 1));
  }
  /// From the least to the most.
  [[nodiscard]] double spread() const {
    if (ends.empty()) return 0.0;
    const auto [least, most] = std::minmax_element(ends.begin(), ends.end());
    return *most - *least;
  }
};

}  // namespace cogstride
