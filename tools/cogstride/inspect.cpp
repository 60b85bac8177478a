#include <cstdio>

#include "cogstride/export/make_program.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "report_file.hpp"

ExitStatus run_inspect(const InspectOptions& options) {
  const cogstride::Rig rig = cogstride::read_rig(options.rig);
  if (!options.mechanism.empty()) (void)cogstride::mechanism_named(rig, options.mechanism);
  cogstride::Inspection inspection = cogstride::inspect_rig(rig);
  // What its program would leave out, or could not do, whatever the script.
  if (rig.controller.small_chip && rig.controller.small_chip->kind == cogstride::SmallChip::Kind::avr8)
    for (cogstride::Finding& finding : cogstride::chip_findings(rig))
      inspection.findings.push_back(std::move(finding));
  if (!options.mechanism.empty()) inspection = cogstride::about(inspection, options.mechanism);
  if (!options.report.empty()) {
    check_output_names({.report = options.report, .overwrite = options.overwrite}, {options.rig});
    cogstride::ReportPage page(
        rig.name, inspection.is_sound(),
        inspection.is_sound() ? "nothing but notes was found" : "look at its findings before power is on");
    page.add_text("What it comes to",
                  cogstride::inspect_text(rig, inspection, options.rig, options.mechanism));
    finish_report(page, rig, {options.rig}, {}, options.report, options.overwrite);
  }
  const std::string report = options.json
                                 ? cogstride::inspect_json(rig, inspection, options.rig, options.mechanism)
                                 : cogstride::inspect_text(rig, inspection, options.rig, options.mechanism);
  std::fputs(report.c_str(), stdout);
  return inspection.is_sound() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
