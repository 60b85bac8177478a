#include "cogstride/script/source_line.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

SourceLine split_words(std::size_t number, std::string_view text) {
  SourceLine line{number, text, {}};
  const auto is_blank = [](char c) { return c == ' ' || c == '\t' || c == '\r'; };
  std::size_t at = 0;
  while (at < text.size() && text[at] != '#') {
    if (is_blank(text[at])) {
      ++at;
      continue;
    }
    const std::size_t start = at;
    if (text[at] == '"') {  // a text, its blanks and all
      const std::size_t quote = text.find('"', at + 1);
      at = quote == std::string_view::npos ? text.size() : quote + 1;
    } else {
      while (at < text.size() && !is_blank(text[at]) && text[at] != '#') ++at;
    }
    line.words.push_back({text.substr(start, at - start), start + 1});
  }
  return line;
}

std::vector<SourceLine> split_lines(std::string_view text) {
  std::vector<SourceLine> lines;
  for (std::size_t number = 1; !text.empty(); ++number) {
    const std::size_t end = text.find('\n');
    SourceLine line = split_words(number, text.substr(0, end));
    if (!line.words.empty()) lines.push_back(std::move(line));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
  }
  return lines;
}

std::string statement_text(const SourceLine& line) {
  if (line.words.empty()) return {};
  const Word& first = line.words.front();
  const Word& last = line.words.back();
  return std::string(line.text.substr(first.column - 1, last.column + last.text.size() - first.column));
}

std::string underlined(const SourceLine& line, const Wrong& wrong) {
  std::string_view shown = line.text;
  while (!shown.empty() && shown.back() == '\r') shown.remove_suffix(1);
  std::string text = fmt::format("    {}\n    ", shown);
  for (std::size_t i = 0; i + 1 < wrong.column; ++i)
    text += i < shown.size() && shown[i] == '\t' ? '\t' : ' ';
  return text + std::string(std::max<std::size_t>(1, wrong.length), '^');
}

}  // namespace cogstride
