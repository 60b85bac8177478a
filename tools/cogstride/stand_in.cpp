#include <fmt/format.h>

#include <cstdio>

#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/drive_stand_in.hpp"
#include "commands.hpp"
#include "playing.hpp"

using namespace cogstride;

ExitStatus run_stand_in(const StandInOptions& options) {
  const Rig rig = read_rig(options.rig);
  const std::vector<OutsideEvent> events =
      options.event.empty() ? std::vector<OutsideEvent>{} : read_events(options.event, rig);
  // Whoever reads along sees each line as it comes.
  const auto say = [](const std::string& line) {
    fmt::print("{}\n", line);
    std::fflush(stdout);
  };
  const InterruptsNoted noted;
  DriveStandIn drives(rig, options.only, events);
  for (const std::string& line : drives.who()) say(line);
  say("ended by Ctrl-C");
  drives.run(was_interrupted, say);
  for (const std::string& line : drives.sums()) say(line);
  return ExitStatus::done;
}
