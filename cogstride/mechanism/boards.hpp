// Driver boards as plain values, by kind: what their inputs want and what their output stage does.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/mechanism/drive_object.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// V, of the diode beside a transistor of a bridge: it carries the current on when that goes off.
inline constexpr double diode_drop = 0.7;

/// Inputs of a board.
struct BoardInputs {
  std::optional<Resistance> resistance{};      ///< in series in an input
  Voltage drop{};                              ///< of an input's light-emitting diode
  std::optional<Voltage> threshold{};          ///< that an input takes for high
  bool isolated = false;                       ///< no common ground needed
  std::optional<ActiveLevel> external_pull{};  ///< level that the board's own resistors give to an open input
};

/// Output stage of a board.
struct BoardStage {
  std::optional<Voltage> lowest_supply{};
  std::optional<Voltage> highest_supply{};
  Voltage drop{};                                         ///< lost in it, whatever the current
  Resistance resistance{};                                ///< in the way of the current
  std::optional<Current> highest_current{};               ///< of one output, for ever
  std::optional<ThermalResistance> thermal_resistance{};  ///< to air
  std::optional<HeatCapacity> heat_capacity{};            ///< of it and its heat sink
  std::optional<Temperature> highest_rise{};              ///< that it stands over the air
  std::optional<std::int64_t> highest_deg_c{};            ///< temperature that it stands
};

enum class StepEdge : std::uint8_t { rising, falling };

/// What an ENABLE input does when nothing is wired to it.
enum class OpenEnable : std::uint8_t { on, off };

/// A row of a board's switch table: positions such as "101" (1 is on), and what they set.
using SwitchMicrosteps = std::map<std::string, std::int64_t>;
using SwitchCurrents = std::map<std::string, Current>;

/// A driver board that makes a step of each pulse: STEP and DIR, or one pulse line a direction.
struct StepDirBoard {
  enum class Form : std::uint8_t { step_dir, two_pulse };
  Form form = Form::step_dir;
  std::int64_t microsteps = 1;                     ///< a full step, as the switches are set
  std::vector<std::int64_t> microstep_settings{};  ///< those that there are
  SwitchMicrosteps microsteps_by_switch{};
  std::optional<std::string> microstep_switches{};  ///< as they are set
  SwitchCurrents current_by_switch{};
  std::optional<std::string> current_switches{};
  /// Between none and full, that its microsteps are made of; nothing: so many that it does not matter.
  std::optional<std::int64_t> current_levels{};
  Current current{};  ///< a winding, sine peak, as set; 0 when a servo has its own control
  StepEdge step_edge = StepEdge::rising;  ///< the edge that makes a step
  Time shortest_high{};                   ///< of a pulse
  Time shortest_low{};
  Time dir_steady_before{};  ///< DIR steady, or the other line at rest, before the step edge
  Time dir_steady_after{};   ///< and after it
  ActiveLevel enable_active = ActiveLevel::low;  ///< the level of ENABLE that switches the outputs on
  std::optional<OpenEnable> enable_open{};
  Time wake{};  ///< from ENABLE to the first step that counts
  Time chopper_off_time{};
  BoardInputs inputs{};
  BoardStage stage{};

  /// A share of the peak current, -1 to 1, as the nearest of its levels gives it.
  [[nodiscard]] double share_of_peak(double share) const {
    if (!current_levels) return share;
    const auto levels = static_cast<double>(*current_levels);
    return std::round(share * levels) / levels;
  }
};

/// How coils are switched by a board that leaves it to the controller.
enum class Stepping : std::uint8_t { wave, full, half };

/// An end of a stepper's coil.
enum class CoilEnd : std::uint8_t { a_plus, a_minus, b_plus, b_minus };

/// Four transistors to ground, an input each: for unipolar steppers.
struct TransistorArray {
  Stepping stepping = Stepping::full;
  std::vector<CoilEnd> terminals{};  ///< what its outputs feed, in the order of its connector
  BoardInputs inputs{};
  BoardStage stage{};
};

