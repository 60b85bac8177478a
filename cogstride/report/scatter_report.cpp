#include "cogstride/report/scatter_report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

/// Small amounts in a unit that suits them.
struct SmallUnit {
  std::string name;
  double scale;
};

SmallUnit small_unit(const ScatterResult& result) {
  return result.unit == "mm" ? SmallUnit{"um", 1000.0} : SmallUnit{"deg", 1.0};
}

class ScatterFigure : private GnuplotScript {
 public:
  explicit ScatterFigure(const std::vector<ScatterResult>& results) : results_(results) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set multiplot layout {},2\n", results_.size());
    for (std::size_t i = 0; i < results_.size(); ++i) row(i);
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  void row(std::size_t i) {
    const ScatterResult& result = results_[i];
    const SmallUnit unit = small_unit(result);
    add("$errors{} << EOD\n", i);
    for (const HomingTrial& trial : result.trials)
      if (trial.fault.empty()) add("{:.8g} {:.8g}\n", trial.start, unit.scale * trial.error);
    add("EOD\n");
    const double half = std::max(unit.scale * 0.75 * result.microstep,
                                 unit.scale * (std::abs(result.mean()) + 0.7 * result.spread()));
    const double width = half / 60.0;
    add("set lmargin 10\nset rmargin 3\nset offsets 0, 0, 0, 0\n");
    add("set title {} font ',14' noenhanced\n",
        gnuplot_text(fmt::format("{}: zero after {} homings, spread {:.3g} {} ({:.2g} steps)",
                                 result.mechanism, result.trials.size() - result.failures(),
                                 unit.scale * result.spread(), unit.name,
                                 result.spread() / result.microstep)));
    add("set xlabel 'error of the zero [{}]' noenhanced\nset ylabel 'homings'\nset xrange [{:.6g}:{:.6g}]\n"
        "set yrange [0:*]\nset xtics autofreq\n",
        unit.name, -half, half);
    add("set style fill solid 0.8 noborder\nset boxwidth {:.6g}\n", 0.9 * width);
    for (const int side : {-1, 1}) {
      add("set arrow {0} from first {1:.6g}, graph 0 to first {1:.6g}, graph 1 nohead lw 1.2 dt 2 lc rgb "
          "'#6b6b6b'\n",
          side < 0 ? 1 : 2, side * 0.5 * unit.scale * result.microstep);
    }
    add("set label 1 'one step' at first 0, graph 0.97 center tc rgb '#6b6b6b'\n");
    add("plot $errors{} using ({:.6g}*floor($2/{:.6g}+0.5)):(1.0) smooth frequency with boxes lc rgb "
        "'#2a5c9a'\n",
        i, width, width);
    add("unset arrow\nunset label\n");
    add("set title 'the same, over the place that homing began from' font ',14'\n");
    add("set xlabel 'start [{}]'\nset ylabel 'error of the zero [{}]'\nset offsets graph 0.02, graph 0.02, "
        "0, 0\n"
        "set xrange [*:*]\nset yrange [{:.6g}:{:.6g}]\n",
        result.unit, unit.name, -half, half);
    add("plot $errors{} using 1:2 with points pt 7 ps 0.5 lc rgb '#2a5c9a'\n", i);
  }

  const std::vector<ScatterResult>& results_;
};

/// Faults without their figures are told once, with how many there were.
std::map<std::string, std::size_t> faults_of(const ScatterResult& result) {
  std::map<std::string, std::size_t> faults;
  for (const HomingTrial& trial : result.trials)
    if (!trial.fault.empty()) ++faults[trial.fault];
  return faults;
}

}  // namespace

std::string scatter_text(const std::vector<ScatterResult>& results) {
  std::string text;
  const auto out = std::back_inserter(text);
  for (const ScatterResult& result : results) {
    const SmallUnit unit = small_unit(result);
    const std::size_t found = result.trials.size() - result.failures();
    fmt::format_to(out, "{}: {} of {} homings found the zero\n", result.mechanism, found,
                   result.trials.size());
    if (found > 0) {
      fmt::format_to(out,
                     "  spread  {:.3g} {} from least to most, {:.3g} {} rms: {:.2g} steps of {:.4g} {}\n",
                     unit.scale * result.spread(), unit.name, unit.scale * result.rms(), unit.name,
                     result.spread() / result.microstep, unit.scale * result.microstep, unit.name);
      fmt::format_to(out, "  mean    {:+.3g} {} off the place that the rig says\n",
                     unit.scale * result.mean(), unit.name);
      if (result.noise > 0.0)
        fmt::format_to(out, "  sensor  {:.3g} {} rms of noise\n", unit.scale * result.noise, unit.name);
    }
    for (const auto& [fault, count] : faults_of(result)) fmt::format_to(out, "  {} x  {}\n", count, fault);
    if (!result.guesses.empty()) fmt::format_to(out, "  rests on  {}\n", guesses_words(result.guesses));
  }
  return text;
}

std::string scatter_json(const std::vector<ScatterResult>& results) {
  nlohmann::ordered_json all = nlohmann::ordered_json::array();
  for (const ScatterResult& result : results) {
    nlohmann::ordered_json one;
    one["mechanism"] = result.mechanism;
    one["guesses"] = result.guesses;
    one["unit"] = result.unit;
    one["homings"] = result.trials.size();
    one["failures"] = result.failures();
    one[with_unit("spread", result.unit)] = result.spread();
    one[with_unit("rms", result.unit)] = result.rms();
    one[with_unit("mean", result.unit)] = result.mean();
    one[with_unit("step", result.unit)] = result.microstep;
    one[with_unit("sensor_noise_rms", result.unit)] = result.noise;
    one["trials"] = nlohmann::ordered_json::array();
    for (const HomingTrial& trial : result.trials) {
      nlohmann::ordered_json entry{{with_unit("start", result.unit), trial.start}};
      if (trial.fault.empty()) {
        entry[with_unit("error", result.unit)] = trial.error;
      } else {
        entry["fault"] = trial.fault;
      }
      one["trials"].push_back(entry);
    }
    all.push_back(one);
  }
  return nlohmann::ordered_json{{"scatter", all}}.dump(2) + "\n";
}

void draw_scatter(const std::string& path, const std::vector<ScatterResult>& results) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return ScatterFigure(results).commands(terminal, output);
  });
}

}  // namespace cogstride
