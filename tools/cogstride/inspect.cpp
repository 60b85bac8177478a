#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "commands.hpp"

Status run_inspect(const InspectOptions& options) {
  const cogstride::Rig rig = cogstride::read_rig(options.rig);
  const cogstride::Inspection inspection = cogstride::inspect_rig(rig);
  const std::string report = options.json ? cogstride::inspect_json(rig, inspection, options.rig)
                                          : cogstride::inspect_text(rig, inspection, options.rig);
  std::fputs(report.c_str(), stdout);
  return inspection.is_sound() ? Status::done : Status::something_is_wrong;
}
