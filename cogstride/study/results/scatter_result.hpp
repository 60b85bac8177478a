// What many homings of one mechanism found: how far its true zero lies from where the zero should be.
#pragma once

#include <string>
#include <vector>

namespace cogstride {

struct HomingTrial {
  double start = 0.0;   ///< where it stood, display units
  double error = 0.0;   ///< of its place after homing, display units; when it was found
  std::string fault{};  ///< why it was not
};

struct ScatterResult {
  std::string mechanism{};
  std::string unit{};      ///< mm or deg
  double microstep = 0.0;  ///< display units
  double noise = 0.0;      ///< of the sensor, rms, display units
  std::vector<HomingTrial> trials{};
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked

  [[nodiscard]] std::size_t failures() const;
  /// Of those that were found: mean, deviation and difference of the extremes of the error.
  [[nodiscard]] double mean() const;
  [[nodiscard]] double rms() const;
  [[nodiscard]] double spread() const;
};

}  // namespace cogstride
