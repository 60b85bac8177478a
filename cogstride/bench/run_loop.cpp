#include "cogstride/bench/run_loop.hpp"

#include <algorithm>

namespace cogstride {

void RunLoop::remove(Participant& participant) {
  std::erase(participants_, &participant);
}

void RunLoop::act_on(std::span<const Reading> readings) {
  for (Participant* participant : participants_) {
    if (!readings.empty() || participant->next_act() <= lines_.now()) participant->act(lines_, readings);
  }
}

bool RunLoop::run(Tick until, const std::function<bool()>& finished) {
  for (;;) {
    lines_.catch_up();
    if (finished()) return true;
    Tick next = until;
    for (const Participant* participant : participants_) next = std::min(next, participant->next_act());
    if (next <= lines_.now()) {
      if (lines_.now() >= until) return false;
      act_on({});  // someone's end is another one's start: again, at the same instant
      continue;
    }
    readings_.clear();
    lines_.wait_until(next, readings_);
    if (!readings_.empty()) act_on(readings_);
    if (lines_.now() >= until) return finished();
  }
}

}  // namespace cogstride
