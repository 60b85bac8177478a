#include "cogstride/report/compare_report.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/report/gnuplot.hpp"

namespace cogstride {
namespace {

std::size_t edges_of(const RecordedTrace& trace) {
  std::size_t edges = 0;
  for (const RecordedLine& line : trace.lines) edges += line.edges.size();
  return edges;
}

std::string file_name(const std::string& path) {
  return path.substr(path.find_last_of('/') + 1);
}

std::string words_of(const ComparedStretch& stretch) {
  std::vector<std::string> words;
  for (const ComparedStretch::Line& line : stretch.lines) {
    words.push_back(line.edges_a == line.edges_b
                        ? fmt::format("{} {}", line.name, line.edges_a)
                        : fmt::format("{} {} against {}", line.name, line.edges_a, line.edges_b));
    if (!line.same_levels) words.back() += " from other levels";
  }
  return fmt::format("{}", fmt::join(words, ", "));
}

/// The line with the most edges that both have.
const RecordedLine* busiest(const TraceComparison& comparison) {
  const RecordedLine* most = nullptr;
  for (const RecordedLine& line : comparison.a.lines) {
    const bool is_shared = std::any_of(comparison.shortest.begin(), comparison.shortest.end(),
                                       [&](const auto& shared) { return shared.name == line.name; });
    if (is_shared && (most == nullptr || line.edges.size() > most->edges.size())) most = &line;
  }
  return most;
}

/// Pulses a second over time, each window at least 5 ms and 1/600 of the whole.
void rate_rows(GnuplotScript& script, const RecordedLine& line, double ends_at) {
  const double window = std::max(0.005, ends_at / 600.0);
  std::size_t next = 0;
  for (double from = 0.0; from < ends_at; from += window) {
    std::size_t edges = 0;
    while (next < line.edges.size() && line.edges[next] < from + window) {
      ++edges;
      ++next;
    }
    script.add("{:.6g} {:.6g}\n", from + window / 2.0, 0.5e-3 * static_cast<double>(edges) / window);
  }
}

}  // namespace

std::string compare_text(const TraceComparison& comparison) {
  std::string text;
  const auto out = std::back_inserter(text);
  fmt::format_to(out, "a  {}: {} edges on {} lines, {:.3f} s\n", comparison.a.file, edges_of(comparison.a),
                 comparison.a.lines.size(), comparison.a.ends_at);
  fmt::format_to(out, "b  {}: {} edges on {} lines, {:.3f} s\n", comparison.b.file, edges_of(comparison.b),
                 comparison.b.lines.size(), comparison.b.ends_at);
  if (!comparison.only_a.empty()) fmt::format_to(out, "only in a: {}\n", fmt::join(comparison.only_a, ", "));
  if (!comparison.only_b.empty()) fmt::format_to(out, "only in b: {}\n", fmt::join(comparison.only_b, ", "));
  fmt::format_to(out, "\n  {:>10}  {:>11}  {:>9}  {:>9}  edges between pauses\n", "in a", "in b", "99 %",
                 "worst");
  for (const ComparedStretch& stretch : comparison.stretches) {
    const double shift = stretch.begins_b - stretch.begins_a;
    if (stretch.same) {
      fmt::format_to(out, "  {:>8.4f} s  {:>+9.4f} s  {:>6.1f} us  {:>6.1f} us  {}\n", stretch.begins_a,
                     shift, 1e6 * stretch.at_99, 1e6 * stretch.worst, words_of(stretch));
    } else {
      fmt::format_to(out, "  {:>8.4f} s  {:>+9.4f} s  {:>9}  {:>9}  {}\n", stretch.begins_a, shift, "other",
                     "edges", words_of(stretch));
    }
  }
  if (comparison.stretches_a != comparison.stretches_b)
    fmt::format_to(out, "  a has {} such stretches, b has {}\n", comparison.stretches_a,
                   comparison.stretches_b);
  fmt::format_to(out, "\n");
  for (const TraceComparison::Shortest& shortest : comparison.shortest) {
    if (std::isinf(shortest.a) && std::isinf(shortest.b)) continue;
    fmt::format_to(out, "  {:<18} shortest level {:>9.1f} us in a, {:>9.1f} us in b\n", shortest.name,
                   1e6 * shortest.a, 1e6 * shortest.b);
  }
  if (comparison.same_edges()) {
    fmt::format_to(
        out, "the same edges in the same order; b's are up to {:.1f} us late, 99 of 100 within {:.1f} us\n",
        1e6 * comparison.worst(), 1e6 * comparison.at_99());
  } else {
    const auto others = std::count_if(comparison.stretches.begin(), comparison.stretches.end(),
                                      [](const ComparedStretch& s) { return !s.same; });
    fmt::format_to(
        out,
        "OTHER EDGES in {} of {} stretches; where they are the same, b's are up to {:.1f} us late, 99 of "
        "100 within {:.1f} us\n",
        others, comparison.stretches.size(), 1e6 * comparison.worst(), 1e6 * comparison.at_99());
  }
  return text;
}

std::string compare_json(const TraceComparison& comparison) {
  using Json = nlohmann::ordered_json;
  Json json;
  json["a"] = {
      {"file", comparison.a.file}, {"edges", edges_of(comparison.a)}, {"duration_s", comparison.a.ends_at}};
  json["b"] = {
      {"file", comparison.b.file}, {"edges", edges_of(comparison.b)}, {"duration_s", comparison.b.ends_at}};
  json["only_a"] = comparison.only_a;
  json["only_b"] = comparison.only_b;
  json["same_edges"] = comparison.same_edges();
  json["worst_s"] = comparison.worst();
  json["late_99_s"] = comparison.at_99();
  json["stretches"] = Json::array();
  for (const ComparedStretch& stretch : comparison.stretches) {
    Json one{{"begins_a_s", stretch.begins_a}, {"begins_b_s", stretch.begins_b}, {"same", stretch.same}};
    if (stretch.same) {
      one["worst_s"] = stretch.worst;
      one["late_99_s"] = stretch.at_99;
    }
    for (const ComparedStretch::Line& line : stretch.lines)
      one["lines"].push_back({{"name", line.name}, {"edges_a", line.edges_a}, {"edges_b", line.edges_b}});
    json["stretches"].push_back(one);
  }
  json["stretches_a"] = comparison.stretches_a;
  json["stretches_b"] = comparison.stretches_b;
  json["shortest"] = Json::array();
  const auto seconds = [](double value) { return std::isinf(value) ? Json(nullptr) : Json(value); };
  for (const TraceComparison::Shortest& shortest : comparison.shortest)
    json["shortest"].push_back(
        {{"line", shortest.name}, {"a_s", seconds(shortest.a)}, {"b_s", seconds(shortest.b)}});
  return json.dump(2) + "\n";
}

void draw_comparison(const std::string& path, const TraceComparison& comparison) {
  const RecordedLine* const line_a = busiest(comparison);
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    GnuplotScript script;
    script.add("set terminal {}\nset output {}\n", terminal, gnuplot_text(output));
    script.add("$a << EOD\n");
    if (line_a != nullptr) rate_rows(script, *line_a, comparison.a.ends_at);
    script.add("EOD\n$b << EOD\n");
    if (line_a != nullptr) {
      for (const RecordedLine& line : comparison.b.lines)
        if (line.name == line_a->name) rate_rows(script, line, comparison.b.ends_at);
    }
    script.add("EOD\n$late << EOD\n");
    for (const ComparedStretch& stretch : comparison.stretches) {
      for (std::size_t i = 0; i < stretch.when.size(); ++i)
        script.add("{:.7g} {:.4g}\n", stretch.begins_b + stretch.when[i], 1e6 * stretch.differences[i]);
    }
    script.add("0 0\nEOD\n");
    script.add("set multiplot layout 2,1 title {} font ',16'\n",
               gnuplot_text(fmt::format(
                   "{} (a) and {} (b): {}", file_name(comparison.a.file), file_name(comparison.b.file),
                   comparison.same_edges() ? "the same edges" : "other edges in places")));
    script.add(
        "set grid lc rgb '#dddddd'\nset lmargin 10\nset rmargin 3\nset key at graph 1, 1.14 horizontal\nset "
        "xlabel 'time [s]'\n"
        "set xrange [0:{:.6g}]\n",
        std::max(comparison.a.ends_at, comparison.b.ends_at));
    const std::string name = line_a == nullptr ? "no line" : line_a->name;
    script.add("set ylabel 'pulses [kHz]'\nset yrange [0:*]\nset title {} font ',14'\n",
               gnuplot_text("pulses of " + name));
    script.add(
        "plot $a using 1:2 with lines lw 4 lc rgb '#d9a441' title 'a', $b using 1:2 with lines lw 1.5 lc rgb "
        "'#2a5c9a' title 'b'\n");
    script.add(
        "set title {} font ',14'\n",
        gnuplot_text(fmt::format("how much later b's edges of {} are: 99 of 100 within {:.1f} us, the worst "
                                 "{:.1f} us",
                                 name, 1e6 * comparison.at_99(), 1e6 * comparison.worst())));
    script.add("set ylabel 'later [us]'\nset yrange [0:*]\nset key off\n");
    script.add("plot $late using 1:2 with points pt 7 ps 0.3 lc rgb '#2a5c9a'\nunset multiplot\n");
    return script.take();
  });
}

}  // namespace cogstride
