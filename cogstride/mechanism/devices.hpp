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

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// Stands in a text where its digits do.
inline constexpr std::string_view number_word = "NUMBER";
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

struct Device {
  std::string name{};
  std::string port{};                      ///< a serial port or a pseudo-terminal
  std::optional<std::int64_t> baud{};      ///< bit/s; nothing: as the port stands
  std::optional<std::string> ends_with{};  ///< bytes that end a text; or
  std::optional<Time> ends_after{};        ///< a silence that does
  std::vector<DeviceMessage> messages{};
};

/// What a text says.
struct Said {
  std::optional<std::int64_t> number{};  ///< as it is meant
  bool is_in_range = true;
};
/// All of a text held against one that the device has; nothing: it is another.
[[nodiscard]] std::optional<Said> said_by(const DeviceMessage& message, std::string_view text);

/// @throws RangeError when nothing ends its texts or two things do, one says nothing or is too long, has no
/// digits that could be, releases nothing, is released and may be held for ever, or could be another as well
void require_readable(const Device& device);

}  // namespace cogstride
