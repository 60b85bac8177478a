#include "cogstride/report/sweep_report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <nlohmann/json.hpp>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

constexpr double five_periods = 5.0;

const char* swept_name(SweepOf of) {
  return of == SweepOf::acceleration ? "acceleration" : "speed";
}

std::string against_prediction(const SweepResult& sweep) {
  const double share = sweep.predicted / sweep.found - 1.0;
  return fmt::format("{:.4g} {} predicted, {:.1f} % {}", sweep.predicted, sweep.unit, 100.0 * std::abs(share),
                     share < 0.0 ? "below" : "above");
}

/// Whether the run-up lasts long enough for its oscillation to have shown all that it can do.
std::string on_the_run_up(const SweepResult& sweep) {
  const std::string lasts =
      fmt::format("{:.1f} natural periods of {:.1f} ms", sweep.periods_at_full, 1e3 * sweep.natural_period);
  if (sweep.periods_at_full >= five_periods) return "at full acceleration for " + lasts;
  return fmt::format(
      "full acceleration lasts {} only, not five, before the speed is reached: at a higher speed less might "
      "hold",
      lasts);
}

class SweepFigure : private GnuplotScript {
 public:
  explicit SweepFigure(const SweepResult& sweep) : sweep_(sweep) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set title {} font ',15' noenhanced\n",
        gnuplot_text(fmt::format("{}: the {} at which steps are lost, on the bench and predicted",
                                 sweep_.mechanism, swept_name(sweep_.of))));
    add("set lmargin 10\nset rmargin 6\nset xlabel '{} [{}]'\nset ylabel 'largest lag of the rotor behind "
        "its command "
        "[electrical degrees]'\n",
        swept_name(sweep_.of), sweep_.unit);
    points("predicted", sweep_.predicted_lags, [](const SweepTrial& t) { return t.holds; });
    points("held", sweep_.trials, [](const SweepTrial& t) { return t.holds; });
    points("lost", sweep_.trials, [](const SweepTrial& t) { return !t.holds; });
    add("set xrange [0:{:.6g}]\nset yrange [0:{}]\nset ytics 30\n", 1.04 * sweep_.trials.back().value, top);
    upright(1, sweep_.found, "#2a5c9a",
            fmt::format("{} up to {:.4g}", sweep_.is_limit ? "holds" : "held", sweep_.found), true, 0.06);
    upright(2, sweep_.predicted, "#bd5b0b", fmt::format("predicted {:.4g}", sweep_.predicted), true, 0.11);
    upright(3, sweep_.rig_says, "#6b6b6b", fmt::format("the rig says {:.4g}", sweep_.rig_says),
            sweep_.rig_says > 0.5 * sweep_.trials.back().value, 0.02);
    add("set label 10 'behind the field it may be 90, behind the command more' at graph 0.01, first 94 tc "
        "rgb '#6b6b6b'\n");
    add("set label 11 'steps lost' at graph 0.995, first {} right tc rgb '#a5322a'\n", top - 12);
    add("plot 90 with lines lw 1 dt 3 lc rgb '#6b6b6b', $predicted with lines lw 2.5 lc rgb '#bd5b0b', "
        "$held with points pt 7 ps 1.4 lc rgb '#2a5c9a', $lost using 1:({}) with points pt 2 ps 1.6 lw 2.5 "
        "lc rgb "
        "'#a5322a'\nunset output\n",
        top - 6);
    return take();
  }

 private:
  static constexpr int top = 210;

  template <class Wanted>
  void points(const char* name, const std::vector<SweepTrial>& trials, const Wanted& wanted) {
    add("${} << EOD\n", name);
    for (const SweepTrial& trial : trials)
      if (wanted(trial)) add("{:.6g} {:.5g}\n", trial.value, trial.worst_lag);
    add("EOD\n");
  }

  void upright(int tag, double at, const char* colour, const std::string& label, bool to_left,
               double height) {
    add("set arrow {0} from first {1:.6g}, graph 0 to first {1:.6g}, graph 1 nohead lw 1.5 dt 2 lc rgb "
        "'{2}'\n",
        tag, at, colour);
    add("set label {} {} at first {:.6g}, graph {} {} offset {}, 0 tc rgb '{}' noenhanced front\n", tag,
        gnuplot_text(label), at, height, to_left ? "right" : "left", to_left ? -1 : 1, colour);
  }

  const SweepResult& sweep_;
};

