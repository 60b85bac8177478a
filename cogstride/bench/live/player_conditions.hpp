// How well a computer keeps time for its player.
#pragma once

#include <cstdint>
#include <string>

namespace cogstride {

/// How the player's thread came to run.
struct PlayerConditions {
  bool real_time = false;      ///< at real-time priority
  bool memory_locked = false;  ///< nothing of it can be paged out
  std::int64_t wake_ns = 0;  ///< that a sleep ended too late, of a few tried: so long before an edge it spins
  std::string words{};       ///< what was refused and what that means; empty when all was granted
};

}  // namespace cogstride
