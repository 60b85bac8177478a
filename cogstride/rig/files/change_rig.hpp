// Changing one key of a rig file: only the lines concerned change, comments and order stay.
#pragma once

#include <string>
#include <vector>

namespace cogstride {

/// The text with one key set. The value is TOML (`16`, `true`, `"1.6 A"`, `{ line = 3 }`); one that is not is
/// put into quotes. A key that is not there is added at the end of its table, a table at the end of the file.
/// @param name  stands for the file in messages
/// @param key   whole, such as "mechanism.traverse.board.microsteps"
/// @throws InputError when the changed rig would not be one, with all that would be wrong in it; RangeError
///         for a key that is none
[[nodiscard]] std::string changed_rig_text(const std::string& text, const std::string& name,
                                           const std::string& key, const std::string& value);

/// The text with what was proven of one mechanism in it, and the mark of its parts as they are in that text.
/// @throws InputError when that is no rig; RangeError when it has no such mechanism
[[nodiscard]] std::string proven_rig_text(const std::string& text, const std::string& name,
                                          const std::string& mechanism,
                                          const std::vector<std::string>& stages);

}  // namespace cogstride
