#include "cogstride/report/panel_figure.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/report/gnuplot.hpp"

namespace cogstride {
namespace {

class Stack : private GnuplotScript {
 public:
  explicit Stack(const PanelFigure& figure) : figure_(figure) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set lmargin 11\nset rmargin {}\n", longest_label() + 3);
    add("set multiplot title {} font ',15' noenhanced\n", gnuplot_text(figure_.title));
    span();
    const double height = 0.87 / static_cast<double>(figure_.panels.size());
    double top = 0.945;
    for (const Panel& panel : figure_.panels) {
      draw(panel, top - height, top, &panel == &figure_.panels.front(), &panel == &figure_.panels.back());
      top -= height;
    }
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  [[nodiscard]] std::size_t longest_label() const {
    std::size_t longest = 4;
    for (const Panel& panel : figure_.panels)
      for (const PanelCurve& curve : panel.curves) longest = std::max(longest, curve.label.size());
    return longest;
  }

  void span() {
    double from = 0.0;
    double to = 1e-9;
    for (const Panel& panel : figure_.panels)
      for (const PanelCurve& curve : panel.curves)
        for (const auto& [x, y] : curve.points) {
          from = std::min(from, x);
          to = std::max(to, x);
        }
    add("set xrange [{:.9g}:{:.9g}]\n", from, to);
  }

  static double middle_of(const PanelCurve& curve) {
    if (curve.points.empty()) return 0.0;
    const auto [least, most] =
        std::minmax_element(curve.points.begin(), curve.points.end(),
                            [](const auto& a, const auto& b) { return a.second < b.second; });
    return 0.5 * (least->second + most->second);
  }

  void draw(const Panel& panel, double bottom, double top, bool is_first, bool is_last) {
    for (std::size_t i = 0; i < panel.curves.size(); ++i) {
      add("$curve{} << EOD\n", i);
      for (const auto& [x, y] : panel.curves[i].points) {
        if (std::isfinite(y)) {
          add("{:.9g} {:.9g}\n", x, y);
        } else {
          add("\n");
        }
      }
      add("EOD\n");
    }
    add("set tmargin at screen {:.3f}\nset bmargin at screen {:.3f}\n", top - 0.015, bottom + 0.03);
    add("set ylabel {} noenhanced\nset yrange [{}:*]\nset offsets graph 0, 0, 0.08, 0.06\n",
        gnuplot_text(panel.what), panel.from_zero ? "0" : "*");
    add("{}\n", panel.has_levels            ? "unset ytics"
                : figure_.panels.size() > 4 ? "set ytics nomirror font ',9'"
                                            : "set ytics nomirror");
    add("set xtics format '{}'\n", is_last ? "%g" : "");
    if (is_last) add("set xlabel {} noenhanced\n", gnuplot_text(figure_.axis));
    double label_at = 0.93;
    for (std::size_t i = 0; i < panel.curves.size(); ++i) {
      if (panel.curves[i].label.empty()) continue;
      if (panel.has_levels) {
        add("set label {} {} at graph 1.012, first {:.4g} tc rgb '{}' noenhanced\n", i + 1,
            gnuplot_text(panel.curves[i].label), middle_of(panel.curves[i]), panel.curves[i].colour);
        continue;
      }
      add("set label {} {} at graph 1.012, graph {:.3f} tc rgb '{}' noenhanced\n", i + 1,
          gnuplot_text(panel.curves[i].label), label_at, panel.curves[i].colour);
      label_at -= 0.13;
    }
    marks(is_first);
    add("plot ");
    for (std::size_t i = 0; i < panel.curves.size(); ++i) {
      const PanelCurve& curve = panel.curves[i];
      add("{}$curve{} with ", i == 0 ? "" : ", ", i);
      if (curve.dots) {
        add("points pt 7 ps {} lc rgb '{}'", curve.points.size() > 200 ? "0.5" : "1", curve.colour);
      } else {
        add("lines lw {} dt {} lc rgb '{}'", curve.width, curve.dashed ? 2 : 1, curve.colour);
      }
    }
    add("\nunset label\nunset arrow\nunset xlabel\n");
  }

  void marks(bool with_words) {
    std::size_t number = 100;
    for (const auto& [at, words] : figure_.marks) {
      add("set arrow {} from first {:.9g}, graph 0 to first {:.9g}, graph 1 nohead lw 1.3 dt 2 lc rgb "
          "'#a5322a'\n",
          number, at, at);
      if (with_words)
        add("set label {} {} at first {:.9g}, graph 0.62 left offset 0.6, 0 tc rgb '#333333' noenhanced "
            "front\n",
            number, gnuplot_text(words), at);
      ++number;
    }
  }

  const PanelFigure& figure_;
};

}  // namespace

void write_panels(const std::string& path, const PanelFigure& figure) {
  // What is not known at any instant has no panel.
  PanelFigure known = figure;
  std::erase_if(known.panels, [](const Panel& panel) {
    return std::none_of(panel.curves.begin(), panel.curves.end(), [](const PanelCurve& curve) {
      return std::any_of(curve.points.begin(), curve.points.end(),
                         [](const auto& point) { return std::isfinite(point.second); });
    });
  });
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return Stack(known).commands(terminal, output);
  });
}

std::vector<std::pair<double, double>> points_of(const ThinnedTrace& trace, std::string_view signal) {
  std::vector<std::pair<double, double>> points;
  for (const ThinnedSignal::Stretch& stretch : trace.signal(signal).stretches()) {
    const double at = trace.layout().seconds(stretch.at);
    points.emplace_back(at, stretch.falls ? stretch.high : stretch.low);
    if (stretch.high != stretch.low) points.emplace_back(at, stretch.falls ? stretch.low : stretch.high);
  }
  return points;
}

}  // namespace cogstride
