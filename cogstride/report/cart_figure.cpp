#include "cogstride/report/cart_figure.hpp"

#include <utility>
#include <vector>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/report/panel_figure.hpp"

namespace cogstride {
namespace {

using Points = std::vector<std::pair<double, double>>;

/// Two signals against each other, at the instants of either.
Points against(const ThinnedTrace& trace, const std::string& x_signal, const std::string& y_signal) {
  const Points x = points_of(trace, x_signal);
  const Points y = points_of(trace, y_signal);
  Points path;
  std::size_t i = 0;
  std::size_t j = 0;
  while (i < x.size() && j < y.size()) {
    path.emplace_back(x[i].second, y[j].second);
    const bool x_next = j + 1 >= y.size() || (i + 1 < x.size() && x[i + 1].first <= y[j + 1].first);
    const bool y_next = i + 1 >= x.size() || (j + 1 < y.size() && y[j + 1].first <= x[i + 1].first);
    i += x_next ? 1 : 0;
    j += y_next ? 1 : 0;
  }
  return path;
}

class Floor : private GnuplotScript {
 public:
  Floor(const ThinnedTrace& trace, const std::string& title, const std::string& cart)
      : title_(title),
        really_(against(trace, cart + ".x", cart + ".y")),
        thinks_(against(trace, cart + ".thinks_x", cart + ".thinks_y")) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nset key at graph 1.03, graph 0.97 left Left "
        "reverse\n",
        terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set title {} font ',15' noenhanced\nset size ratio -1\n", gnuplot_text(title_));
    add("set xlabel 'on [mm]'\nset ylabel 'to the left [mm]'\nset offsets graph 0.05, 0.05, 0.05, 0.05\n");
    data("thinks", thinks_);
    data("really", really_);
    ends("begin", thinks_.front());
    ends("end_thinks", thinks_.back());
    ends("end_really", really_.back());
    add("plot $thinks with lines lw 2 dt 2 lc rgb '#d9a441' title 'as it thinks', "
        "$really with lines lw 2.5 lc rgb '#2a5c9a' title 'as it goes', "
        "$begin with points pt 6 ps 2 lw 2 lc rgb '#333333' title 'begins', "
        "$end_thinks with points pt 2 ps 2 lw 2 lc rgb '#d9a441' title 'thinks it ends', "
        "$end_really with points pt 7 ps 1.5 lc rgb '#2a5c9a' title 'ends'\nunset output\n");
    return take();
  }

 private:
  void data(const char* name, const Points& points) {
    add("${} << EOD\n", name);
    for (const auto& [x, y] : points) add("{:.6g} {:.6g}\n", x, y);
    add("EOD\n");
  }
  void ends(const char* name, const std::pair<double, double>& point) { data(name, {point}); }

  const std::string& title_;
  Points really_;
  Points thinks_;
};

}  // namespace

void draw_cart(const std::string& path, const ThinnedTrace& trace, const std::string& title,
               const std::string& cart) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return Floor(trace, title, cart).commands(terminal, output);
  });
}

}  // namespace cogstride
