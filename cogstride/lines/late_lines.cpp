#include "cogstride/lines/late_lines.hpp"

#include <algorithm>

namespace cogstride {

LateLines::LateLines(const std::vector<LineSetup>& lines, Tick late, TimedLines& inner)
    : late_(late), inner_(inner) {
  for (const LineSetup& line : lines)
    if (line.use == LineSetup::Use::input) inputs_[line.source] = line.id;
}

void LateLines::put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                    std::optional<StopOn> stop) {
  const auto has_ended = [&](const Untold& each) { return each.ended.contains(line); };
  if (std::any_of(untold_.begin(), untold_.end(), has_ended)) return;
  if (stop)
    stops_.insert_or_assign(line, *stop);
  else
    stops_.erase(line);
  inner_.put(start, line, runs, stop);
}

void LateLines::keep(const Reading& reading) {
  Untold untold{reading};
  if (const auto input = inputs_.find(reading.source); input != inputs_.end()) {
    const Edge edge = reading.raw != 0 ? Edge::rising : Edge::falling;
    for (const auto& [line, stop] : stops_)
      if (stop.line == input->second && stop.edge == edge) untold.ended.insert(line);
    for (const LineId line : untold.ended) stops_.erase(line);
  }
  untold_.push_back(std::move(untold));
}

void LateLines::cut() noexcept {
  inner_.cut();
  stops_.clear();
  for (Untold& each : untold_) each.ended.clear();
}

Tick LateLines::wait_until(Tick until, std::vector<Reading>& readings) {
  for (;;) {
    const Tick next = untold_.empty() ? until : std::min(until, untold_.front().reading.at + late_);
    const Tick now = inner_.wait_until(next, read_);
    for (const Reading& each : read_) keep(each);
    const bool has_waited = read_.empty();
    read_.clear();
    const std::size_t before = readings.size();
    while (!untold_.empty() && untold_.front().reading.at + late_ <= now) {
      readings.push_back(untold_.front().reading);
      untold_.pop_front();
    }
    // Woken, or its time is up.
    if (readings.size() > before || now >= until || (has_waited && now < next)) return now;
  }
}

}  // namespace cogstride
