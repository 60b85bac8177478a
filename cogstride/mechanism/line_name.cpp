#include "cogstride/mechanism/line_name.hpp"

namespace cogstride {

std::optional<Pin> read_pin(std::string_view text) {
  if (text.size() < 2 || text.size() > 3 || text[0] < 'A' || text[0] > 'Z') return std::nullopt;
  int bit = 0;
  for (const char digit : text.substr(1)) {
    if (digit < '0' || digit > '9') return std::nullopt;
    bit = 10 * bit + (digit - '0');
  }
  const bool is_padded = text.size() == 3 && text[1] == '0';
  if (bit > 31 || is_padded) return std::nullopt;
  return Pin{text[0], bit};
}

std::string line_name(std::int64_t line) {
  if (const std::optional<Pin> pin = pin_of(line)) return pin->port + std::to_string(pin->bit);
  return std::to_string(line);
}

}  // namespace cogstride
