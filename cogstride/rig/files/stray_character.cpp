#include "cogstride/rig/files/stray_character.hpp"

#include <algorithm>

namespace cogstride {
namespace {

bool starts_with(std::string_view text, std::size_t at, std::string_view part) {
  return text.substr(at, part.size()) == part;
}

/// One beyond the end of the quoted text that begins at `at`. A quote that is not closed ends with its line,
/// or with the file when it is a triple one: the parser stops there too.
std::size_t end_of_quoted(std::string_view text, std::size_t at) {
  const char quote = text[at];
  const std::string triple(3, quote);
  const bool is_triple = starts_with(text, at, triple);
  const std::string_view closing = is_triple ? std::string_view(triple) : text.substr(at, 1);
  at += closing.size();
  while (at < text.size()) {
    if (!is_triple && text[at] == '\n') return at;
    if (quote == '"' && text[at] == '\\') {
      at += 2;
    } else if (starts_with(text, at, closing)) {
      return at + closing.size();
    } else {
      ++at;
    }
  }
  return text.size();
}

std::size_t utf8_length(unsigned char first) {
  return first >= 0xf0 ? 4 : (first >= 0xe0 ? 3 : 2);
}

StrayCharacter located(std::string_view text, std::size_t at) {
  StrayCharacter stray;
  std::size_t line_start = 0;
  for (std::size_t i = 0; i < at; ++i) {
    if (text[i] != '\n') continue;
    ++stray.line;
    line_start = i + 1;
  }
  stray.column = at - line_start + 1;
  stray.character = text.substr(at, utf8_length(static_cast<unsigned char>(text[at])));
  return stray;
}

}  // namespace

std::optional<StrayCharacter> find_stray_character(std::string_view text) {
  // A quote opens a text only where a key or a value may begin; after anything else it is a character like
  // others.
  constexpr std::string_view before_key_or_value = "\n=[,{.";
  char last = '\n';                                               // that was not blank
  std::size_t at = starts_with(text, 0, "\xef\xbb\xbf") ? 3 : 0;  // a byte order mark may stand first
  while (at < text.size()) {
    const char c = text[at];
    if (static_cast<unsigned char>(c) >= 0x80) return located(text, at);
    if (c == '#') {
      at = std::min(text.find('\n', at), text.size());
      continue;
    }
    const bool opens = (c == '"' || c == '\'') && before_key_or_value.find(last) != std::string_view::npos;
    at = opens ? end_of_quoted(text, at) : at + 1;
    if (c != ' ' && c != '\t' && c != '\r') last = c;
  }
  return std::nullopt;
}

}  // namespace cogstride
