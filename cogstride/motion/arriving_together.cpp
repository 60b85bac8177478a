#include "cogstride/motion/arriving_together.hpp"

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

ArrivingTogether::ArrivingTogether(Lines& lines, const std::vector<std::pair<Mover*, MoveOrder>>& orders) {
  for (auto order = orders.begin(); order != orders.end(); ++order) {
    const Mover& mover = *order->first;
    if (order->first->arrivals() == nullptr)
      throw RangeError(mover.name() + ": has no moves that arrive together with others");
    if (std::any_of(orders.begin(), order, [&](const auto& other) { return other.first == &mover; }))
      throw RangeError(mover.name() + ": is named twice among moves that arrive together");
  }
  try {
    for (const auto& [mover, order] : orders)
      members_.push_back({mover->arrivals(), mover->arrivals()->move_when_told(lines, order)});
  } catch (const RangeError&) {
    for (std::size_t i = 0; i < members_.size(); ++i)
      orders[i].first->cancel(lines, *members_[i].record, Braking::on_a_ramp);
    throw;
  }
}

std::vector<std::shared_ptr<MotionRecord>> ArrivingTogether::records() const {
  std::vector<std::shared_ptr<MotionRecord>> records;
  for (const Member& member : members_) records.push_back(member.record);
  return records;
}

bool ArrivingTogether::is_over() const {
  return has_begun_ || std::all_of(members_.begin(), members_.end(),
                                   [](const Member& member) { return member.record->has_ended(); });
}

Tick ArrivingTogether::next_act() const {
  const bool can_begin = std::all_of(members_.begin(), members_.end(), [](const Member& member) {
    return member.record->has_ended() || member.mover->stands_by(*member.record);
  });
  return is_over() || !can_begin ? never : 0;
}

void ArrivingTogether::act(Lines& lines, std::span<const Reading>) {
  if (next_act() == never) return;
  has_begun_ = true;
  std::erase_if(members_, [](const Member& member) { return member.record->has_ended(); });
  Arrivals::Least longest{0.0, lines.now()};
  for (const Member& member : members_) {
    const auto least = member.mover->get_ready(lines);
    if (!least) continue;  // it has become impossible, and is refused as it begins
    longest.seconds = std::max(longest.seconds, least->seconds);
    longest.start = std::max(longest.start, least->start);
  }
  for (const Member& member : members_)
    if (!member.record->has_ended()) member.mover->begin(lines, longest);
}

}  // namespace cogstride
