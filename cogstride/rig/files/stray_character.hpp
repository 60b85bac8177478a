// Looks for characters beyond ASCII where TOML allows none: outside quotes and comments.
//
// toml++ 3.3 takes such a character for impossible in places (an "unreachable" branch behind a table of
// blanks), so it must not be handed one. And a maker who pasted a typographic blank is better told which
// character it is.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace cogstride {

struct StrayCharacter {
  std::size_t line = 1;    ///< from 1
  std::size_t column = 1;  ///< in bytes, from 1
  std::string character;   ///< its UTF-8 bytes
};

/// The first one, or nothing.
[[nodiscard]] std::optional<StrayCharacter> find_stray_character(std::string_view toml);

}  // namespace cogstride
