// A device with fixed texts of its own, on a serial port: a display, a radio module, another board.
//
//   Device panel{.name = "panel", .port = "/dev/ttyS0", .ends_after = 20_ms};
//   panel.messages.push_back({.name = "station", .text = "@NUMBER", .most_digits = 1, .highest = 7});
//   require_readable(panel);
//   text_of(panel.messages[0], "@5");      // 5
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// Stands in a text where its digits do.
inline constexpr std::string_view number_word = "NUMBER";
/// Stands in a reply where its state does.
inline constexpr std::string_view state_word = "STATE";
/// Bytes that a text may have.
inline constexpr std::size_t longest_device_text = 200;

/// A text that it says.
struct DeviceMessage {
  std::string name{};
  std::string text{};
  std::int64_t fewest_digits = 1;
  std::int64_t most_digits = 9;  ///< at most 18
  bool negative = false;         ///< a minus may stand before them
  std::int64_t lowest = 0;       ///< of the number
  std::int64_t highest = 999'999'999;
  bool inverted = false;                  ///< lowest + highest - what is written is meant
  Time again_after{};                     ///< the same text sooner than that is the last one, heard twice
  std::optional<std::string> releases{};  ///< the message that begins what this one ends
  std::optional<Time> held_at_most{};     ///< of one that another releases, which may be lost

  [[nodiscard]] bool has_number() const { return text.find(number_word) != std::string::npos; }
};

/// What it is told while the rig is operated, in its own form, whenever that changes.
struct DeviceReply {
  enum class Says : std::uint8_t { place, speed, state };
  std::string name{};
  std::string text{};  ///< all of its bytes, with NUMBER, or STATE, where that stands
  std::string of{};    ///< a mechanism or a cart
  Says says = Says::place;
  std::optional<std::string> each{};  ///< amount that one of the number is
  std::int64_t fewest_digits = 1;
  Time every = Time(0.2, units::s);  ///< at the soonest
  std::string moving = "moving";     ///< what STATE is
  std::string resting = "resting";
  std::string stopped = "stopped";  ///< everything was stopped
};

struct Device {
  std::string name{};
  std::string port{};                      ///< a serial port or a pseudo-terminal
  std::optional<std::int64_t> baud{};      ///< bit/s; nothing: as the port stands
  std::optional<std::string> ends_with{};  ///< bytes that end a text; or
  std::optional<Time> ends_after{};        ///< a silence that does
  std::vector<DeviceMessage> messages{};
  std::vector<DeviceReply> replies{};
};

/// An input device of the operating system: a pad, a pedal, a keyboard, a wheel, a receiver. What it says is
/// called by the kernel's own names, such as BTN_SOUTH, ABS_Y, REL_DIAL.
struct InputKey {
  std::string name{};
  std::string code{};
};
struct InputAxis {
  std::string name{};
  std::string code{};
  bool centred = true;    ///< it springs back to its middle, and goes both ways
  bool reversed = false;  ///< its share falls as it says more
  std::optional<ExactFraction>
      dead_zone{};  ///< of its travel, about its middle or its begin; nothing: the device's own
};
struct InputWheel {
  std::string name{};
  std::string code{};
  bool reversed = false;
};
struct InputDevice {
  std::string name{};
  std::string called{};    ///< as it calls itself
  bool exclusive = false;  ///< nobody else hears it meanwhile
  std::vector<InputKey> keys{};
  std::vector<InputAxis> axes{};
  std::vector<InputWheel> wheels{};
};

/// A remote for a hand, heard by an infrared receiver at an input line.
struct RemoteKey {
  std::string name{};
  std::optional<std::int64_t> code{};        ///< 32 bits, the first that comes the lowest
  std::vector<std::int64_t> timing{};        ///< us, learned: marks and gaps in turn, from the first mark on
  std::vector<std::int64_t> other_timing{};  ///< of one that says it in two ways, in turn
};
struct Remote {
  enum class Coding : std::uint8_t {
    pulse_distance,  ///< a mark of 9 ms and a gap of 4.5 ms, 32 bits by the gap behind each mark of 0.56 ms
                     ///< (0.56 or 1.69 ms), the last eight the third eight inverted; held on by a common
                     ///< short frame each 108 ms
    learned,         ///< whatever its keys' timing says
  };
  std::string name{};
  std::int64_t line = 0;
  ActiveLevel active = ActiveLevel::low;  ///< of a mark
  std::optional<Pull> internal_pull{};
  std::optional<Voltage> output_level{};
  Coding coding = Coding::pulse_distance;
  std::vector<std::int64_t>
      held_timing{};                     ///< us, of a learned one: the frame that says that a key is held on
  Time held_for = Time(0.25, units::s);  ///< a key is let go when nothing of it has come for so long
  std::vector<RemoteKey> keys{};
};

