#include "cogstride/trace/run_window.hpp"

#include <algorithm>
#include <map>

namespace cogstride {

TraceLayout RunWindow::layout() const {
  const std::lock_guard lock(mutex_);
  return layout_;
}

Tick RunWindow::now() const {
  const std::lock_guard lock(mutex_);
  return now_;
}

std::int64_t RunWindow::count() const {
  const std::lock_guard lock(mutex_);
  return samples_.count();
}

RunWindow::Samples RunWindow::samples(std::int64_t from, std::size_t most) const {
  Samples found;
  std::vector<LastOf<Sample, samples_a_block>::Block> blocks;
  {
    const std::lock_guard lock(mutex_);
    blocks = samples_.all();
    found.next = samples_.count();
  }
  const std::int64_t wanted = std::clamp<std::int64_t>(found.next - from, 0, static_cast<std::int64_t>(most));
  for (auto block = blocks.rbegin(); block != blocks.rend(); ++block)
    for (auto each = (*block)->rbegin(); each != (*block)->rend(); ++each) {
      if (static_cast<std::int64_t>(found.samples.size()) == wanted) break;
      found.samples.push_back(*each);
    }
  std::reverse(found.samples.begin(), found.samples.end());
  return found;
}

std::vector<RunWindow::Line> RunWindow::lines(Tick from, std::size_t most) const {
  std::vector<LastOf<Edge, edges_a_block>::Block> blocks;
  std::vector<Line> lines;
  std::map<LineId, std::size_t> places;
  {
    const std::lock_guard lock(mutex_);
    blocks = edges_.all();
    for (std::size_t i = 0; i < layout_.lines.size(); ++i) {
      const TracedLine& line = layout_.lines[i];
      places[line.id] = i;
      lines.push_back({line.name, is_high(line.id), {}, 0});
    }
  }
  // Back from how they stand now.
  for (auto block = blocks.rbegin(); block != blocks.rend(); ++block) {
    if (!(*block)->empty() && (*block)->back().at < from) break;
    for (auto edge = (*block)->rbegin(); edge != (*block)->rend() && edge->at >= from; ++edge) {
      const auto place = places.find(edge->line);
      if (place == places.end()) continue;
      Line& line = lines[place->second];
      if (line.edges.size() == most) {
        ++line.left_out;
        continue;
      }
      line.edges.push_back(edge->at);
      line.starts_high = !edge->high;
    }
  }
  for (Line& line : lines) std::reverse(line.edges.begin(), line.edges.end());
  return lines;
}

std::optional<Tick> RunWindow::last_edge(std::string_view owner) const {
  std::vector<LastOf<Edge, edges_a_block>::Block> blocks;
  std::vector<LineId> its;
  {
    const std::lock_guard lock(mutex_);
    blocks = edges_.all();
    for (const TracedLine& line : layout_.lines)
      if (std::string_view(line.name).substr(0, line.name.find('.')) == owner) its.push_back(line.id);
  }
  for (auto block = blocks.rbegin(); block != blocks.rend(); ++block)
    for (auto each = (*block)->rbegin(); each != (*block)->rend(); ++each)
      if (std::find(its.begin(), its.end(), each->line) != its.end()) return each->at;
  return std::nullopt;
}

std::vector<TraceEvent> RunWindow::events() const {
  std::vector<LastOf<TraceEvent, events_a_block>::Block> blocks;
  {
    const std::lock_guard lock(mutex_);
    blocks = events_.all();
  }
  std::vector<TraceEvent> all;
  for (const auto& block : blocks) all.insert(all.end(), block->begin(), block->end());
  return all;
}

void RunWindow::tell(TraceSink& sink) const {
  std::vector<LastOf<Edge, edges_a_block>::Block> edges;
  std::vector<LastOf<Sample, samples_a_block>::Block> samples;
  TraceLayout layout;
  Tick ends_at = 0;
  {
    const std::lock_guard lock(mutex_);
    edges = edges_.all();
    samples = samples_.all();
    layout = layout_;
    ends_at = now_;
  }
  const std::vector<TraceEvent> happened = events();
  sink.begin(layout);
  auto event = happened.begin();
  const auto events_until = [&](Tick at) {
    for (; event != happened.end() && event->at <= at; ++event) sink.event(*event);
  };
  std::size_t block = 0;
  std::size_t place = 0;
  const auto all_until = [&](Tick at) {
    for (; block < edges.size(); ++block, place = 0)
      for (; place < edges[block]->size(); ++place) {
        const Edge& edge = (*edges[block])[place];
        if (edge.at > at) return events_until(at);
        events_until(edge.at - 1);
        sink.edge(edge.at, edge.line, edge.high);
      }
    events_until(at);
  };
  for (const auto& each : samples)
    for (const Sample& sample : *each) {
      all_until(sample.at);
      sink.sample(sample.at, sample.values);
    }
  all_until(ends_at);
  sink.end(ends_at);
}

void RunWindow::begin(const TraceLayout& layout) {
  const std::lock_guard lock(mutex_);
  layout_ = layout;
  for (const TracedLine& line : layout.lines) now_high(line.id, line.starts_high);
}

bool RunWindow::is_high(LineId line) const {
  const auto place = static_cast<std::size_t>(line);
  return place < high_.size() && high_[place];
}

void RunWindow::now_high(LineId line, bool high) {
  const auto place = static_cast<std::size_t>(line);
  if (high_.size() <= place) high_.resize(place + 1, false);
  high_[place] = high;
}

void RunWindow::edge(Tick at, LineId line, bool high) {
  const std::lock_guard lock(mutex_);
  passed(at);
  edges_.push({at, line, high});
  now_high(line, high);
  // What is dropped is how lines stand where the rest begins.
  if (const auto dropped = edges_.drop())
    for (const Edge& edge : *dropped)
      for (TracedLine& each : layout_.lines)
        if (each.id == edge.line) each.starts_high = edge.high;
}

void RunWindow::sample(Tick at, std::span<const double> values) {
  const std::lock_guard lock(mutex_);
  passed(at);
  samples_.push({at, {values.begin(), values.end()}});
  (void)samples_.drop();
}

void RunWindow::event(const TraceEvent& event) {
  const std::lock_guard lock(mutex_);
  passed(event.at);
  events_.push(event);
  (void)events_.drop();
}

void RunWindow::end(Tick at) {
  const std::lock_guard lock(mutex_);
  passed(at);
}

}  // namespace cogstride
