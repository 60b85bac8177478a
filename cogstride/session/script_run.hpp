// A script on a bench, whichever it is, from its first statement to everything at rest; and what of a bench a
// script has to do with.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/script/script_player.hpp"

namespace cogstride {

struct PlayedScript {
  std::string fault{};      ///< of the script itself; empty: none
  bool is_sound = false;    ///< it ended by itself or when its time was up, and nothing stopped it
  bool was_longer = false;  ///< its time was up before it ended
};

/// Its statements stand in the record; what it leaves turning at its end comes to rest as the rig says
/// (`stops.end`), and a fault of its own stops everything as the rig says of one.
/// @param each_turn  called between the turns of the run; may be empty
/// @param longest  of the bench's time, then it is ended as if that were its end; nothing: it plays to its
/// end
PlayedScript play_script(Bench& bench, ScriptPlayer& player, const std::function<void()>& each_turn = {},
                         std::optional<Time> longest = {});

/// Places in the rig of the mechanisms that statements move, or that they home, in the order in which they
/// are named.
[[nodiscard]] std::vector<std::size_t> moved_by(std::span<const Statement> statements);
[[nodiscard]] std::vector<std::size_t> homed_by(std::span<const Statement> statements);
/// The first wheeled pair that they drive: its place in the rig.
[[nodiscard]] std::optional<std::size_t> pair_driven_by(std::span<const Statement> statements);

/// "rehearsing: 2.1 s on the bench, about 4 s left; traverse at 12 mm": bench time so far, what is left of it
/// as far as that can be told, and what moves is asked to do.
[[nodiscard]] std::string progress_words(const Bench& bench, const ScriptPlayer& player,
                                         const ScriptLength& length, const std::string& doing);

/// What a script has taught goes into the rig's file, when that is wanted. @return what was taught, in words.
/// @throws Error when the file cannot be changed
std::vector<std::string> keep_taught(const std::string& rig_file, bool writes, const Rig& rig,
                                     const std::vector<TaughtLimit>& taught);

}  // namespace cogstride
