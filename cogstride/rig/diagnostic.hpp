// What is wrong in a file that a user wrote, and where.
#pragma once

#include <string>
#include <vector>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

/// A place in a text file; line and column count from 1.
struct SourcePlace {
  std::string file;
  std::size_t line = 1;
  std::size_t column = 1;
};

struct Diagnostic {
  SourcePlace place;
  std::string message;  ///< names the thing, what was found, what would do
  std::string excerpt;  ///< the line, underlined; may be empty
  std::string code{};   ///< of its kind, for `cogstride explain`; may be empty
};

/// "bobbin.rig.toml:31:14: message"
[[nodiscard]] std::string to_text(const Diagnostic& diagnostic);

/// A file cannot be used. All that is wrong in it, in the order of the file; what() has a line for each.
class InputError : public Error {
 public:
  explicit InputError(std::vector<Diagnostic> diagnostics);
  [[nodiscard]] const std::vector<Diagnostic>& diagnostics() const { return diagnostics_; }

 private:
  std::vector<Diagnostic> diagnostics_;
};

/// So many of one file are told.
inline constexpr std::size_t most_diagnostics = 100;

/// Adds it; with the last that is told, the rest of the file is not looked at. @throws InputError then
void add_or_end(std::vector<Diagnostic>& diagnostics, Diagnostic diagnostic);

inline constexpr std::size_t most_text = 64U << 20U;  ///< bytes of a file that a user writes

/// The whole of a file. @throws Error when it cannot be read, or is longer than `most` bytes.
[[nodiscard]] std::string read_text_file(const std::string& path, std::size_t most = most_text);

}  // namespace cogstride
