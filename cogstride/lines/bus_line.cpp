#include "cogstride/lines/bus_line.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cogstride {
namespace {

constexpr std::uint32_t largest_short_id = 0x7ff;
constexpr auto nobody = static_cast<MechanismId>(0xffff);  // withdraws what is sent at rest

}  // namespace

int bits_of(BusSetup::Kind kind, const Frame& frame) {
  const int data = 8 * frame.size;
  if (kind == BusSetup::Kind::serial) return 10 * frame.size;
  const int checked = (frame.id > largest_short_id ? 54 : 34) + data;  // from its start to its check sum
  return checked + (checked - 1) / 4 + 13;  // and delimiters, acknowledgement, end, pause
}

void BusLine::put(Tick at, const Frame& frame, MechanismId whose) {
  waiting_.push_back({at, frame, whose});
}

void BusLine::withdraw(MechanismId mechanism, Tick from) {
  std::erase_if(waiting_, [&](const Waiting& each) { return each.whose == mechanism && each.at >= from; });
}

void BusLine::come_to_rest(Tick now) {
  waiting_.clear();
  for (const Frame& frame : setup_.rest) waiting_.push_back({now, frame, nobody});
}

Tick BusLine::next() const {
  Tick own = never;
  Tick others = never;
  for (const Waiting& each : waiting_) own = std::min(own, each.at);
  for (const BusNode* node : nodes_) others = std::min(others, node->next());
  if (is_bus()) return ways_[0].on_it ? ways_[0].free_at : std::min(own, others);
  return std::min(ways_[0].on_it ? ways_[0].free_at : own, ways_[1].on_it ? ways_[1].free_at : others);
}

void BusLine::begin(Way& way, Tick now, Sent sent) const {
  way.free_at =
      now + std::max<Tick>(1, std::llround(setup_.ticks_per_bit * bits_of(setup_.kind, sent.frame)));
  way.on_it = sent;
}

/// Of all who want to by now, the lowest id goes first, and of equal ones the first that was put.
void BusLine::begin_next(Tick now) {
  auto own = waiting_.end();
  for (auto each = waiting_.begin(); each != waiting_.end(); ++each) {
    if (each->at > now) continue;
    if (own == waiting_.end() || (is_bus() && each->frame.id < own->frame.id)) own = each;
  }
  BusNode* other = nullptr;
  for (BusNode* const node : nodes_)
    if (node->next() <= now && (other == nullptr || node->next_id() < other->next_id())) other = node;
  const bool own_first =
      own != waiting_.end() && (!is_bus() || other == nullptr || own->frame.id <= other->next_id());
  if (own_first && !ways_[0].on_it) {
    begin(ways_[0], now, {own->frame, nullptr});
    waiting_.erase(own);
  }
  if (other != nullptr && !way_of_others().on_it) begin(way_of_others(), now, {other->say(now), other});
}

void BusLine::happen(Tick now, std::vector<Frame>& came_in) {
  for (Way& way : ways_) {
    if (!way.on_it || way.free_at > now) continue;
    const Sent ended = *std::exchange(way.on_it, std::nullopt);
    for (BusNode* const node : nodes_)
      if (node != ended.by && (is_bus() || ended.by == nullptr)) node->hear(now, ended.frame);
    if (ended.by != nullptr) came_in.push_back(ended.frame);
  }
  begin_next(now);
}

}  // namespace cogstride
