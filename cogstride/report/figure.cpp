#include "cogstride/report/figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>

#include "cogstride/report/gnuplot.hpp"

namespace cogstride {
namespace {

constexpr const char* line_colours[] = {"#bd5b0b", "#68458f", "#6b6b6b", "#1f7a5c"};

/// A line that falls silent for long is drawn across to this share of its band.
constexpr double band_height = 0.62;

class Plot : private GnuplotScript {
 public:
  Plot(const ThinnedTrace& trace, const FigureContent& content) : trace_(trace), content_(content) {
    const std::vector<TracedLine>& lines = trace.layout().lines;
    for (std::size_t i = 0; i < lines.size(); ++i)
      if (lines[i].name.rfind(content.lines_of + ".", 0) == 0) shown_.push_back(i);
  }

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\n", terminal, gnuplot_text(output));
    add("set encoding utf8\nunset key\nset grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset "
        "tics nomirror\n");
    add("set lmargin 11\nset rmargin 13\n");
    write_data();
    add("set multiplot title {} font ',15' noenhanced\n", gnuplot_text(content_.title));
    const double end = seconds(trace_.end_at());
    add("set xrange [0:{:.6f}]\n", end > 0 ? end : 1.0);
    if (content_.mark)
      add("set arrow 99 from first {0:.7g}, graph 0 to first {0:.7g}, graph 1 nohead lw 1.5 dt 2 "
          "lc rgb '#a5322a'\n",
          content_.mark->seconds);
    curves(content_.position, "position", content_.position_unit, 0.655, 0.945, false);
    if (content_.mark) mark_label(end);
    curves(content_.speed, "speed", content_.speed_unit, 0.40, 0.655, false);
    if (content_.mark) add("unset arrow 99\nunset label 99\n");
    lines_panel(0.225, 0.40);
    close_up(0.0, 0.20);
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  [[nodiscard]] double seconds(Tick at) const { return trace_.layout().seconds(at); }

  void write_data() {
    for (std::size_t i = 0; i < trace_.signals().size(); ++i) {
      add("$signal{} << EOD\n", i);
      for (const ThinnedSignal::Stretch& stretch : trace_.signals()[i].stretches()) {
        add("{:.7g} {:.7g}\n", seconds(stretch.at), stretch.falls ? stretch.high : stretch.low);
        if (stretch.high != stretch.low) {
          add("{:.7g} {:.7g}\n", seconds(stretch.at), stretch.falls ? stretch.low : stretch.high);
        }
      }
      add("EOD\n");
    }
    for (const std::size_t i : shown_) {
      add("$line{} << EOD\n", i);
      const double base = band(i);
      double at = 0.0;
      for (const ThinnedTrace::Burst& burst : trace_.bursts()[i]) {
        const double away = trace_.layout().lines[i].starts_high ? base : base + band_height;
        const double rest = trace_.layout().lines[i].starts_high ? base + band_height : base;
        add("{:.7g} {:.3f}\n{:.7g} {:.3f}\n{:.7g} {:.3f}\n{:.7g} {:.3f}\n", at, rest, seconds(burst.from),
            rest, seconds(burst.from), away, seconds(burst.to), away);
        add("{:.7g} {:.3f}\n", seconds(burst.to), rest);
        at = seconds(burst.to);
      }
      const double rest = trace_.layout().lines[i].starts_high ? base + band_height : base;
      add("{:.7g} {:.3f}\n{:.7g} {:.3f}\nEOD\n", at, rest, seconds(trace_.end_at()), rest);
    }
  }

  /// Lines from the top down, in the order of the rig.
  [[nodiscard]] double band(std::size_t line) const {
    const auto place = std::find(shown_.begin(), shown_.end(), line) - shown_.begin();
    return static_cast<double>(static_cast<std::ptrdiff_t>(shown_.size()) - 1 - place);
  }
  [[nodiscard]] std::string short_name(std::size_t line) const {
    const std::string& name = trace_.layout().lines[line].name;
    const std::size_t dot = name.find('.');
    return dot == std::string::npos ? name : name.substr(dot + 1);
  }

  /// On the side where there is room.
  void mark_label(double end) {
    const bool at_left = content_.mark->seconds > 0.5 * end;
    add("set label 99 {} at first {:.7g}, graph 0.12 {} offset {}, 0 tc rgb '#a5322a' noenhanced front\n",
        gnuplot_text(content_.mark->label), content_.mark->seconds, at_left ? "right" : "left",
        at_left ? -1 : 1);
  }

