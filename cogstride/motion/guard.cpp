#include "cogstride/motion/guard.hpp"

#include <utility>

namespace cogstride {

Guard::Guard(const Inputs& inputs, std::vector<Watched> watched)
    : inputs_(inputs), watched_(std::move(watched)), told_(watched_.size(), false) {}

bool Guard::stands(const Watched& watched) const {
  const std::optional<bool> acts = inputs_.acts(watched.line);
  return acts && *acts == watched.trips_when;
}

std::vector<const Guard::Watched*> Guard::standing() const {
  std::vector<const Watched*> standing;
  for (const Watched& watched : watched_)
    if (watched.trip.cause != Trip::Cause::limit_switch && stands(watched)) standing.push_back(&watched);
  return standing;
}

Tick Guard::next_act() const {
  if (!failed_.empty()) return 0;
  if (!begun_) return inputs_.are_known() ? 0 : never;
  for (std::size_t i = 0; i < watched_.size(); ++i)
    if (stands(watched_[i]) != told_[i]) return 0;
  return never;
}

void Guard::act(Lines& lines, std::span<const Reading>) {
  // One by one: a listener that throws loses none of those after it.
  while (!failed_.empty()) {
    const Trip trip = std::move(failed_.front());
    failed_.erase(failed_.begin());
    if (listener_) listener_(lines, trip);
  }
  if (!begun_) {
    begun_ = inputs_.are_known();
    for (std::size_t i = 0; i < watched_.size(); ++i) told_[i] = stands(watched_[i]);
    return;
  }
  for (std::size_t i = 0; i < watched_.size(); ++i) {
    const bool stood = told_[i];
    told_[i] = stands(watched_[i]);
    if (!told_[i] || stood || (ignores_ && ignores_(watched_[i]))) continue;
    if (listener_) listener_(lines, watched_[i].trip);
  }
}

}  // namespace cogstride