class ComparisonFigure : private GnuplotScript {
 public:
  explicit ComparisonFigure(const ModeComparison& comparison) : comparison_(comparison) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set title {} font ',15' noenhanced\n",
        gnuplot_text(fmt::format("{}: how far the rotor oscillates about steady motion, by stepping mode",
                                 comparison_.mechanism)));
    add("set lmargin 10\nset rmargin 4\nset xlabel 'speed [{}]'\nset ylabel 'oscillation, peak to peak [full "
        "steps]'\n",
        comparison_.unit);
    for (std::size_t i = 0; i < comparison_.modes.size(); ++i) {
      add("$mode{} << EOD\n", i);
      for (const ModeTrial& trial : comparison_.modes[i].trials) {
        if (trial.holds)
          add("{:.6g} {:.5g}\n", trial.speed, trial.oscillation);
        else
          add("\n");
      }
      add("EOD\n$lost{} << EOD\n", i);
      for (const ModeTrial& trial : comparison_.modes[i].trials)
        if (!trial.holds) add("{:.6g} {:.3g}\n", trial.speed, lost_at(i));
      add("EOD\n");
    }
    const std::vector<ModeTrial>& all = comparison_.modes.front().trials;
    add("set logscale xy\nset xrange [{:.5g}:{:.5g}]\nset yrange [{:.3g}:8]\n", all.front().speed,
        all.back().speed, 0.3 * least_oscillation());
    add("set ytics (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5)\nset xtics (");
    const double decade = std::pow(10.0, std::floor(std::log10(all.front().speed)));
    for (const double tic : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 7.0, 10.0, 15.0, 20.0, 30.0, 40.0, 50.0, 70.0})
      add("{}{:.4g}", tic == 1.0 ? "" : ", ", tic * decade);
    add(")\n");
    add("set arrow 1 from first {0:.5g}, graph 0 to first {0:.5g}, graph 1 nohead lw 1.2 dt 2 lc rgb "
        "'#6b6b6b'\n",
        comparison_.resonant_speed);
    add("set label 1 {} at first {:.5g}, graph 0.03 left offset 1, 0 tc rgb '#6b6b6b' noenhanced\n",
        gnuplot_text(
            fmt::format("full steps at the natural frequency, {:.3g} Hz", comparison_.natural_frequency)),
        comparison_.resonant_speed);
    add("set key bottom left reverse Left samplen 2 opaque\nplot ");
    for (std::size_t i = 0; i < comparison_.modes.size(); ++i) {
      const ModeCurve& mode = comparison_.modes[i];
      const std::string losses = mode.losses() == 0 ? "" : fmt::format(" (x: loses steps)");
      add("{}$mode{} with linespoints pt 7 ps 0.5 lw 2 lc rgb '{}' title {}", i == 0 ? "" : ", ", i,
          colours[i % 6], gnuplot_text(mode.mode + losses));
      if (mode.losses() > 0)
        add(", $lost{} with points pt 2 ps 1.2 lw 2 lc rgb '{}' notitle", i, colours[i % 6]);
    }
    add("\nunset output\n");
    return take();
  }

 private:
  static constexpr const char* colours[] = {"#a5322a", "#bd5b0b", "#7f7412", "#1f7a5c", "#2a5c9a", "#68458f"};

  [[nodiscard]] double least_oscillation() const {
    double least = 1.0;
    for (const ModeCurve& mode : comparison_.modes)
      for (const ModeTrial& trial : mode.trials)
        if (trial.holds && trial.oscillation > 0.0) least = std::min(least, trial.oscillation);
    return least;
  }

  static double lost_at(std::size_t mode) { return 6.5 - 0.9 * static_cast<double>(mode); }

  const ModeComparison& comparison_;
};

}  // namespace

std::string sweep_text(const SweepResult& sweep) {
  std::string text;
  const auto out = std::back_inserter(text);
  if (sweep.is_limit) {
    fmt::format_to(out, "{}: holds up to {:.4g} {} on the simulated bench; {}\n", sweep.mechanism,
                   sweep.found, sweep.unit, against_prediction(sweep));
  } else {
    fmt::format_to(out, "{}: held {:.4g} {}, {}, on the simulated bench; {}\n", sweep.mechanism, sweep.found,
                   sweep.unit,
                   sweep.of == SweepOf::speed ? "the most that this controller makes"
                                              : "which is as good as a jump to its speed",
                   against_prediction(sweep));
  }
  fmt::format_to(out, "  the rig says  {:.4g} {}: {:.0f} % of it\n", sweep.rig_says, sweep.unit,
                 100.0 * sweep.rig_says / sweep.found);
  if (sweep.of == SweepOf::acceleration) fmt::format_to(out, "  run up        {}\n", on_the_run_up(sweep));
  fmt::format_to(
      out,
      "  each tried    from {} phases of the field; the lag is behind the command, which the currents "
      "follow late\n\n",
      sweep.phases);
  fmt::format_to(out, "  {:>14}  {:>13}  what happened\n", swept_name(sweep.of), "largest lag");
  for (const SweepTrial& trial : sweep.trials) {
    fmt::format_to(out, "  {:>14}  {:>13}  {}\n", fmt::format("{:.5g} {}", trial.value, sweep.unit),
                   fmt::format("{:.0f} deg", trial.worst_lag),
                   trial.holds ? "held" : fmt::format("steps lost at {:.4f} s", trial.lost_at));
  }
  if (!sweep.guesses.empty()) text += fmt::format("  rests on: {}\n", guesses_words(sweep.guesses));
  return text;
}

