#include <cstdio>

#include "cogstride/report/compare_report.hpp"
#include "cogstride/report/read_vcd.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

namespace {
constexpr double pause_between_stretches = 0.1;  // s
}

ExitStatus run_compare(const CompareOptions& options) {
  OutputOptions outputs;
  outputs.plot = options.plot;
  outputs.overwrite = options.overwrite;
  check_output_names(outputs, {options.a, options.b});
  const TraceComparison comparison =
      compare_traces(read_vcd(options.a), read_vcd(options.b), pause_between_stretches);
  if (!options.plot.empty()) draw_comparison(options.plot, comparison);
  const std::string text = options.json ? compare_json(comparison) : compare_text(comparison);
  std::fputs(text.c_str(), stdout);
  return comparison.same_edges() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
