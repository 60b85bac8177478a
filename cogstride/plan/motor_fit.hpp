// From a measurement to the figures of a brushed motor and what it moves, each with its uncertainty.
//
//   MotorFit fit = fit_motor(feeder, table);
//   fit.figures[0].value;         // ohm
//   fit.figures[0].uncertainty;   // half of its 95 % interval
//
// The motor of plan/motor_estimates.hpp with its winding's inductance and copper that warms up is run with
// what was given to it; its figures are those with which what was measured is missed by the least squares
// (output error, L. Ljung, "System Identification", ch. 7; Levenberg and Marquardt's method as in MINPACK).
// Speed, current and temperature weigh by the noise that each turns out to have; the covariance is that of
// the last step's Jacobian, and the interval Student's.
//
// A figure whose interval is wider than half of it cannot be told by this table: it is kept as the rig has
// it, with the reason and the motion that would tell it.
#pragma once

#include <string>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/measured_table.hpp"

namespace cogstride {

struct FittedFigure {
  const char* name = "";     ///< "winding resistance"
  const char* key = "";      ///< of the rig, after the mechanism's name: "motor.resistance"
  const char* unit = "";     ///< in which it is shown and written
  double value = 0.0;        ///< in that unit
  double uncertainty = 0.0;  ///< half of the 95 % interval, in that unit
  double was = 0.0;          ///< in the rig; 0 where it says nothing
  bool is_told = false;
  bool is_open = false;      ///< not told, and yet not held at the rig's: `value` is where it came to
  std::string why_not{};     ///< why the table cannot tell it
  std::string would_tell{};  ///< the motion that would
};

struct MotorFit {
  std::vector<FittedFigure> figures{};  ///< those that a table of these columns could tell
  std::size_t rows = 0;
  double speed_noise = 0.0;    ///< rms of what is left, rad/s
  double current_noise = 0.0;  ///< A
  double rise_noise = 0.0;     ///< K
  /// What the motor does with what it was given, by the fitted figures, and by those of the rig.
  std::vector<MeasuredTable::Row> fitted{};
  std::vector<MeasuredTable::Row> by_rig{};

  [[nodiscard]] std::size_t told() const;
};

/// @throws RangeError for a motor of another kind, for a table that has too few rows or nothing but what was
/// given to it, or a duty whose mean voltage nobody knows
[[nodiscard]] MotorFit fit_motor(const Mechanism& mechanism, const MeasuredTable& table);

}  // namespace cogstride
