#include <cstdio>
#include <filesystem>

#include "cogstride/report/output_file.hpp"
#include "cogstride/rig/change_rig.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "commands.hpp"

using namespace cogstride;

Status run_change(const ChangeOptions& options) {
  const std::string text = read_text_file(options.rig);
  const std::string changed = changed_rig_text(text, options.rig, options.key, options.value);
  // Through a link, the file that it stands for is changed.
  OutputFile file(std::filesystem::canonical(options.rig).string());
  std::filesystem::permissions(file.part_path(), std::filesystem::status(options.rig).permissions());
  file.write(changed);
  file.commit();
  if (!options.quiet)
    std::printf("%s: %s is %s now\n", options.rig.c_str(), options.key.c_str(), options.value.c_str());
  return Status::done;
}
