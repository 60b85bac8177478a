// Motors as plain values, by kind. Figures are those of a label or a datasheet.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "cogstride/mechanism/output.hpp"

namespace cogstride {

/// 1/K: what a winding's resistance rises by.
inline constexpr double copper_per_kelvin = 0.0039;

/// At which resistances are told, degrees C.
inline constexpr std::int64_t told_at_deg_c = 25;

/// The air around a motor and its board: what they warm over.
struct AirTemperature {
  std::int64_t deg_c = told_at_deg_c;
  /// Of copper at this temperature and a rise over it, to its resistance at 25 degrees C:
  /// 1 + 0.0039 (T + rise - 25).
  [[nodiscard]] double copper(double rise = 0.0) const {
    return 1.0 + copper_per_kelvin * (static_cast<double>(deg_c - told_at_deg_c) + rise);
  }
};

/// How a motor warms up: one body, warmed by what its windings lose.
struct MotorHeat {
  std::optional<ThermalResistance> thermal_resistance{};  ///< windings to air
  std::optional<HeatCapacity> heat_capacity{};
  std::optional<Temperature> highest_rise{};    ///< that the windings stand over the air
  std::optional<std::int64_t> highest_deg_c{};  ///< temperature that the windings stand
};

/// A winding of a stepper as it is joined to its board.
struct StepperWinding {
  Resistance resistance{};
  Inductance inductance{};
  Current rated_current{};
  TorqueConstant torque_constant{};  ///< at its best angle
};

/// A stepper with two phases, hybrid or with a magnet of poles.
struct Stepper {
  enum class Phases : std::uint8_t { bipolar, unipolar };
  /// What of a bipolar motor's coils is used: all of a motor with 4 leads; of 6 or 8 leads one half, or both
  /// in series; of 8 leads both in parallel.
  enum class Halves : std::uint8_t { whole, one, series, parallel };

  Phases phases = Phases::bipolar;
  std::int64_t leads = 4;
  std::vector<std::string> wires{};  ///< their colours, in the order of lead_names()
  Halves halves = Halves::whole;
  std::int64_t full_steps = 200;  ///< a turn; four of them are one electrical period
  // Of a coil as rated: the whole one of 4 leads, else one half of it.
  Current rated_current{};  ///< direct current; taken as the peak of the sine when microstepping
  Resistance resistance{};
  Inductance inductance{};
  Torque holding_torque{};  ///< both phases at rated current
  Torque detent_torque{};   ///< peak, no current
  Inertia rotor_inertia{};
  // Said twice or to be watched; checked where they are given.
  std::optional<Voltage> rated_voltage{};  ///< at a coil with rated current
  std::optional<ExactAngle> step_angle{};  ///< of a full step
  MotorHeat heat{};

  /// Holding torque is the vector sum of two windings at right angles. Two halves in series have twice the
  /// turns, so half the current for the same field, and 1/sqrt 2 of it for the same loss; in parallel the
  /// current is shared.
  [[nodiscard]] StepperWinding winding() const;
  [[nodiscard]] TorqueConstant torque_constant() const { return winding().torque_constant; }
};

/// Leads of a stepper in the order in which `wires` lists them: "A+", "A tap", "A-" and so on.
/// @throws RangeError for a number of leads that no two-phase stepper has
[[nodiscard]] std::vector<std::string> lead_names(std::int64_t leads);

/// A brushed motor.
struct BrushedMotor {
  Voltage rated_voltage{};
  Resistance resistance{};
  Inductance inductance{};
  TorqueConstant torque_constant{};  ///< N m/A, which is V s/rad of its back-EMF too
  Inertia rotor_inertia{};
  std::optional<Current> rated_current{};  ///< for ever
  MotorHeat heat{};
};

/// A three-phase brushless motor, bare: its three leads go to an inverter.
struct BrushlessMotor {
  enum class BackEmf : std::uint8_t { sine, trapezoid };
  std::int64_t pole_pairs = 1;
  std::optional<std::int64_t> magnets{};  ///< of its rotor, counted
  BackEmf back_emf = BackEmf::sine;
  BackEmfConstant back_emf_constant{};  ///< peak, line to line, by shaft speed
  Resistance resistance{};              ///< line to line
  Inductance inductance{};              ///< line to line, mean over an electrical turn
  /// By which the inductance swings to each side of it, largest where the current stands across the magnets:
  /// (Lq - Ld) / (Lq + Ld).
  ExactFraction saliency{};
  Torque cogging_torque{};            ///< peak
  std::int64_t cogging_per_turn = 0;  ///< times a turn: least common multiple of its slots and its poles
  Inertia rotor_inertia{};
  std::optional<Current> rated_current{};  ///< peak of a phase, for ever
  MotorHeat heat{};
};

/// A brushless motor with a speed controller of its own, which takes a throttle as a pulse width.
struct ThrottledMotor {
  Voltage rated_voltage{};
  Current current{};                             ///< at full throttle, at its speed
  Current idle_current{};                        ///< of it, what bearings and electronics take at any speed
  std::optional<Current> surge_current{};        ///< at full throttle from a standstill
  std::optional<ExactAngularSpeed> top_speed{};  ///< at full throttle
  ExactFraction start_throttle{};                ///< below it nothing turns
  Time lag{};                                    ///< time constant from throttle to speed
  std::optional<ExactFraction> efficiency{};     ///< of the power it takes, what becomes air or work
  MotorHeat heat{};                              ///< of the motor, which the rest warms
};

/// A hobby servo: motor, gears, potentiometer and loop in one case.
struct HobbyServo {
  ExactAngle range{};  ///< between its measured end points
  ExactAngularSpeed speed{};
  Time dead_band{};                 ///< of pulse width, within which it does not move
  Time lag = Time(0.02, units::s);  ///< time constant with which it comes to its speed and to its place
  Voltage rated_voltage{};
  Current stall_current{};
  Current idle_current{};
  MotorHeat heat{};
};

/// A motor with encoder and position loop of its own, which takes steps.
/// Turns behind its steps at which a closed-loop servo gives up.
inline constexpr double step_servo_gives_up = 0.25;

struct StepServo {
  std::int64_t steps_per_turn = 1000;  ///< as it is set
  Torque rated_torque{};               ///< for ever
  Torque peak_torque{};                ///< for a ramp
  Inertia rotor_inertia{};
  ExactAngularSpeed top_speed{};
  Current current{};                     ///< from its supply, at rated torque and top speed
  Frequency bandwidth{40.0, units::Hz};  ///< of its position loop
};

using Motor = std::variant<Stepper, BrushedMotor, BrushlessMotor, ThrottledMotor, HobbyServo, StepServo>;

}  // namespace cogstride