  /// @throws RangeError when the record has none of that name
  [[nodiscard]] std::size_t place_of(const std::string& signal) const {
    return static_cast<std::size_t>(&trace_.signal(signal) - trace_.signals().data());
  }

  void curves(const std::vector<Curve>& wanted, const char* what, const std::string& unit, double bottom,
              double top, bool times) {
    add("set tmargin at screen {:.3f}\nset bmargin at screen {:.3f}\n", top - 0.015, bottom + 0.03);
    add("set ylabel '{} [{}]'\nset yrange [*:*]\nset offsets graph 0, 0, 0.06, 0.06\n", what, unit);
    add("set xtics format '{}'\nunset xlabel\n", times ? "%g" : "");
    double label_at = 0.95;
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      add("set label {} {} at graph 1.012, graph {:.3f} tc rgb '{}' noenhanced\n", i + 1,
          gnuplot_text(wanted[i].label), label_at, wanted[i].colour);
      label_at -= 0.15;
    }
    add("plot ");
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      add("{}$signal{} with lines lw {} dt {} lc rgb '{}'", i == 0 ? "" : ", ", place_of(wanted[i].signal),
          wanted[i].width, wanted[i].dashed ? 2 : 1, wanted[i].colour);
    }
    add("\n");
    for (std::size_t i = 0; i < wanted.size(); ++i) add("unset label {}\n", i + 1);
    add("unset offsets\n");
  }

  void band_labels(bool at_right) {
    for (const std::size_t i : shown_) {
      add("set label {} {} at graph {}, first {:.3f} {} tc rgb '{}' noenhanced\n", i + 1,
          gnuplot_text(short_name(i)), at_right ? "1.012" : "-0.012", band(i) + band_height / 2,
          at_right ? "left" : "right", line_colours[i % 4]);
    }
  }

  void lines_panel(double bottom, double top) {
    add("set tmargin at screen {:.3f}\nset bmargin at screen {:.3f}\n", top - 0.015, bottom + 0.035);
    add("set ylabel 'lines'\nset yrange [-0.25:{:.2f}]\nunset ytics\nset xtics format '%g s'\n",
        static_cast<double>(shown_.size()) - 0.1);
    band_labels(true);
    add("plot ");
    for (const std::size_t i : shown_) {
      const bool filled = !trace_.bursts()[i].empty() && short_name(i) == "step";
      if (filled) {
        add("{}$line{} using 1:({:.3f}):2 with filledcurves fs solid 0.45 noborder lc rgb '{}'",
            i == shown_.front() ? "" : ", ", i, band(i), line_colours[i % 4]);
      } else {
        add("{}$line{} with lines lw 2 lc rgb '{}'", i == shown_.front() ? "" : ", ", i, line_colours[i % 4]);
      }
    }
    add("\n");
  }

  /// The first pulses of the fastest burst, each drawn as it goes out.
  void close_up(double bottom, double top) {
    const std::vector<ThinnedTrace::LineEdge>& edges = trace_.close_up();
    if (edges.empty()) return;
    const Tick from = edges.front().at;
    const Tick span = edges.back().at - from;
    const double milliseconds = 1000.0 / trace_.layout().ticks_per_second();
    const double before = -0.04 * static_cast<double>(span) * milliseconds;
    for (const std::size_t i : shown_) {
      add("$close{} << EOD\n", i);
      bool high = trace_.levels_before()[i];
      double at = before;
      add("{:.7g} {:.3f}\n", before, band(i) + (high ? band_height : 0.0));
      for (const ThinnedTrace::LineEdge& edge : edges) {
        if (edge.line != trace_.layout().lines[i].id) continue;
        // A pulse narrower than a pixel is drawn as one upright line, so that all look alike.
        const double instant = static_cast<double>(edge.at - from) * milliseconds;
        if (instant - at > static_cast<double>(span) * milliseconds / 500.0) at = instant;
        add("{:.7g} {:.3f}\n{:.7g} {:.3f}\n", at, band(i) + (high ? band_height : 0.0), at,
            band(i) + (edge.high ? band_height : 0.0));
        high = edge.high;
      }
      add("{:.7g} {:.3f}\nEOD\n", static_cast<double>(span) * milliseconds,
          band(i) + (high ? band_height : 0.0));
    }
    add("set tmargin at screen {:.3f}\nset bmargin at screen {:.3f}\n", top - 0.02, bottom + 0.065);
    add("set xrange [{:.7g}:{:.7g}]\nset xtics format '%g'\n", before,
        static_cast<double>(span) * milliseconds);
    add("set xlabel 'milliseconds from {:.4f} s: the first pulses of the fastest move'\n", seconds(from));
    add("set ylabel 'close up'\n");
    add("plot ");
    for (const std::size_t i : shown_) {
      add("{}$close{} with lines lw 1.5 lc rgb '{}'", i == shown_.front() ? "" : ", ", i,
          line_colours[i % 4]);
    }
    add("\n");
  }

