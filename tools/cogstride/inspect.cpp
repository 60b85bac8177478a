#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "commands.hpp"

Status run_inspect(const InspectOptions& options) {
  const cogstride::Rig rig = cogstride::read_rig(options.rig);
  const std::string report =
      options.json ? cogstride::inspect_json(rig, options.rig) : cogstride::inspect_text(rig, options.rig);
  std::fputs(report.c_str(), stdout);
  return Status::done;
}
