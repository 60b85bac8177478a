#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/report/scatter_report.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

class EndFigure : private GnuplotScript {
 public:
  EndFigure(const std::string& script, const std::vector<EndScatter>& results)
      : script_(script), results_(results) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set multiplot layout {},1\n", results_.size());
    for (const EndScatter& result : results_) panel(result);
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  void panel(const EndScatter& result) {
    add("$ends << EOD\n");
    for (const double end : result.ends) add("{:.9g}\n", end);
    add("EOD\n");
    const double width = std::max(result.spread() / 30.0, 1e-9);
    add("set lmargin 10\nset rmargin 4\nset title {} font ',14' noenhanced\n",
        gnuplot_text(fmt::format("{}: where {} runs of {} end, {:.4g} {} rms about {:.5g}", result.mechanism,
                                 result.ends.size(), script_, result.rms(), result.unit, result.mean())));
    add("set xlabel 'end [{}]'\nset ylabel 'runs'\nset yrange [0:*]\nset style fill solid 0.8 noborder\n",
        result.unit);
    add("set boxwidth {:.6g}\nset offsets graph 0.05, graph 0.05, 0, 0\n", 0.9 * width);
    add("set arrow 1 from first {0:.9g}, graph 0 to first {0:.9g}, graph 1 nohead lw 1.3 dt 2 lc rgb "
        "'#333333'\n",
        result.mean());
    add("plot $ends using ({:.9g}*floor($1/{:.9g}+0.5)):(1.0) smooth frequency with boxes lc rgb '#2a5c9a'\n",
        width, width);
    add("unset arrow\n");
  }

  const std::string& script_;
  const std::vector<EndScatter>& results_;
};

}  // namespace

std::string end_scatter_text(const std::string& script, const std::vector<EndScatter>& results) {
  std::string text;
  for (const EndScatter& result : results) {
    text += fmt::format("{}: {} runs of {} end at {:.5g} {} on average\n", result.mechanism,
                        result.ends.size(), script, result.mean(), result.unit);
    text += fmt::format("  spread  {:.4g} {} from least to most, {:.3g} {} rms\n", result.spread(),
                        result.unit, result.rms(), result.unit);
    if (result.failures > 0) text += fmt::format("  {} runs did not come to their end\n", result.failures);
    if (result.never_moved)
      text += "  it did not move in any of them: look at what a rehearsal of one says\n";
    else if (result.spread() == 0.0)
      text += "  nothing differs from run to run: load.friction_spread says how much friction does\n";
    if (!result.guesses.empty()) text += fmt::format("  rests on  {}\n", guesses_words(result.guesses));
  }
  return text;
}

std::string end_scatter_json(const std::vector<EndScatter>& results) {
  nlohmann::ordered_json all = nlohmann::ordered_json::array();
  for (const EndScatter& result : results) {
    all.push_back({{"mechanism", result.mechanism},
                   {"guesses", result.guesses},
                   {"never_moved", result.never_moved},
                   {"unit", result.unit},
                   {with_unit("mean", result.unit), result.mean()},
                   {with_unit("rms", result.unit), result.rms()},
                   {with_unit("spread", result.unit), result.spread()},
                   {"failures", result.failures},
                   {with_unit("ends", result.unit), result.ends}});
  }
  return nlohmann::ordered_json{{"scatter", all}}.dump(2) + "\n";
}

void draw_end_scatter(const std::string& path, const std::string& script,
                      const std::vector<EndScatter>& results) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return EndFigure(script, results).commands(terminal, output);
  });
}

}  // namespace cogstride
