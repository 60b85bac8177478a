// Which line of the controller goes to which input of a board, and the times that the controller keeps.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// How a controller's line is wired to a board's input.
struct DrivenLine {
  std::int64_t number = 0;
  ActiveLevel active = ActiveLevel::high;      ///< the level that the controller puts out to mean "on"
  std::optional<ActiveLevel> external_pull{};  ///< by a resistor, while the controller lets it float
};

/// A line that a board or a sensor drives.
struct SensedLine {
  std::int64_t number = 0;
  ActiveLevel active = ActiveLevel::low;  ///< the level that means yes
};

/// ENABLE: driven by a line, tied to its active level, or left open.
enum class EnableUse : std::uint8_t { driven, tied, open };

/// The lines of a STEP/DIR board, and the times that the controller keeps on them.
struct StepDirWiring {
  DrivenLine step{};                   ///< two-pulse: forwards
  DrivenLine dir{};                    ///< active means forwards; two-pulse: backwards
  std::optional<DrivenLine> enable{};  ///< nothing here: not driven
  std::optional<DrivenLine> sleep{};   ///< active puts it to sleep
  std::optional<DrivenLine> reset{};
  std::vector<DrivenLine> microstep_select{};  ///< in the order of the switch table's positions
  Time pulse_width{};                          ///< of STEP, from its leading edge
  Time dir_steady_before{};
  Time dir_steady_after{};
};

/// The four lines that switch coils.
struct CoilWiring {
  std::array<DrivenLine, 4> coils{};  ///< by CoilEnd: A+, A-, B+, B-
  std::optional<DrivenLine> enable{};
  std::vector<std::int64_t> terminals{};  ///< lines at the board's inputs, in the order of its connector
};

enum class Alignment : std::uint8_t { edge, centre };

/// What a bridge does with its motor without drive: shorts it, or lets it go.
enum class SlowsBy : std::uint8_t { braking, coasting };

/// How the current goes on in the part of a period without drive: slow in a circle through the shorted
/// motor, fast against the supply.
enum class Decay : std::uint8_t { slow, fast };

/// The lines of an H-bridge.
struct BridgeWiring {
  std::optional<DrivenLine> input_a{};  ///< two inputs, four-channel
  std::optional<DrivenLine> input_b{};  ///< two inputs, four-channel
  std::optional<DrivenLine> sign{};     ///< sign and magnitude; active means forwards
  std::optional<DrivenLine> duty{};     ///< sign and magnitude, four-channel
  std::optional<DrivenLine> enable{};
  ExactFrequency pwm_frequency{};
  Alignment alignment = Alignment::edge;
  Decay decay = Decay::slow;  ///< in the part of a period without drive
};

/// Which lines of a bridge carry the duty: an input where it brakes in the rest of a period, what switches
/// the bridge off where it coasts.
struct DutyLines {
  bool inputs = false;  ///< input_a and input_b
  bool duty = false;
  bool enable = false;
};
[[nodiscard]] DutyLines duty_lines(const BridgeWiring& wiring);

/// Which transistor of the two that carry current is switched by the duty.
enum class SwitchedSide : std::uint8_t { high, low, both };

/// What says when the next row of six steps is due: what tells the rotor's angle, or time alone.
enum class CommutatedBy : std::uint8_t { sensors, time };

/// The six gate lines of an inverter.
struct GateWiring {
  std::array<DrivenLine, 6> gates{};  ///< a high, a low, b high, b low, c high, c low
  std::optional<DrivenLine> enable{};
  ExactFrequency pwm_frequency{};
  Alignment alignment = Alignment::centre;
  Time dead_time{};  ///< that the controller keeps between the two of a leg
  SwitchedSide switched = SwitchedSide::high;
  /// In the rest of a period the other transistor of the leg that is switched carries the current, not its
  /// diode: the motor can be braked.
  bool complementary = false;
  CommutatedBy commutated_by = CommutatedBy::sensors;
};

struct PulseWidthWiring {
  DrivenLine pulse{};
};

/// A place on the controller's bus.
struct BusWiring {
  std::int64_t id = 1;  ///< 1 to 127
};

using BoardWiring =
    std::variant<StepDirWiring, CoilWiring, BridgeWiring, GateWiring, PulseWidthWiring, BusWiring>;

/// What every board's wiring may have.
struct CommonWiring {
  EnableUse enable = EnableUse::driven;
  std::optional<SensedLine> fault{};        ///< output of the board
  std::optional<SensedLine> in_position{};  ///< output of a servo
  std::optional<std::string> through{};     ///< part between that all lines go through
  std::optional<std::string> timer{};       ///< timer of the controller that makes its pulses or duties
};

/// One line of a board, for lists.
struct BoardLine {
  std::string use{};  ///< "step", "gate a high"
  DrivenLine line{};
  bool timed = false;  ///< needs a channel of a timer
};

[[nodiscard]] std::vector<BoardLine> board_lines(const BoardWiring& wiring);

}  // namespace cogstride
