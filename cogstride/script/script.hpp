// A stride script: what mechanisms should do, in plain words, one statement a line.
//
//   home traverse
//   repeat 3 times
//     move traverse to 92 mm at 40 mm/s
//     wait 0.2 s
//     move traverse by -80 mm
//   end
//   arrive together
//     move traverse to 92 mm
//     move drum to 225 deg
//   end
//
// `read_script` checks the whole of it against the rig before anything moves: names, units, limits, and where
// every move would end, repeats included.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "cogstride/plan/move.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct Statement {
  enum class Kind { home, move, wait, repeat, arrive_together };
  Kind kind = Kind::wait;
  SourcePlace place;
  std::string text;           ///< as written, without blanks around it and without its comment
  std::size_t mechanism = 0;  ///< home and move: its place in the rig
  MoveOrder order;            ///< move
  ExactTime pause;            ///< wait
  std::int64_t count = 0;     ///< repeat
  std::vector<Statement> body;
};

struct Script {
  std::string name;
  std::vector<Statement> statements;
};

/// @throws InputError with everything that is wrong, Error when the file cannot be read.
[[nodiscard]] Script read_script(const std::string& path, const Rig& rig);

/// The same from text; `name` stands for the file in messages.
[[nodiscard]] Script parse_script(std::string_view text, const std::string& name, const Rig& rig);

/// All that is wrong with where a parsed script's moves would end.
[[nodiscard]] std::vector<Diagnostic> check_positions(const Script& script, const Rig& rig);

}  // namespace cogstride