/// Two H-bridges with two inputs each: for bipolar steppers whose steps the controller makes.
struct DualHBridge {
  Stepping stepping = Stepping::full;
  std::vector<CoilEnd> terminals{};
  std::optional<Current> current_limit{};  ///< of a winding, where it has current control
  ActiveLevel enable_active = ActiveLevel::high;
  std::optional<OpenEnable> enable_open{};
  BoardInputs inputs{};
  BoardStage stage{};
};

/// An H-bridge for one brushed motor.
struct HBridge {
  /// two inputs: one for each direction; sign and magnitude: direction and duty; four-channel: one channel of
  /// a board with four, with two inputs for direction and one for duty.
  enum class Form : std::uint8_t { two_input, sign_magnitude, four_channel };
  Form form = Form::two_input;
  std::string board_name{};  ///< of a four-channel board: its mechanisms share it
  std::int64_t channel = 1;  ///< of a four-channel board, from 1
  ActiveLevel enable_active = ActiveLevel::high;
  std::optional<OpenEnable> enable_open{};
  std::optional<Current> current_limit{};
  std::optional<ExactFrequency> highest_pwm{};
  Time dead_time{};  ///< from one transistor of a half off to its other one on
  BoardInputs inputs{};
  BoardStage stage{};
};

/// Six transistors, a gate input each: for a bare brushless motor.
struct SixGateInverter {
  /// Level that turns a transistor on: a high, a low, b high, b low, c high, c low.
  std::array<ActiveLevel, 6> gate_active{ActiveLevel::high, ActiveLevel::high, ActiveLevel::high,
                                         ActiveLevel::high, ActiveLevel::high, ActiveLevel::high};
  Time dead_time{};         ///< that it needs between the two of a leg
  bool locks_legs = false;  ///< its own logic never turns both of a leg on
  /// How long the capacitor that feeds a high side's gate holds; nothing: it is fed for ever.
  std::optional<Time> bootstrap_holds{};
  Time bootstrap_refresh{};  ///< with its leg at ground, until that capacitor is full again
  Current current_limit{};
  std::optional<ExactFrequency> highest_pwm{};
  ActiveLevel enable_active = ActiveLevel::high;
  std::optional<OpenEnable> enable_open{};
  BoardInputs inputs{};
  BoardStage stage{};
};

/// An input that takes a pulse width: of a hobby servo or a speed controller.
struct PulseWidthInput {
  /// A stage of arming: this pulse for this long.
  struct ArmingStage {
    Time pulse{};
    Time lasts{};
  };
  Time shortest_pulse{};  ///< at one measured end: angle 0 or no throttle
  Time longest_pulse{};   ///< at the other: the whole swing or full throttle
  /// Measured half-way: the middle of the swing. Of a speed controller: no throttle; below it turns
  /// backwards.
  std::optional<Time> centre_pulse{};
  ExactFrequency frame_rate{};
  std::vector<ArmingStage> arming{};
  BoardInputs inputs{};
  BoardStage stage{};
};

/// A drive with an id on a bus, which closes its loops by itself: IEC 61800-7-201 over a CANopen bus.
struct BusDrive {
  std::optional<std::int64_t> vendor{};   ///< as its identity says; nothing: any
  std::optional<std::int64_t> product{};  ///< the same
  std::int64_t encoder_lines = 0;         ///< a turn of the motor, four counts each: its units
  Current supply_current{};               ///< that it may take from its supply
  // Objects that its profile does not have, in its maker's range.
  std::optional<DriveAmount<Current>> supply_current_set_at{};  ///< where that limit is set
  std::optional<DriveAmount<Current>> supply_current_told{};
  std::optional<DriveAmount<Voltage>> applied_voltage_told{};
  std::optional<DriveAmount<Temperature>> temperature_told{};  ///< over 0 degrees C
  std::vector<DriveSetting> settings{};                        ///< whatever else it wants: a brake
  BoardInputs inputs{};
  BoardStage stage{};
};

using Board = std::variant<StepDirBoard, TransistorArray, DualHBridge, HBridge, SixGateInverter,
                           PulseWidthInput, BusDrive>;

[[nodiscard]] const BoardInputs& inputs_of(const Board& board);
[[nodiscard]] const BoardStage& stage_of(const Board& board);

}  // namespace cogstride
