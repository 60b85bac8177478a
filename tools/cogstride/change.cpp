#include <cstdio>

#include "cogstride/report/output_file.hpp"
#include "cogstride/rig/change_rig.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "commands.hpp"

using namespace cogstride;

Status run_change(const ChangeOptions& options) {
  const std::string text = read_text_file(options.rig);
  const std::string changed = changed_rig_text(text, options.rig, options.key, options.value);
  replace_file(options.rig, changed);
  if (!options.quiet)
    std::printf("%s: %s is %s now\n", options.rig.c_str(), options.key.c_str(), options.value.c_str());
  return Status::done;
}
