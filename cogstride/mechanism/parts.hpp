// The parts of a rig as plain values: controller, supply, motor, board, sensors, limits.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/mechanism/output.hpp"

namespace cogstride {

/// What plays the lines.
struct Controller {
  ExactFrequency timer_clock{};    ///< ticks a second on all lines
  ExactFrequency top_step_rate{};  ///< pulses a second that it can make with good timing
  Voltage logic_level{};
  Current line_current{};  ///< that one line can give
};

struct Supply {
  std::string name{};
  Voltage voltage{};
  Current current{};        ///< that it can give
  Resistance resistance{};  ///< inside, to its terminals
};

/// A hybrid stepper with two windings.
struct BipolarStepper {
  std::int64_t full_steps = 200;  ///< a turn; four of them are one electrical period
  Current rated_current{};  ///< direct current a winding; taken as the peak of the sine when microstepping
  Resistance resistance{};  ///< of a winding
  Inductance inductance{};  ///< of a winding
  Torque holding_torque{};  ///< both windings at rated current
  Torque detent_torque{};   ///< peak, no current
  Inertia rotor_inertia{};
  // Said twice or to be watched; checked where they are given.
  std::optional<Voltage> rated_voltage{};                 ///< at a winding with rated current
  std::optional<ExactAngle> step_angle{};                 ///< of a full step
  std::optional<ThermalResistance> thermal_resistance{};  ///< windings to air
  std::optional<HeatCapacity> heat_capacity{};
  std::optional<Temperature> highest_rise{};  ///< of the windings over the air

  /// Torque a winding gives at its best angle: holding torque is the vector sum of two, at right angles.
  [[nodiscard]] TorqueConstant torque_constant() const {
    return holding_torque / (1.41421356237309504880 * rated_current);
  }
};

enum class ActiveLevel : std::uint8_t { low, high };
enum class StepEdge : std::uint8_t { rising, falling };

/// A STEP/DIR driver board as its datasheet describes it: what its inputs want and what its output stage
/// does.
struct StepDirBoard {
  std::int64_t microsteps = 1;                     ///< a full step, as the switches are set
  std::vector<std::int64_t> microstep_settings{};  ///< those that the switches offer
  Current current{};                               ///< a winding, sine peak, as the switches are set
  StepEdge step_edge = StepEdge::rising;           ///< the edge of STEP that makes a step
  Time shortest_high{};                            ///< of a STEP pulse
  Time shortest_low{};
  Time dir_steady_before{};                      ///< DIR steady before the step edge
  Time dir_steady_after{};                       ///< and after it
  ActiveLevel enable_active = ActiveLevel::low;  ///< the level of ENABLE that switches the outputs on
  Time wake{};                                   ///< from ENABLE to the first step that counts
  std::optional<Resistance> input_resistance{};  ///< in series in its inputs
  Voltage input_drop{};                          ///< of an input's light-emitting diode
  std::optional<Voltage> input_threshold{};      ///< that an input takes for high
  std::optional<Voltage> lowest_supply{};
  std::optional<Voltage> highest_supply{};
  Voltage drop{};  ///< of the output stage
  Time chopper_off_time{};
};

/// How a controller's line is wired to a board's input.
struct DrivenLine {
  std::int64_t number = 0;
  ActiveLevel active = ActiveLevel::high;  ///< the level that the controller puts out to mean "on"
};

/// The three lines of a STEP/DIR board, and the times that the controller keeps on them.
struct StepDirWiring {
  DrivenLine step{};
  DrivenLine dir{};                    ///< active means forwards
  std::optional<DrivenLine> enable{};  ///< nothing here: tied to its active level
  Time pulse_width{};                  ///< of STEP, from its leading edge
  Time dir_steady_before{};
  Time dir_steady_after{};
};

/// What the motor has to move, all of it seen from its shaft.
struct Load {
  Inertia inertia{};  ///< with the rotor
  Torque coulomb_friction{};
  ViscousFriction viscous_friction{};
};

/// A light gate that a flag on the output blocks near one end of the travel.
struct OpticalGate {
  std::int64_t line = 0;
  ActiveLevel blocked = ActiveLevel::high;  ///< the level that means blocked
  OutputPosition blocks_at{};               ///< the output moving into it
  OutputPosition clears_at{};               ///< the output moving out of it
  OutputPosition noise{};                   ///< rms, of where an edge comes
};

struct Limits {
  std::optional<OutputPosition> travel_from{};  ///< soft limits; none on an endless output
  std::optional<OutputPosition> travel_to{};
  OutputSpeed speed{};
  OutputAcceleration acceleration{};
  OutputSpeed start_speed{};  ///< reached at once, without a ramp; 0 means every start is ramped
};

/// The mechanical stops.
struct HardEnds {
  OutputPosition from{};
  OutputPosition to{};
};

struct Homing {
  OutputSpeed speed{};        ///< on the way to the sensor
  OutputSpeed slow_speed{};   ///< for the edge that counts
  OutputPosition position{};  ///< where to stand afterwards
};

}  // namespace cogstride
