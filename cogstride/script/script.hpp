// A script: what mechanisms should do, in plain words, one statement a line.
//
//   pattern lay width 80 mm pitch 1.4 mm     # with two values
//     move traverse by width at 40 mm/s
//     move traverse by -width
//   end
//
//   home traverse
//   repeat 3 times
//     lay width 60 mm
//     turn creel to station 5
//   end
//
// `read_script` checks the whole of it against the rig before anything moves: names, units, limits, and where
// every move would end, repeats and patterns included. docs/script-language.md has every verb.
#pragma once

#include <map>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

class Verb;
struct Stretch;
struct VerbWord;

/// A limit that a script has taught: `teach traverse far limit`.
struct TaughtLimit {
  std::size_t mechanism = 0;  ///< its place in the rig
  OutputPosition from{};
  OutputPosition to{};
};

struct Statement {
  SourcePlace place{};
  std::string text{};                  ///< as written, without blanks around it and without its comment
  std::shared_ptr<const Verb> verb{};  ///< has all that it says
};

struct Script {
  std::string name;
  std::vector<Statement> statements;
};

/// How long a script takes, as far as that can be told ahead.
struct ScriptLength {
  double seconds = 0.0;  ///< of all that can be told
  bool is_whole = true;  ///< else it homes, waits for something, or goes on without end, as well
  bool has_an_end = true;
};

/// Where mechanisms are known to stand when a script begins, without having been homed.
using KnownPositions = std::map<std::string, OutputPosition>;

/// @throws InputError with everything that is wrong, Error when the file cannot be read.
/// @param verbs  of the program's own, beside those of the language
[[nodiscard]] Script read_script(const std::string& path, const Rig& rig, const KnownPositions& known = {},
                                 std::span<const VerbWord> verbs = {});

/// The same from text; `name` stands for the file in messages.
[[nodiscard]] Script parse_script(std::string_view text, const std::string& name, const Rig& rig,
                                  const KnownPositions& known = {}, std::span<const VerbWord> verbs = {});

struct Foreseen;

/// Orders for mechanisms that are as `known` says: they may stand anywhere, and turn. What will be known once
/// all of it has been carried out stands in `known` then. @param stretches  limits that hold where a line
/// names none. @throws InputError with everything that is wrong; `known` is as it was then
[[nodiscard]] Script parse_orders(std::string_view text, const std::string& name, const Rig& rig,
                                  Foreseen& known, std::span<const VerbWord> verbs = {},
                                  std::span<const Stretch> stretches = {});

struct ScriptCheck {
  std::vector<Diagnostic> wrong;
  ScriptLength length;
  const Statement* endless = nullptr;  ///< a repeat that never ends; of the script
};

/// All that is wrong with where a parsed script's motions would end, and how long they take.
[[nodiscard]] ScriptCheck check_motions(const Script& script, const Rig& rig,
                                        const KnownPositions& known = {});
/// The same from what is known already, and with what will be known then.
[[nodiscard]] ScriptCheck check_motions(const Script& script, const Rig& rig, Foreseen& known);
/// What is known of a rig that was just switched on.
[[nodiscard]] Foreseen known_at_begin(const Rig& rig, const KnownPositions& known = {});

}  // namespace cogstride
