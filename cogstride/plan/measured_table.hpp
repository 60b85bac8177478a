// What was measured on a motor, row by row: a log of a run, or a few readings of a hand tachometer.
#pragma once

#include <optional>
#include <vector>

namespace cogstride {

struct MeasuredTable {
  struct Row {
    double time = 0.0;                ///< s; of tables without time 0
    double drive = 0.0;               ///< duty, -1 to 1, or V at the motor
    std::optional<double> speed{};    ///< rad/s of the motor shaft
    std::optional<double> current{};  ///< A, below 0 backwards
    std::optional<double> rise{};     ///< K that its winding is over the air
  };
  bool has_time = false;    ///< else each row is a reading at a speed that had settled
  bool is_voltage = false;  ///< what `drive` is
  bool has_speed = false;   ///< of one row at the least
  bool has_current = false;
  bool has_rise = false;
  std::vector<Row> rows{};
};

}  // namespace cogstride
