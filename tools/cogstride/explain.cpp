#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "commands.hpp"

ExitStatus run_explain(const ExplainOptions& options) {
  const std::string report = options.code.empty()
                                 ? cogstride::explain_list()
                                 : cogstride::explain_text(cogstride::finding_kind(options.code));
  std::fputs(report.c_str(), stdout);
  return ExitStatus::done;
}
