#include <cstdio>

#include "cogstride/report/reports.hpp"
#include "commands.hpp"

ExitStatus run_keys(const KeysOptions& options) {
  const std::vector<cogstride::KeySection> sections = cogstride::key_sections_about(options.about);
  const std::string report = options.page ? cogstride::keys_page(sections) : cogstride::keys_text(sections);
  std::fputs(report.c_str(), stdout);
  return ExitStatus::done;
}
