#include <fmt/format.h>

#include <cstdio>
#include <filesystem>

#include "cogstride/quantity/error.hpp"
#include "cogstride/report/sequence_report.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "commands.hpp"

using namespace cogstride;

Status run_sequence(const SequenceOptions& options) {
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  const Excitation excitation = excitation_of(mechanism);
  if (!options.plot.empty()) {
    if (!options.overwrite && std::filesystem::exists(options.plot))
      throw Error(fmt::format("--plot {}: is there already; --overwrite replaces it", options.plot));
    draw_sequence(options.plot, mechanism, excitation, options.backwards);
  }
  const std::string report = options.json ? sequence_json(mechanism, excitation, options.backwards)
                                          : sequence_text(mechanism, excitation, options.backwards);
  std::fputs(report.c_str(), stdout);
  return Status::done;
}
