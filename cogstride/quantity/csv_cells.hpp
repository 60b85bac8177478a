// Lines, cells and numbers of a table written with commas.
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

/// Calls `take(line, number)` for each line of a table, numbered from 1: not for blank ones, nor for those
/// that begin with #.
template <class Take>
void for_each_csv_line(std::string_view text, Take take) {
  for (std::size_t number = 1; !text.empty(); ++number) {
    const std::size_t end = text.find('\n');
    const std::string_view line = text.substr(0, end);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    const std::size_t first = line.find_first_not_of(" \t\r");
    if (first != std::string_view::npos && line[first] != '#') take(line, number);
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
