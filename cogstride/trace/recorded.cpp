#include "cogstride/trace/recorded.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

struct SeenEdge {
  double at;
  std::size_t line;
};

using Stretch = std::vector<SeenEdge>;

const RecordedLine* line_named(const RecordedTrace& trace, const std::string& name) {
  const auto found = std::find_if(trace.lines.begin(), trace.lines.end(),
                                  [&](const RecordedLine& line) { return line.name == name; });
  return found == trace.lines.end() ? nullptr : &*found;
}

std::vector<Stretch> stretches_of(const std::vector<const RecordedLine*>& lines, double pause) {
  Stretch all;
  for (std::size_t i = 0; i < lines.size(); ++i)
    for (const double at : lines[i]->edges) all.push_back({at, i});
  std::stable_sort(all.begin(), all.end(), [](const SeenEdge& x, const SeenEdge& y) { return x.at < y.at; });
  std::vector<Stretch> stretches;
  for (const SeenEdge& edge : all) {
    if (stretches.empty() || edge.at - stretches.back().back().at > pause) stretches.emplace_back();
    stretches.back().push_back(edge);
  }
  return stretches;
}

double shortest_level(const RecordedLine& line) {
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t i = 1; i < line.edges.size(); ++i)
    least = std::min(least, line.edges[i] - line.edges[i - 1]);
  return least;
}

double share_of(std::vector<double> values, double share) {
  if (values.empty()) return 0.0;
  const auto place = static_cast<std::size_t>(share * static_cast<double>(values.size() - 1));
  std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(place), values.end());
  return values[place];
}

/// Levels of a line, counted from the start of its trace.
bool level_before(const RecordedLine& line, double at) {
  const auto edges = std::lower_bound(line.edges.begin(), line.edges.end(), at) - line.edges.begin();
  return line.starts_high != (edges % 2 != 0);
}

ComparedStretch compare(const std::vector<const RecordedLine*>& lines_a, const Stretch& a,
                        const std::vector<const RecordedLine*>& lines_b, const Stretch& b) {
  ComparedStretch result;
  result.begins_a = a.front().at;
  result.begins_b = b.front().at;
  result.same = true;
  std::vector<double> late;
  std::vector<std::pair<double, double>> of_the_busiest;
  std::size_t most = 0;
  for (std::size_t i = 0; i < lines_a.size(); ++i) {
    std::vector<double> own_a;
    std::vector<double> own_b;
    for (const SeenEdge& edge : a)
      if (edge.line == i) own_a.push_back(edge.at);
    for (const SeenEdge& edge : b)
      if (edge.line == i) own_b.push_back(edge.at);
    if (own_a.empty() && own_b.empty()) continue;
    ComparedStretch::Line line{lines_a[i]->name, std::ssize(own_a), std::ssize(own_b), true};
    line.same_levels =
        level_before(*lines_a[i], result.begins_a) == level_before(*lines_b[i], result.begins_b);
    if (own_a.size() != own_b.size() || !line.same_levels) result.same = false;
    for (std::size_t k = 0; k < std::min(own_a.size(), own_b.size()); ++k)
      late.push_back((own_b[k] - result.begins_b) - (own_a[k] - result.begins_a));
    if (own_a.size() == own_b.size() && own_a.size() > most) {
      most = own_a.size();
      of_the_busiest.clear();
      for (std::size_t k = 0; k < own_a.size(); ++k)
        of_the_busiest.emplace_back(own_a[k] - result.begins_a, late[late.size() - own_a.size() + k]);
    }
    result.lines.push_back(std::move(line));
  }
  if (!result.same) return result;
  // No edge is early: the one that is least late was on time.
  const double earliest = *std::min_element(late.begin(), late.end());
  for (double& each : late) each -= earliest;
  result.worst = *std::max_element(late.begin(), late.end());
  result.at_99 = share_of(late, 0.99);
  for (const auto& [when, difference] : of_the_busiest) {
    result.when.push_back(when);
    result.differences.push_back(difference - earliest);
  }
  return result;
}

}  // namespace

bool TraceComparison::same_edges() const {
  return stretches_a == stretches_b &&
         std::all_of(stretches.begin(), stretches.end(), [](const ComparedStretch& s) { return s.same; });
}

double TraceComparison::worst() const {
  double most = 0.0;
  for (const ComparedStretch& stretch : stretches)
    if (stretch.same) most = std::max(most, stretch.worst);
  return most;
}

double TraceComparison::at_99() const {
  std::vector<double> all;
  for (const ComparedStretch& stretch : stretches)
    if (stretch.same) all.insert(all.end(), stretch.differences.begin(), stretch.differences.end());
  return share_of(std::move(all), 0.99);
}

TraceComparison compare_traces(RecordedTrace a, RecordedTrace b, double pause) {
  TraceComparison result;
  std::vector<const RecordedLine*> lines_a;
  std::vector<const RecordedLine*> lines_b;
  for (const RecordedLine& line : a.lines) {
    const RecordedLine* const other = line_named(b, line.name);
    if (other == nullptr) {
      result.only_a.push_back(line.name);
      continue;
    }
    lines_a.push_back(&line);
    lines_b.push_back(other);
    result.shortest.push_back({line.name, shortest_level(line), shortest_level(*other)});
  }
  for (const RecordedLine& line : b.lines)
    if (line_named(a, line.name) == nullptr) result.only_b.push_back(line.name);
  const std::vector<Stretch> stretches_a = stretches_of(lines_a, pause);
  const std::vector<Stretch> stretches_b = stretches_of(lines_b, pause);
  result.stretches_a = stretches_a.size();
  result.stretches_b = stretches_b.size();
  for (std::size_t i = 0; i < std::min(stretches_a.size(), stretches_b.size()); ++i)
    result.stretches.push_back(compare(lines_a, stretches_a[i], lines_b, stretches_b[i]));
  result.a = std::move(a);
  result.b = std::move(b);
  return result;
}

}  // namespace cogstride