/// A sensor on a two-wire bus that raises an interrupt line when something has happened: a hand that crosses,
/// comes near, goes away.
struct SensorSetting {
  std::string name{};
  std::int64_t at = 0;  ///< register
  std::int64_t value = 0;
};
struct SensorEvent {
  std::string name{};
  std::int64_t value = 0;  ///< of the register that is read
};
struct BusSensor {
  std::string name{};
  std::string bus{};         ///< "/dev/i2c-1"
  std::int64_t address = 0;  ///< seven bits
  ExactFrequency bus_speed = ExactFrequency::from_base(100'000);
  std::optional<ExactFrequency> top_bus_speed{};  ///< that the sensor stands
  std::int64_t line = 0;                          ///< its interrupt
  ActiveLevel active = ActiveLevel::low;
  std::optional<Pull> internal_pull{};
  std::optional<Voltage> output_level{};  ///< of its interrupt line and its bus
  std::int64_t reads = 0;                 ///< register that says what has happened
  Time least_between{};                   ///< two events, as it tells them at the soonest
  Time again_after{};                     ///< the same event sooner than that is the last one, told twice
  std::vector<SensorSetting> settings{};  ///< written at the start, in their order
  std::vector<SensorEvent> events{};

  /// From an event to its value, at the latest: its interrupt is noticed within 5 ms.
  [[nodiscard]] Time read_by() const { return Time(5e-3, units::s) + read_takes(); }
  /// Of a read of one register: its address twice, the register and its value, nine bits each.
  [[nodiscard]] Time read_takes() const { return Time(4.0 * 9.0 / bus_speed.base().to_double(), units::s); }
};

/// Something of a rig that tells by itself what a hand does: a control for bindings and scripts.
struct SaidControl {
  enum class Says : std::uint8_t {
    press,   ///< that it is pressed, again and again while it is held, or let go by another
    hold,    ///< that it is pressed, and that it is let go
    number,  ///< a number
    share,   ///< where it is turned to, in thousandths of its travel: 0, or its middle, to 1000
  };
  std::string name{};  ///< "panel.station"
  Says says = Says::press;
  std::optional<std::string> releases{};  ///< "panel.hold": what it ends
  std::optional<Time> held_at_most{};     ///< of one that another releases
  bool has_centre = false;                ///< its share goes from -1000 on
  std::int64_t lowest = 0;                ///< number that it says
  std::int64_t highest = 0;
};

/// What a text says.
struct Said {
  std::optional<std::int64_t> number{};  ///< as it is meant
  bool is_in_range = true;
};
/// All of a text held against one that the device has; nothing: it is another.
[[nodiscard]] std::optional<Said> said_by(const DeviceMessage& message, std::string_view text);

/// All that it says, in its order.
[[nodiscard]] std::vector<SaidControl> controls_of(const Device& device);
[[nodiscard]] std::vector<SaidControl> controls_of(const InputDevice& device);
[[nodiscard]] std::vector<SaidControl> controls_of(const Remote& remote);
[[nodiscard]] std::vector<SaidControl> controls_of(const BusSensor& sensor);
/// Thousandths of an axis' travel, from what it says.
/// @param flat  of what it says, about its middle, that is taken for it where the rig does not say
[[nodiscard]] std::int64_t thousandths_of(const InputAxis& axis, std::int64_t value, std::int64_t least,
                                          std::int64_t most, std::int64_t flat);

/// @throws RangeError when there is something about it that makes no sense
void require_sound(const Device& device);
void require_sound(const InputDevice& device);
void require_sound(const Remote& remote);
void require_sound(const BusSensor& sensor);

/// @throws RangeError when nothing ends its texts or two things do, one says nothing or is too long, has no
/// digits that could be, releases nothing, is released and may be held for ever, or could be another as well
void require_readable(const Device& device);

}  // namespace cogstride
