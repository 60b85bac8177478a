// How a motor that is driven by duty answers to it, one way of switching beside the other.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace cogstride {

struct DutyPoint {
  double duty = 0.0;     ///< share
  double speed = 0.0;    ///< of the output, in the sweep's unit
  double current = 0.0;  ///< A, mean of its amount; not a number where nothing measures it
  double loss = 0.0;     ///< W, in winding and bridge; the same
};

struct DutyCurve {
  std::string way{};  ///< "slow decay at 20 kHz"
  bool is_the_rigs = false;
  double predicted_start = 0.0;   ///< share, by its friction, its load and this way
  std::vector<DutyPoint> up{};    ///< from none to full
  std::vector<DutyPoint> down{};  ///< and back, in that order

  /// The lowest duty on the way up that turns it, and the lowest on the way down that still does.
  [[nodiscard]] std::optional<double> start() const;
  [[nodiscard]] std::optional<double> drop_out() const;
  /// What a speed takes on the way up, between the points beside it; nothing where none reaches it.
  [[nodiscard]] std::optional<DutyPoint> at_speed(double speed) const;
  /// What a duty gives on the way up, between the points beside it.
  [[nodiscard]] DutyPoint at_duty(double duty) const;
};

struct DutySweep {
  std::string mechanism{};
  std::string unit{};           ///< of speeds, rpm or mm/s
  double compared_speed = 0.0;  ///< half of what full duty gives the rig's own way
  bool is_live = false;         ///< read on live lines, not on the simulated bench
  bool is_by_speeds = false;    ///< speeds were held and their duties read, not the other way round
  std::vector<DutyCurve> curves{};
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked
};

}  // namespace cogstride
