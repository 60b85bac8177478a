// One motor with its board, train, sensors and limits.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/mechanism/boards.hpp"
#include "cogstride/mechanism/by_hand.hpp"
#include "cogstride/mechanism/limits.hpp"
#include "cogstride/mechanism/motors.hpp"
#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/mechanism/train.hpp"
#include "cogstride/mechanism/wiring.hpp"

namespace cogstride {

/// What was seen to be right on the real bench, stage by stage (session/proving.hpp).
struct Proven {
  std::vector<std::string> stages{};
  std::string parts{};       ///< parts_mark() of what it was seen with
  bool still_holds = false;  ///< the mechanism's parts are the same as then
};

struct Mechanism {
  std::string name{};
  Supply supply{};
  Motor motor{};
  Board board{};
  BoardWiring wiring{};
  CommonWiring common{};
  Train train{};
  std::optional<Ratio> train_sold_as{};          ///< motor turns to one of the output, as a label says
  std::optional<std::int64_t> steps_per_turn{};  ///< of the motor shaft, as the maker's own program counts
  AirTemperature air{};
  bool reversed = false;  ///< the motor is driven the other way; `wiring` and encoders have it counted in
  Load load{};
  Limits limits{};
  std::vector<Sensor> sensors{};
  std::optional<Homing> homing{};  ///< needs a switch
  std::optional<HardEnds> hard_ends{};
  std::optional<Following> follows{};
  std::optional<Proven> proven{};
  ByHand by_hand{};
  std::vector<std::string>
      guesses{};  ///< its keys whose figures are still as a new rig had them: "motor.resistance"

  // A stepper on a STEP/DIR board, which several rooms are about. @throws RangeError for another kind
  [[nodiscard]] const Stepper& stepper() const;
  [[nodiscard]] Stepper& stepper();
  [[nodiscard]] const StepDirBoard& step_dir() const;
  [[nodiscard]] StepDirBoard& step_dir();
  [[nodiscard]] const StepDirWiring& step_dir_lines() const;
  [[nodiscard]] StepDirWiring& step_dir_lines();

  /// The switch that homing goes to; null without homing, or when it goes by an encoder.
  /// @throws RangeError when there is no sensor of that name
  [[nodiscard]] const PlaceSwitch* home_switch() const;
  [[nodiscard]] PlaceSwitch* home_switch();

  /// Whether it is a stepper, behind a STEP/DIR board or one whose coils the controller switches.
  [[nodiscard]] bool is_movable_stepper() const;
  /// Whether it can be moved to places: those steppers, and servos that take steps.
  [[nodiscard]] bool is_movable() const;
  /// Whether it is a brushed motor behind an H-bridge.
  [[nodiscard]] bool is_driven_by_duty() const;
  /// Whether it is a hobby servo, or a motor behind a speed controller, that takes a pulse width.
  [[nodiscard]] bool swings() const { return std::holds_alternative<HobbyServo>(motor); }
  [[nodiscard]] bool is_throttled() const { return std::holds_alternative<ThrottledMotor>(motor); }
  [[nodiscard]] bool takes_pulse_width() const { return swings() || is_throttled(); }
  /// Whether it is a bare brushless motor behind six gates.
  [[nodiscard]] bool has_six_gates() const {
    return std::holds_alternative<BrushlessMotor>(motor) && std::holds_alternative<SixGateInverter>(board);
  }
  /// Whether it is driven by a drive on a bus, which closes its loops by itself.
  [[nodiscard]] bool has_bus_drive() const { return std::holds_alternative<BusDrive>(board); }
  /// Whether a bench moves it so far, one way or the other.
  [[nodiscard]] bool moves() const {
    return is_movable() || is_driven_by_duty() || takes_pulse_width() || has_six_gates() || has_bus_drive();
  }
};

/// Its first sensor of a kind; null when it has none.
template <class Kind>
[[nodiscard]] const Kind* sensor_of(const Mechanism& mechanism) {
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const found = std::get_if<Kind>(&sensor)) return found;
  return nullptr;
}

/// @throws RangeError, with what it is instead, unless it is of a kind that can be moved so far
void require_movable(const Mechanism& mechanism);

/// @throws RangeError, with what it is instead, unless it is a stepper that can be moved so far
void require_movable_stepper(const Mechanism& mechanism);