  const ThinnedTrace& trace_;
  const FigureContent& content_;
  std::vector<std::size_t> shown_{};  // lines, by their place in the layout
};

class Overview : private GnuplotScript {
 public:
  Overview(const ThinnedTrace& trace, const std::string& title, const std::vector<MechanismPanel>& panels)
      : trace_(trace), title_(title), panels_(panels) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 11 lc rgb '#555555'\nset tics nomirror\n");
    add("set lmargin 11\nset rmargin 11\nset multiplot title {} font ',15' noenhanced\n",
        gnuplot_text(title_));
    add("set xrange [0:{:.6f}]\n", std::max(trace_.layout().seconds(trace_.end_at()), 1e-6));
    const double height = 0.87 / static_cast<double>(panels_.size());
    double top = 0.93;
    for (const MechanismPanel& panel : panels_) {
      draw(panel, top - height, top, &panel == &panels_.back());
      top -= height;
    }
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  /// A step of an axis that leaves as many marks on it as have room: 1, 2 or 5 times a power of ten.
  [[nodiscard]] double step_of(const std::string& signal) const {
    double least = std::numeric_limits<double>::infinity();
    double most = -least;
    for (const ThinnedSignal::Stretch& stretch : trace_.signal(signal).stretches()) {
      if (!std::isfinite(stretch.low) || !std::isfinite(stretch.high)) continue;
      least = std::min(least, stretch.low);
      most = std::max(most, stretch.high);
    }
    const double wanted = (most - least) / std::max(3.0, 14.0 / static_cast<double>(panels_.size()));
    if (!(wanted > 0.0) || !std::isfinite(wanted)) return 1.0;
    const double ten = std::pow(10.0, std::floor(std::log10(wanted)));
    for (const double times : {1.0, 2.0, 5.0})
      if (times * ten >= wanted) return times * ten;
    return 10.0 * ten;
  }

  void data(const char* name, const std::string& signal) {
    add("${} << EOD\n", name);
    for (const ThinnedSignal::Stretch& stretch : trace_.signal(signal).stretches()) {
      const double at = trace_.layout().seconds(stretch.at);
      add("{:.7g} {:.7g}\n", at, stretch.falls ? stretch.high : stretch.low);
      if (stretch.high != stretch.low) add("{:.7g} {:.7g}\n", at, stretch.falls ? stretch.low : stretch.high);
    }
    add("EOD\n");
  }

  void draw(const MechanismPanel& panel, double bottom, double top, bool is_last) {
    data("position", panel.position_signal);
    data("speed", panel.speed_signal);
    add("set tmargin at screen {:.3f}\nset bmargin at screen {:.3f}\n", top - 0.03, bottom + 0.045);
    add("set ylabel '{} [{}]' tc rgb '#2a5c9a'\nset y2label '{} [{}]' tc rgb '#bd5b0b'\n", panel.what,
        panel.position_unit, panel.other, panel.speed_unit);
    add("set ytics {:.6g}\nset y2tics {:.6g}\n", step_of(panel.position_signal), step_of(panel.speed_signal));
    add("set label 1 {} at graph 0.0, graph 1.0 offset 0, 0.7 font ',12' noenhanced\n",
        gnuplot_text(panel.name));
    add("set xtics format '{}'\n", is_last ? "%g s" : "");
    add("plot $speed axes x1y2 with lines lw 1.5 lc rgb '#bd5b0b', $position with lines lw 2.5 lc rgb "
        "'#2a5c9a'\n");
    add("unset label 1\n");
  }

  const ThinnedTrace& trace_;
  const std::string& title_;
  const std::vector<MechanismPanel>& panels_;
};

}  // namespace

void write_overview(const std::string& path, const ThinnedTrace& trace, const std::string& title,
                    const std::vector<MechanismPanel>& panels) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return Overview(trace, title, panels).commands(terminal, output);
  });
}

void write_figure(const std::string& path, const ThinnedTrace& trace, const FigureContent& content) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return Plot(trace, content).commands(terminal, output);
  });
}

}  // namespace cogstride
