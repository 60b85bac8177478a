// What plays the lines, what feeds everything, and what may stand between the two.
#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

enum class ActiveLevel : std::uint8_t { low, high };

/// What a controller's lines do from power-up until its program sets them.
enum class BootLevel : std::uint8_t { floating, low, high };

/// A counter with compare outputs: it makes pulses and duty cycles without the program.
struct TimerUnit {
  std::string name{};
  std::int64_t width = 16;     ///< bits
  std::int64_t prescaler = 1;  ///< timer clocks a count
  std::int64_t channels = 0;   ///< compare outputs
  std::int64_t pairs = 0;      ///< complementary outputs, each with its partner and a dead time
};

struct AnalogueInputs {
  std::int64_t channels = 0;
  std::int64_t bits = 12;
  Voltage full_scale{};
  Time sample_time{};
  Voltage noise{};                    ///< rms
  std::optional<std::string> chip{};  ///< the operating system's converter behind them, by its name

  [[nodiscard]] double top_code() const { return std::exp2(static_cast<double>(bits)) - 1.0; }
  /// V, at an input; full scale is the highest code.
  [[nodiscard]] double volts_per_code() const { return full_scale.base() / top_code(); }
};

/// Decoders that count the edges of an encoder.
struct QuadratureCounters {
  std::int64_t count = 0;
  ExactFrequency top_rate{};  ///< counts a second, four to a line
};

/// A GPIO chip of the operating system that gives some of a controller's lines.
struct GpioChip {
  std::string name{};           ///< in the rig
  std::string chip{};           ///< its name under /dev, or its label
  std::int64_t first_line = 0;  ///< the rig's number of its line 0
  std::int64_t lines = 0;       ///< how many it has
};

/// A PWM chip of the operating system: hardware that makes the duty of some of a controller's lines.
struct PwmChip {
  std::string name{};                    ///< in the rig
  std::string chip{};                    ///< its name among the system's PWM chips, or its device's
  std::vector<std::int64_t> lines{};     ///< the rig's numbers of the lines that its channels drive
  std::vector<std::int64_t> channels{};  ///< of those lines, in the same order; none: 0, 1, 2, ...
};

/// A counter chip of the operating system: hardware that counts the edges of encoders by itself.
struct CounterChip {
  std::string name{};                    ///< in the rig
  std::string chip{};                    ///< its name among the system's counters, or what it calls itself
  std::vector<std::int64_t> lines{};     ///< the rig's numbers of line A of the encoders that it counts
  std::vector<std::int64_t> channels{};  ///< its counts, in the same order; none: 0, 1, 2, ...
};

/// A line that goes up and down as long as everything runs: an outside circuit cuts the power when it stops.
struct Heartbeat {
  std::int64_t line = 0;
  Time period{};  ///< of a whole beat
};

/// A small chip that plays the lines by itself, with a program that is made from the rig.
struct SmallChip {
  enum class Kind : std::uint8_t { avr8, cortex_m0 };
  Kind kind = Kind::avr8;
  std::int64_t flash_bytes = 0;
  std::int64_t ram_bytes = 0;
  std::string compiler_name{};        ///< by which its compiler knows it
  std::int64_t serial_baud = 57'600;  ///< bits a second, at which it says where it stands
};

/// The serial line between this computer and a small chip that plays what the computer plans.
struct ChipLink {
  std::string port{};                   ///< "/dev/ttyS0", or "tcp:HOST:PORT"
  Time delay = Time(5, units::ms);      ///< that the line may add to what its bytes take
  Time silence = Time(100, units::ms);  ///< of the computer, after which the chip brakes by itself
};

/// A bus of the operating system (CAN) on which drives listen.
struct FieldBus {
  std::string interface_name = "can0";    ///< the operating system's
  std::int64_t bit_rate = 500'000;        ///< bits a second
  Time cycle = Time(10, units::ms);       ///< of commands, of what drives tell, and of their common instant
  Time heartbeat = Time(100, units::ms);  ///< how often this computer says that it lives, and they do
  Time silence = Time(300, units::ms);    ///< of either, after which the other one brakes
  std::int64_t id = 127;                  ///< of this computer

  friend bool operator==(const FieldBus&, const FieldBus&) = default;
};

/// What plays the lines.
struct Controller {
  ExactFrequency timer_clock{};    ///< ticks a second on all lines
  ExactFrequency top_step_rate{};  ///< pulses a second that it can make with good timing
  Voltage logic_level{};
  Current line_current{};                      ///< that one line can give
  std::optional<Current> all_lines_current{};  ///< that all lines together can give
  std::optional<Voltage> highest_input{};      ///< that a line stands
  std::optional<Voltage> input_threshold{};    ///< that its inputs take for high
  std::optional<BootLevel> at_boot{};          ///< of its lines, until the program sets them
  std::optional<ExactTime>
      interval_resolution{};              ///< to which its program times steps; a tick when not given
  std::optional<std::string> supply{};    ///< that feeds it
  std::vector<std::int64_t> connector{};  ///< its lines in the order of their pins
  std::vector<TimerUnit> timers{};
  std::optional<AnalogueInputs> analogue{};
  std::optional<QuadratureCounters> counters{};
  std::vector<GpioChip> chips{};
  std::vector<PwmChip> pwm_chips{};
  std::vector<CounterChip> counter_chips{};
  Time edge_lateness = Time(100, units::us);  ///< that an edge on live lines may have
  std::optional<Heartbeat> heartbeat{};
  std::optional<SmallChip> small_chip{};  ///< nothing: a computer
  std::optional<ChipLink> link{};         ///< of a small chip that is driven from here
  std::optional<FieldBus> bus{};
};

struct Supply {
  std::string name{};
  Voltage voltage{};
  Current current{};        ///< that it can give
  Resistance resistance{};  ///< inside, to its terminals
  std::optional<Capacitance> capacitance{};
  std::optional<Voltage> clamp_voltage{};  ///< at which a clamp takes what motors pump back
  std::optional<Resistance> clamp_resistance{};
  std::optional<Charge> charge{};             ///< of a battery, full
  std::optional<Time> runs_for{};             ///< that a battery is wanted to feed all that it feeds
  std::optional<std::string> fed_by{};        ///< of a regulator: the supply at its input
  std::optional<ExactFraction> efficiency{};  ///< of one that switches; without it what it gives it takes
  std::optional<Voltage> lowest_supply{};     ///< of a regulator, at its input
  std::optional<Voltage> highest_supply{};
  std::optional<bool> ground_joined{};            ///< with the controller's
  std::optional<std::int64_t> power_good_line{};  ///< input that tells that it is up

  /// At a board that it feeds: the least that boards have themselves where the rig says nothing.
  [[nodiscard]] Capacitance capacitance_at_board() const {
    return capacitance.value_or(Capacitance(100.0, units::uF));
  }
};

/// A level shifter or an isolator between controller and boards.
struct BetweenPart {
  enum class Kind : std::uint8_t { level_shifter, isolator };
  std::string name{};
  Kind kind = Kind::level_shifter;
  Voltage output_level{};                    ///< on the boards' side
  std::optional<Voltage> input_threshold{};  ///< that it takes for high
  std::optional<Current> input_current{};    ///< that a line must give it
  std::optional<Current> output_current{};   ///< that it gives a board's input
  std::optional<ExactFrequency> top_rate{};  ///< of level changes a second
};

}  // namespace cogstride
