// What can be told ahead while a script is walked through: where mechanisms stand, what goes on, how long all
// of it takes.
#pragma once

#include <optional>
#include <vector>

#include "cogstride/script/script.hpp"

namespace cogstride {

/// What is known ahead of where a mechanism stands.
struct Standing {
  bool is_homed = false;
  std::optional<OutputPosition> at{};  ///< nothing: somewhere inside its travel
  const Statement* spins = nullptr;    ///< the statement that lets it spin without end
  double duty = 0.0;                   ///< of one that is driven by duty, when the statement before is done
  bool is_held = false;                ///< at a speed, by its encoder
  bool is_armed = false;               ///< of one that has a throttle
};

struct Foreseen {
  std::vector<Standing> standing{};  ///< by a mechanism's place in the rig
  ScriptLength length{};
  const Statement* endless = nullptr;  ///< a repeat that never ends
};

/// @throws RangeError, with what to write before, when the mechanism of a statement still spins
void require_rest(const Rig& rig, const Statement& statement, const Foreseen& known);
/// The same when nobody knows where it stands, too.
void require_homed(const Rig& rig, const Statement& statement, const Foreseen& known);

}  // namespace cogstride
