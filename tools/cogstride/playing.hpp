// Playing a script as a command does: with a line of progress, and stopped by whoever ends the program.
#pragma once

#include <string>

#include "cogstride/session/script_run.hpp"
#include "commands.hpp"

/// An interrupt, a terminate or a hang-up stops it as the rig says.
/// @param doing  "rehearsing"
cogstride::PlayedScript play(cogstride::Bench& bench, cogstride::ScriptPlayer& player,
                             const std::string& doing, const cogstride::ScriptLength& length,
                             std::optional<cogstride::Time> longest = {});

/// @throws cogstride::Error unless the rig says which GPIO chip has its lines
void require_chips(const std::string& rig_file, const cogstride::Rig& rig);
