// Playing a script on a bench, whichever it is, from its first statement to everything at rest.
#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/script/script_player.hpp"
#include "commands.hpp"

struct Played {
  std::string fault{};    ///< of the script itself; empty: none
  bool is_sound = false;  ///< it ended by itself, and nothing stopped it
};

/// Plays it, with a line of progress; an interrupt, a terminate or a hang-up stops it as the rig says.
/// @param doing  "rehearsing"
Played play(cogstride::Bench& bench, cogstride::ScriptPlayer& player, const std::string& doing,
            const cogstride::ScriptLength& length);

/// Adds the mechanisms that statements move (or only those that they home), in the order in which they are
/// named.
void add_moved(std::span<const cogstride::Statement> statements, bool homed_only,
               std::vector<std::size_t>& moved);

/// Where this user's states are kept, by the XDG Base Directory Specification; empty: nowhere.
[[nodiscard]] std::filesystem::path state_folder();

/// Writes taught limits into the rig's file, when that is wanted. @return what was taught, in words
std::vector<std::string> keep_taught(const std::string& rig_file, bool writes, const cogstride::Rig& rig,
                                     const std::vector<cogstride::TaughtLimit>& taught);

/// @throws cogstride::Error unless the rig says which GPIO chip has its lines
void require_chips(const std::string& rig_file, const cogstride::Rig& rig);
