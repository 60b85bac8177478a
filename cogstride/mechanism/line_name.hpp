// A controller's lines are numbered; those of a small chip have names, by port and bit: "B1".
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace cogstride {

/// Of those that are numbered.
inline constexpr std::int64_t most_lines = 1023;

/// A pin of a small chip.
struct Pin {
  char port = 'A';  ///< 'A' to 'Z'
  int bit = 0;      ///< 0 to 31

  friend bool operator==(const Pin&, const Pin&) = default;
};

/// Pins are numbered behind all other lines.
[[nodiscard]] constexpr std::int64_t line_of(const Pin& pin) {
  return most_lines + 1 + 32 * (pin.port - 'A') + pin.bit;
}
/// The pin that a line is; nothing: it is a numbered one, or none.
[[nodiscard]] constexpr std::optional<Pin> pin_of(std::int64_t line) {
  const std::int64_t place = line - most_lines - 1;
  if (place < 0 || place >= 32 * 26) return std::nullopt;
  return Pin{static_cast<char>('A' + place / 32), static_cast<int>(place % 32)};
}
/// "B1". @return nothing where it is no pin
[[nodiscard]] std::optional<Pin> read_pin(std::string_view text);
/// "7", "B1"
[[nodiscard]] std::string line_name(std::int64_t line);
/// Its place in a write of its port, or of all lines together where they are numbered; 0 beyond 64 of them.
[[nodiscard]] constexpr std::uint64_t port_bit(std::int64_t line) {
  const std::optional<Pin> pin = pin_of(line);
  const std::int64_t bit = pin ? pin->bit : line;
  return bit >= 0 && bit < 64 ? std::uint64_t{1} << static_cast<unsigned>(bit) : 0;
}

}  // namespace cogstride
