#include <fmt/format.h>

#include <cstdio>

#include "cogstride/report/bus_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/bus_look.hpp"
#include "commands.hpp"
#include "playing.hpp"

using namespace cogstride;

ExitStatus run_bus(const BusOptions& options) {
  const Rig rig = read_rig(options.rig);
  if (options.new_id != 0) {
    const std::string question =
        fmt::format("The only drive on the bus is given the id {}, and keeps it. Do it", options.new_id);
    if (!options.yes &&
        !says_yes(question, "nobody can be asked here whether its id may be changed: say --yes")) {
      fmt::print(stderr, "nothing was changed\n");
      return ExitStatus::something_is_wrong;
    }
    change_only_id(rig, options.new_id);
  }
  const std::vector<IdScan::Found> found = look_at_bus(rig);
  const std::vector<std::string> wrong = wrong_on_bus(rig, found);
  const std::string text = options.json ? bus_json(rig, found, wrong) : bus_text(rig, found, wrong);
  std::fputs(text.c_str(), stdout);
  return wrong.empty() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
