// Reads what was measured on a motor from a CSV file: the form that `rehearse --csv` writes, or a table
// written by hand.
//
//   time_s, duty_percent, speed_rpm, current_A
//   0,      20,           ,          0.31          an empty cell: not measured here
//
// A column's name ends in its unit: time, duty or voltage, speed (of the output) or motor_speed, current,
// temperature (of the winding, cold in the first row) or motor_rise. Columns of another mechanism are left.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/measured_table.hpp"

namespace cogstride {

struct MeasuredCsv {
  MeasuredTable table{};
  std::vector<std::string> unused{};  ///< columns that nothing was made of, this mechanism's or nobody's
};

/// @throws InputError with everything that is wrong, Error when the file cannot be read
[[nodiscard]] MeasuredCsv read_measured(const std::string& path, const Mechanism& mechanism);
/// The same from text; `name` stands for the file in messages.
[[nodiscard]] MeasuredCsv parse_measured(std::string_view text, const std::string& name,
                                         const Mechanism& mechanism);

}  // namespace cogstride