std::string sweep_json(const SweepResult& sweep) {
  nlohmann::ordered_json json;
  json["mechanism"] = sweep.mechanism;
  json["guesses"] = sweep.guesses;
  json["swept"] = swept_name(sweep.of);
  json["unit"] = sweep.unit;
  json[with_unit("found", sweep.unit)] = sweep.found;
  json["is_limit"] = sweep.is_limit;
  json[with_unit("predicted", sweep.unit)] = sweep.predicted;
  json[with_unit("rig_says", sweep.unit)] = sweep.rig_says;
  json["phases"] = sweep.phases;
  json["natural_period_s"] = sweep.natural_period;
  json["periods_at_full_acceleration"] = sweep.periods_at_full;
  json["trials"] = nlohmann::ordered_json::array();
  for (const SweepTrial& trial : sweep.trials) {
    nlohmann::ordered_json one{{with_unit("value", sweep.unit), trial.value},
                               {"holds", trial.holds},
                               {"worst_lag_deg", trial.worst_lag}};
    if (!trial.holds) one["lost_at_s"] = trial.lost_at;
    json["trials"].push_back(one);
  }
  return json.dump(2) + "\n";
}

void draw_sweep(const std::string& path, const SweepResult& sweep) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return SweepFigure(sweep).commands(terminal, output);
  });
}

std::string comparison_text(const ModeComparison& comparison) {
  std::string text = fmt::format(
      "{}: oscillates at {:.3g} Hz by itself, so full steps excite it most near {:.4g} {}\n\n",
      comparison.mechanism, comparison.natural_frequency, comparison.resonant_speed, comparison.unit);
  const auto out = std::back_inserter(text);
  fmt::format_to(out, "  {:<26}  {:>17}  {:>14}  {:>14}\n", "mode", "worst oscillation", "at",
                 "steps lost at");
  for (const ModeCurve& mode : comparison.modes) {
    const ModeTrial* const worst = mode.worst();
    fmt::format_to(out, "  {:<26}  {:>17}  {:>14}  {:>14}\n", mode.mode,
                   worst == nullptr ? "-" : fmt::format("{:.2g} full steps", worst->oscillation),
                   worst == nullptr ? "-" : fmt::format("{:.3g} {}", worst->speed, comparison.unit),
                   mode.losses() == 0 ? "none" : fmt::format("{} of {}", mode.losses(), mode.trials.size()));
  }
  text += fmt::format(
      "\n  {} speeds from {:.3g} to {:.3g} {}, each held for 40 oscillations; peak to peak, about steady "
      "motion\n",
      comparison.modes.front().trials.size(), comparison.modes.front().trials.front().speed,
      comparison.modes.front().trials.back().speed, comparison.unit);
  if (!comparison.guesses.empty()) text += fmt::format("  rests on: {}\n", guesses_words(comparison.guesses));
  return text;
}

std::string comparison_json(const ModeComparison& comparison) {
  nlohmann::ordered_json json;
  json["mechanism"] = comparison.mechanism;
  json["guesses"] = comparison.guesses;
  json["unit"] = comparison.unit;
  json["natural_frequency_Hz"] = comparison.natural_frequency;
  json[with_unit("resonant_speed", comparison.unit)] = comparison.resonant_speed;
  json["modes"] = nlohmann::ordered_json::array();
  for (const ModeCurve& mode : comparison.modes) {
    nlohmann::ordered_json trials = nlohmann::ordered_json::array();
    for (const ModeTrial& trial : mode.trials)
      trials.push_back({{with_unit("speed", comparison.unit), trial.speed},
                        {"holds", trial.holds},
                        {"oscillation_full_steps", trial.oscillation}});
    json["modes"].push_back({{"mode", mode.mode}, {"trials", trials}});
  }
  return json.dump(2) + "\n";
}

void draw_comparison(const std::string& path, const ModeComparison& comparison) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return ComparisonFigure(comparison).commands(terminal, output);
  });
}

}  // namespace cogstride
