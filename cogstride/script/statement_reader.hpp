// What follows a verb, read into a statement: one line, against the rig.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/script.hpp"

namespace cogstride {

/// Limits of a mechanism for a stretch of the script.
struct Stretch {
  std::size_t mechanism;
  std::optional<OutputSpeed> speed;
  std::optional<OutputAcceleration> acceleration;
};

/// The words that statements begin with; `pattern` and `end` are none of them.
/// @param more  of a program's own
[[nodiscard]] std::vector<std::string> statement_verbs(std::span<const VerbWord> more);

/// Reads what follows `verb`; the limits of the stretches hold where the line names none.
/// @return whether it is a verb. @throws Wrong
bool read_by_verb(std::string_view verb, std::span<const VerbWord> more, LineReader& reader,
                  std::span<const Stretch> stretches, Statement& statement);

}  // namespace cogstride
