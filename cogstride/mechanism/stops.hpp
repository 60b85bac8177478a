// How a bench stops, by what makes it stop.
#pragma once

#include <cstdint>

namespace cogstride {

enum class StopBy : std::uint8_t {
  cut,  ///< all lines to rest within a tick: motors lose their current, positions are not known any more
  steepest_ramp  ///< every motion as hard as its motor can brake without losing steps: positions stay true
};

struct Stops {
  StopBy emergency = StopBy::cut;               ///< an emergency stop is pressed
  StopBy fault = StopBy::steepest_ramp;         ///< a board, a supply or a motion fails
  StopBy limit_switch = StopBy::steepest_ramp;  ///< one acts outside homing
  StopBy interrupt = StopBy::steepest_ramp;     ///< the program is told to end
  StopBy end = StopBy::steepest_ramp;           ///< a script ends while something still turns
};

}  // namespace cogstride
