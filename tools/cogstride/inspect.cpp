#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"

ExitStatus run_inspect(const InspectOptions& options) {
  const cogstride::Rig rig = cogstride::read_rig(options.rig);
  if (!options.mechanism.empty()) (void)cogstride::mechanism_named(rig, options.mechanism);
  cogstride::Inspection inspection = cogstride::inspect_rig(rig);
  if (!options.mechanism.empty()) inspection = cogstride::about(inspection, options.mechanism);
  const std::string report = options.json
                                 ? cogstride::inspect_json(rig, inspection, options.rig, options.mechanism)
                                 : cogstride::inspect_text(rig, inspection, options.rig, options.mechanism);
  std::fputs(report.c_str(), stdout);
  return inspection.is_sound() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