/// Drives the motor the other way and counts encoders with it: what `reversed` in a rig file comes to. What
/// takes a pulse width has no lines to turn round: its angle is counted from the longest pulse (`reversed`
/// itself says so).
void reverse(Mechanism& mechanism);

/// Microsteps (or steps of a servo) that one turn of the motor shaft takes; full or half steps of a board
/// that switches coils; counts of a drive on a bus. 0 for a motor that does not step.
[[nodiscard]] std::int64_t steps_per_motor_turn(const Mechanism& mechanism);

/// Steps that are lost at once when a rotor falls out of its field: one electrical period. A servo with a
/// loop of its own has none; a fiftieth of a turn stands for it.
[[nodiscard]] std::int64_t steps_lost_at_once(const Mechanism& mechanism);

/// Steps (microsteps, pulses on STEP) that move the output by one metre or one turn. Exact; 0 for a motor
/// that does not step.
[[nodiscard]] inline Ratio steps_per_base(const Mechanism& mechanism) {
  return Ratio(steps_per_motor_turn(mechanism)) * motor_turns_per_base(mechanism.train);
}

/// The step nearest to a position, half away from zero: its rounded image.
/// @throws RangeError when the position is of the other kind (mm for a rotary output) or out of reach of 63
/// bits.
[[nodiscard]] std::int64_t step_at(const Mechanism& mechanism, OutputPosition position);

/// @throws RangeError when `kind` is not the kind of the mechanism's output.
void require_kind(const Mechanism& mechanism, OutputKind kind);

/// Reads "85 mm", "90 deg" or "400 steps" of its output (or speeds, accelerations). @throws TextError,
/// RangeError
template <int PerTime>
[[nodiscard]] OutputAmount<PerTime> parse_output(const Mechanism& mechanism, std::string_view text) {
  if (is_in_steps(text))
    return parse_output<PerTime>(text, output_kind(mechanism.train), steps_per_base(mechanism));
  const OutputAmount<PerTime> amount = parse_output<PerTime>(text);
  require_kind(mechanism, amount.kind);
  return amount;
}

/// Steps a second (a second squared, for PerTime 2) of an output amount.
template <int PerTime>
[[nodiscard]] double steps_per_time(const Mechanism& mechanism, OutputAmount<PerTime> amount) {
  require_kind(mechanism, amount.kind);
  return (amount.base * steps_per_base(mechanism)).to_double();
}

/// Station k of N, exact: k/N of a turn, or of the travel. @throws RangeError when it has no such station.
[[nodiscard]] OutputPosition station_at(const Mechanism& mechanism, std::int64_t station);

/// Counts of an encoder for one metre or one turn of the output. Exact; negative when it counts backwards.
/// `after_stages` is at most the number of the train's stages that turn.
[[nodiscard]] Ratio counts_per_base(const Mechanism& mechanism, const Encoder& encoder);

/// What the motor turns, seen from its shaft, a carried mass included:  J + m r^2,  r the way of the output
/// for a radian of the shaft.
[[nodiscard]] Inertia moved_inertia(const Mechanism& mechanism);
/// The same where it has grown to its most.
[[nodiscard]] Inertia most_moved_inertia(const Mechanism& mechanism);

/// Steady torque at the shaft against going forwards, the weight of a carried mass included:
/// m g sin(rise) r / efficiency  (statics of a screw).
[[nodiscard]] Torque steady_load(const Mechanism& mechanism);

/// "motor.resistance, load.inertia and 9 more are guesses, as the new rig had them", or nothing when none is.
[[nodiscard]] std::string guesses_words(const std::vector<std::string>& guesses);

/// How far friction pushes a closed-loop servo off where it turns round, rad of the shaft: twice Coulomb's,
/// 0.27 T / (J w^2) of a loop with three poles at w. 0 for another motor.
[[nodiscard]] double step_servo_pushed_off(const Mechanism& mechanism);

/// K over the air around it that a motor's windings, or a board's output stage, stand: the lesser of the rise
/// and of what the air leaves of the temperature that the rig says; nothing when it says neither.
[[nodiscard]] std::optional<double> highest_rise(const Mechanism& mechanism, const MotorHeat& heat);
[[nodiscard]] std::optional<double> highest_rise(const Mechanism& mechanism, const BoardStage& stage);

/// "bipolar stepper", "STEP/DIR board" and so on: as the rig file and lists name the kinds.
[[nodiscard]] std::string kind_name(const Motor& motor);
[[nodiscard]] std::string kind_name(const Board& board);

}  // namespace cogstride
