// Playing a script as a command does: with a line of progress, and stopped by whoever ends the program.
#pragma once

#include <string>

#include "cogstride/session/script_run.hpp"
#include "commands.hpp"

/// As long as something plays, being told to end stops it by the rig's [stops]; a reader that has gone is no
/// reason to end. Afterwards everything ends the program as usual.
class InterruptsNoted {
 public:
  explicit InterruptsNoted(cogstride::Bench& bench);
  /// Where no bench is to be stopped: was_interrupted() says it.
  InterruptsNoted();
  ~InterruptsNoted();
  InterruptsNoted(const InterruptsNoted&) = delete;
  InterruptsNoted& operator=(const InterruptsNoted&) = delete;
};

/// Whether the program has been told to end meanwhile.
[[nodiscard]] bool was_interrupted();

/// An interrupt, a terminate or a hang-up stops it as the rig says.
/// @param doing  "rehearsing"
cogstride::PlayedScript play(cogstride::Bench& bench, cogstride::ScriptPlayer& player,
                             const std::string& doing, const cogstride::ScriptLength& length,
                             std::optional<cogstride::Time> longest = {});

/// @throws cogstride::Error unless the rig says which GPIO chip has its lines
void require_chips(const std::string& rig_file, const cogstride::Rig& rig);

/// Asks at the terminal. @throws cogstride::Error with `nobody` where nobody can be asked
[[nodiscard]] bool says_yes(const std::string& question, const std::string& nobody);

/// Before a rig is driven for the first time, or after it was changed: says what will move, and asks.
/// @param yes  that is answered already @param what  lines such as "  feeder turns"
/// @return whether the user agrees @throws cogstride::Error when nobody can be asked
[[nodiscard]] bool is_agreed(const std::string& rig_file, bool yes, const std::string& what);
