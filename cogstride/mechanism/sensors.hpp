// Sensors, hand controls and plain outputs as plain values.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/mechanism/wiring.hpp"

namespace cogstride {

/// What a sensor is fed with, and what it gives back.
struct SensorFeed {
  std::optional<std::string> supply{};  ///< a supply of the rig
  std::optional<Voltage> lowest{};      ///< that it works with
  std::optional<Voltage> highest{};
  std::optional<Voltage> output_level{};  ///< of its output when high
};

enum class Contact : std::uint8_t { normally_open, normally_closed };

/// The resistor inside the controller that holds an input while nothing drives it.
enum class Pull : std::uint8_t { up, down, none };

/// Something on or off by the place of the output: a lever switch, a light gate, a reed, a Hall switch.
enum class TravelEnd : std::uint8_t { low, high };

struct PlaceSwitch {
  enum class Kind : std::uint8_t { lever, gate, reed, hall };

  std::string name{};
  Kind kind = Kind::gate;
  std::int64_t line = 0;
  ActiveLevel active = ActiveLevel::high;  ///< the level of its line when it acts
  std::optional<Contact> contact{};
  std::optional<Pull> internal_pull{};
  // At an end of the travel: where it acts on the way in and releases on the way out ...
  OutputPosition acts_at{};
  OutputPosition releases_at{};
  std::optional<TravelEnd> end{};  ///< of the travel, as somebody says beside
  // ... or a window round a place, wherever the output comes from.
  bool is_window = false;
  OutputPosition window_from{};
  OutputPosition window_to{};
  OutputPosition hysteresis{};     ///< of a window: it releases so much farther out
  OutputPosition noise{};          ///< rms, of where an edge comes
  std::optional<Time> bounce{};    ///< of its contact, at the longest
  std::optional<Time> debounce{};  ///< for which the controller wants it steady
  SensorFeed feed{};
  std::vector<std::string> cuts{};  ///< supplies that it switches off without software

  /// Whether it is at the low end of the travel (not for a window).
  [[nodiscard]] bool is_low_end() const { return acts_at.base < releases_at.base; }
};

/// An incremental encoder with two tracks.
struct Encoder {
  std::string name{};
  std::int64_t line_a = 0;
  std::int64_t line_b = 0;
  std::optional<std::int64_t> line_index{};
  std::int64_t lines_per_turn = 0;  ///< of the shaft it sits on; four counts each
  std::int64_t after_stages =
      0;  ///< stages of the train between the motor shaft and its own; 0: on the motor
  bool counts_backwards = false;  ///< counts down when the motor turns forwards
  Angle eccentricity{};           ///< of its disc: error of place that comes back once a turn of its shaft
  Angle line_error{};             ///< rms, of the place of single edges
  std::optional<Time> filter{};   ///< shorter pulses on its lines are taken for disturbances
  SensorFeed feed{};
};

/// Three Hall sensors that tell a brushless motor's electrical angle.
struct HallSet {
  std::string name{};
  std::array<std::int64_t, 3> lines{};
  ExactAngle spacing{};     ///< electrical: 60 or 120 degrees
  ExactAngle stands_at{};   ///< electrical, a multiple of 60 degrees: that they stand further on than usual
  bool inverted = false;    ///< their lines are low where they would be high
  Angle placement_error{};  ///< electrical, rms, of the place of single edges
  SensorFeed feed{};
};

/// A resistor in the way of a current, read by an analogue input.
struct Shunt {
  std::string name{};
  std::int64_t channel = 0;  ///< analogue
  Resistance resistance{};
  std::int64_t gain = 1;    ///< of the amplifier behind it
  Voltage at_no_current{};  ///< of that amplifier's output: above 0, currents of both senses can be told
};

/// Dividers from the three terminals of a brushless motor to analogue inputs: they tell its back-EMF.
struct TerminalVoltages {
  std::string name{};
  std::array<std::int64_t, 3> channels{};  ///< analogue, of terminals A, B and C
  Resistance upper{};                      ///< from a terminal to its input
  Resistance lower{};                      ///< from the input to ground

  /// Volts at a terminal that are a volt at its input.
  [[nodiscard]] double scale() const { return (upper.base() + lower.base()) / lower.base(); }
};

/// A temperature read by an analogue input.
struct TemperatureProbe {
  std::string name{};
  std::int64_t channel = 0;
  Voltage at_0_deg_c{};
  Voltage per_kelvin{};
  bool on_motor = true;  ///< else on the board
};

using Sensor = std::variant<PlaceSwitch, Encoder, HallSet, Shunt, TerminalVoltages, TemperatureProbe>;

[[nodiscard]] const std::string& name_of(const Sensor& sensor);

/// Something for a hand or a foot.
struct HandControl {
  enum class Kind : std::uint8_t { key, pedal, knob, wheel, stop };
  std::string name{};
  Kind kind = Kind::key;
  std::optional<std::int64_t> line{};     ///< of a contact; of an encoder wheel: of its track A
  std::optional<std::int64_t> line_b{};   ///< of an encoder wheel
  std::optional<std::int64_t> channel{};  ///< of a knob: analogue
  ActiveLevel active = ActiveLevel::low;
  std::optional<Contact> contact{};
  std::optional<Pull> internal_pull{};
  std::optional<Time> bounce{};
  std::optional<Time> debounce{};
  std::vector<std::string> cuts{};  ///< supplies that it switches off without software
  // Of a knob: its voltages at both ends and, of a stick, where it springs back to; full scale if not said.
  std::optional<Voltage> lowest{};
  std::optional<Voltage> highest{};
  std::optional<Voltage> centre{};
  Voltage dead_band{};    ///< to each side of the centre
  bool reversed = false;  ///< its share falls as its voltage rises; a wheel: B leads A, turned forwards

  std::int64_t edges_per_click = 4;  ///< of an encoder wheel, of both tracks: 1, 2 or 4

  /// By amounts, not on and off.
  [[nodiscard]] bool is_turned() const { return kind == Kind::knob || kind == Kind::wheel; }
};

/// Something that is only switched or faded: a lamp.
struct PlainOutput {
  std::string name{};
  DrivenLine line{};
  Current current{};  ///< that it takes from its line
  std::optional<std::string> timer{};
  std::optional<ExactFrequency> pwm_frequency{};
};

}  // namespace cogstride
