#include <cstdio>

#include "cogstride/files/output_file.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "commands.hpp"

using namespace cogstride;

ExitStatus run_change(const ChangeOptions& options) {
  ChangedFile rig(options.rig);
  rig.replace(changed_rig_text(rig.text(), options.rig, options.key, options.value));
  if (!options.quiet)
    std::printf("%s: %s is %s now\n", options.rig.c_str(), options.key.c_str(), options.value.c_str());
  return ExitStatus::done;
}
