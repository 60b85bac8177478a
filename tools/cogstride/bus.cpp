#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <iostream>

#include "cogstride/report/bus_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/bus_look.hpp"
#include "commands.hpp"

using namespace cogstride;

namespace {

bool may_change(const BusOptions& options) {
  if (options.yes) return true;
  if (isatty(STDIN_FILENO) == 0)
    throw Error("nobody can be asked here whether its id may be changed: say --yes");
  fmt::print(stderr, "The only drive on the bus is given the id {}, and keeps it. Do it (yes/no) ",
             options.new_id);
  std::string answer;
  std::getline(std::cin, answer);
  return answer == "yes" || answer == "y";
}

}  // namespace

ExitStatus run_bus(const BusOptions& options) {
  const Rig rig = read_rig(options.rig);
  if (options.new_id != 0) {
    if (!may_change(options)) {
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
