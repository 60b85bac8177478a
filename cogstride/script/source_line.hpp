// One line of a script as words, and what is wrong at one of them.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace cogstride {

struct Word {
  std::string_view text;
  std::size_t column;  ///< from 1
};

struct SourceLine {
  std::size_t number = 0;
  std::string_view text{};    ///< as it stands in the file
  std::vector<Word> words{};  ///< without the comment
};

/// Caught line by line, so that every error comes out in one go.
struct Wrong {
  std::size_t column;
  std::size_t length;
  std::string message;
};

[[nodiscard]] SourceLine split_words(std::size_t number, std::string_view text);
/// All lines that say something.
[[nodiscard]] std::vector<SourceLine> split_lines(std::string_view text);
/// The statement itself, without blanks around it or its comment.
[[nodiscard]] std::string statement_text(const SourceLine& line);
/// The line with what is wrong underlined.
[[nodiscard]] std::string underlined(const SourceLine& line, const Wrong& wrong);

}  // namespace cogstride
