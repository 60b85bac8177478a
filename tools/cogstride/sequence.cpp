#include <fmt/format.h>

#include <cstdio>
#include <filesystem>

#include "cogstride/quantity/error.hpp"
#include "cogstride/report/commutation_report.hpp"
#include "cogstride/report/sequence_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

ExitStatus run_sequence(const SequenceOptions& options) {
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  check_output_names({.plot = options.plot, .overwrite = options.overwrite}, {options.rig});
  if (mechanism.has_six_gates()) {
    const Commutation commutation = commutation_of(mechanism, options.backwards);
    if (!options.plot.empty()) draw_commutation(options.plot, mechanism, commutation);
    std::fputs(
        (options.json ? commutation_json(mechanism, commutation) : commutation_text(mechanism, commutation))
            .c_str(),
        stdout);
    return ExitStatus::done;
  }
  const Excitation excitation = excitation_of(mechanism);
  if (!options.plot.empty()) {
    draw_sequence(options.plot, mechanism, excitation, options.backwards);
  }
  const std::string report = options.json ? sequence_json(mechanism, excitation, options.backwards)
                                          : sequence_text(mechanism, excitation, options.backwards);
  std::fputs(report.c_str(), stdout);
  return ExitStatus::done;
}
