#include "cogstride/bench/bench_loop.hpp"

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

namespace {
/// True from now on, and false again at the end, however that comes.
class While {
 public:
  explicit While(bool& flag) : flag_(flag) { flag_ = true; }
  ~While() { flag_ = false; }
  While(const While&) = delete;
  While& operator=(const While&) = delete;

 private:
  bool& flag_;
};
}  // namespace

void BenchLoop::add(Participant& participant) {
  (is_acting_ ? newcomers_ : participants_).push_back(&participant);
}

void BenchLoop::remove(Participant& participant) {
  std::erase(newcomers_, &participant);
  if (is_acting_) {
    std::replace(participants_.begin(), participants_.end(), &participant,
                 static_cast<Participant*>(nullptr));
  } else {
    std::erase(participants_, &participant);
  }
}

void BenchLoop::settle() {
  std::erase(participants_, nullptr);
  participants_.insert(participants_.end(), newcomers_.begin(), newcomers_.end());
  newcomers_.clear();
}

void BenchLoop::act_on(std::span<const Reading> readings) {
  const While acting(is_acting_);
  for (Participant* const& participant : participants_)
    if (participant != nullptr && (!readings.empty() || participant->next_act() <= lines_.now()))
      participant->act(lines_, readings);
}

bool BenchLoop::run(Tick until, const std::function<bool()>& finished) {
  if (is_running_)
    throw RangeError(
        "the bench runs already: what it calls (a listener, a participant) cannot let it run or wait; order "
        "what is to be done and return");
  const While running(is_running_);
  for (;;) {
    settle();
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
