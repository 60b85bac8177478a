#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"

ExitStatus run_lines(const LinesOptions& options) {
  const cogstride::Rig rig = cogstride::read_rig(options.rig);
  const std::string report = options.json ? cogstride::lines_json(rig) : cogstride::lines_text(rig);
  std::fputs(report.c_str(), stdout);
  return ExitStatus::done;
}
