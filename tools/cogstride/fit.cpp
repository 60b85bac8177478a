#include <fmt/format.h>
#include <fmt/ranges.h>
#include <cstdio>

#include "cogstride/files/output_file.hpp"
#include "cogstride/report/figure.hpp"
#include "cogstride/report/fit_report.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/measured_csv.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

namespace {

/// Puts every figure that was told into the rig's file, one after the other, and all of them or none.
void write_into_rig(const FitOptions& options, const MotorFit& fit) {
  ChangedFile rig(options.rig);
  std::string text = rig.text();
  for (const FittedFigure& figure : fit.figures)
    if (figure.is_told)
      text =
          changed_rig_text(text, options.rig, fmt::format("mechanism.{}.{}", options.mechanism, figure.key),
                           figure_text(figure));
  rig.replace(text);
}

}  // namespace

ExitStatus run_fit(const FitOptions& options) {
  OutputOptions outputs;
  outputs.plot = options.plot;
  outputs.overwrite = options.overwrite;
  check_output_names(outputs, {options.rig, options.table});
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  MeasuredCsv measured = read_measured(options.table, mechanism);
  FitReport report{rig.name, mechanism.name, options.table, measured.table, {}, {}};
  report.fit = fit_motor(mechanism, report.table);
  if (!measured.unused.empty())
    report.notes.push_back(
        fmt::format("columns that say nothing about it: {}", fmt::join(measured.unused, ", ")));
  if (!options.plot.empty()) draw_fit(options.plot, report);
  if (options.keeps && report.fit.told() > 0) {
    write_into_rig(options, report.fit);
    report.notes.push_back(fmt::format("{} figures are in {} now", report.fit.told(), options.rig));
  }
  const std::string text = options.json ? fit_json(report) : fit_text(report);
  std::fputs(text.c_str(), stdout);
  return report.fit.told() > 0 ? ExitStatus::done : ExitStatus::something_is_wrong;
}
