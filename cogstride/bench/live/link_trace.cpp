#include "cogstride/bench/live/link_trace.hpp"

#include <algorithm>
#include <utility>

namespace cogstride {

void LinkTrace::begin(Tick now, Listener listener) {
  listener_ = std::move(listener);
  for (const LineSetup& line : lines_)
    if (line.use != LineSetup::Use::input) outputs_[line.id] = line.rest_high;
  told_ = now;
}

const LineSetup& LinkTrace::setup_of(LineId line) const {
  return *std::find_if(lines_.begin(), lines_.end(), [&](const LineSetup& each) { return each.id == line; });
}

void LinkTrace::level(Tick at, LineId line, bool high) {
  if (listener_) ahead_.push_back({at, line, high});
}

void LinkTrace::take_back(MechanismId mechanism, Tick from) {
  std::erase_if(ahead_, [&](const Told& each) {
    return each.at >= from && !is_input(each.line) && setup_of(each.line).owner == mechanism;
  });
}

void LinkTrace::drop(Tick from) {
  std::erase_if(ahead_, [&](const Told& each) { return each.at >= from && !is_input(each.line); });
}

/// From what has been told on. @param place  it goes no farther than that
void LinkTrace::add_steps(LineId line, Tick to, std::optional<std::int64_t> place, std::vector<Told>& all) {
  const std::size_t axis = axis_of_.at(line);
  const LineSetup& front = setup_of(line);
  std::int64_t stands_on = place ? axes_[axis].steps_before(told_) : 0;
  axes_[axis].each_step(told_, to, [&](Tick at, bool backwards) {
    if (place && stands_on == *place) return;
    stands_on += backwards ? -1 : 1;
    if (front.rows.cycle.empty()) {
      all.push_back({at, line, !front.rest_high});
      all.push_back({at + std::max<Tick>(1, front.pulse_width), line, front.rest_high});
      return;
    }
    const std::size_t rows = front.rows.cycle.size();
    std::size_t& now_on = row_[axis];
    now_on = (now_on + (backwards ? rows - 1 : 1)) % rows;
    for (std::size_t i = 0; i < front.rows.lines.size(); ++i) {
      const LineId each = front.rows.lines[i];
      all.push_back({at, each, ((front.rows.cycle[now_on] >> i & 1) != 0) != setup_of(each).rest_high});
    }
  });
}

void LinkTrace::stands(std::size_t axis, std::int64_t place, Tick at) {
  if (!listener_) return;
  for (const auto& [line, its] : axis_of_)
    if (its == axis) add_steps(line, at + 1, place, ahead_);
}

void LinkTrace::rests(Tick at) {
  if (!listener_) return;
  for (const LineSetup& line : lines_)
    if (line.use != LineSetup::Use::input) ahead_.push_back({at, line.id, line.rest_high});
}

void LinkTrace::tell(Tick to) {
  if (!listener_ || to <= told_) return;
  std::vector<Told> all;
  for (const Told& each : ahead_)
    if (each.at < to) all.push_back(each);
  std::erase_if(ahead_, [&](const Told& each) { return each.at < to; });
  for (const auto& [line, axis] : axis_of_) add_steps(line, to, {}, all);
  told_ = to;
  std::stable_sort(all.begin(), all.end(), [](const Told& a, const Told& b) { return a.at < b.at; });
  for (const Told& each : all) {
    if (each.at >= to) {  // a pulse's end
      ahead_.push_back(each);
      continue;
    }
    const auto known = outputs_.find(each.line);
    if (known != outputs_.end() && std::exchange(known->second, each.high) == each.high) continue;
    listener_(each.at, each.line, each.high);
  }
}

void LinkTrace::tell_all(Tick now) {
  for (const Told& each : ahead_) now = std::max(now, each.at);
  tell(now + 1);
}

}  // namespace cogstride
