// The cells of one line of a table written with commas.
#pragma once

#include <algorithm>
#include <charconv>
#include <cmath>
#include <optional>
#include <string_view>
#include <system_error>
#include <vector>

namespace cogstride {

struct CsvCell {
  std::string_view text{};  ///< without the blanks around it
  std::size_t column = 1;   ///< where it begins, from 1
};

[[nodiscard]] inline std::vector<CsvCell> csv_cells(std::string_view line) {
  std::vector<CsvCell> cells;
  std::size_t from = 0;
  for (;;) {
    const std::size_t comma = std::min(line.find(',', from), line.size());
    std::size_t begin = from;
    std::size_t end = comma;
    const auto is_blank = [](char c) { return c == ' ' || c == '\t' || c == '\r'; };
    while (begin < end && is_blank(line[begin])) ++begin;
    while (end > begin && is_blank(line[end - 1])) --end;
    cells.push_back({line.substr(begin, end - begin), begin + 1});
    if (comma == line.size()) return cells;
    from = comma + 1;
  }
}

/// The number that a text is, whole and finite; nothing where it is none.
[[nodiscard]] inline std::optional<double> csv_number(std::string_view text) {
  double value = 0.0;
  const char* const end = text.data() + text.size();
  const auto [stop, status] = std::from_chars(text.data(), end, value);
  if (status != std::errc() || stop != end || !std::isfinite(value)) return std::nullopt;
  return value;
}

}  // namespace cogstride
