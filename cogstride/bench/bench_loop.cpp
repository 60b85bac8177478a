#include "cogstride/bench/bench_loop.hpp"

#include <algorithm>
#include <utility>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

namespace {
/// Does something at the end, however that comes.
template <class Deed>
class AtTheEnd {
 public:
  explicit AtTheEnd(Deed deed) : deed_(std::move(deed)) {}
  ~AtTheEnd() { deed_(); }
  AtTheEnd(const AtTheEnd&) = delete;
  AtTheEnd& operator=(const AtTheEnd&) = delete;

 private:
  Deed deed_;
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

void BenchLoop::require_own_thread() const {
  const std::thread::id runs_in = runs_in_.load();
  if (runs_in != std::thread::id() && runs_in != std::this_thread::get_id())
    throw RangeError("another thread lets this bench run: one thread owns a bench and all of its handles");
}

void BenchLoop::settle() {
  std::erase(participants_, nullptr);
  participants_.insert(participants_.end(), newcomers_.begin(), newcomers_.end());
  newcomers_.clear();
}

void BenchLoop::act_on(std::span<const Reading> readings) {
  is_acting_ = true;
  const AtTheEnd rests([this] { is_acting_ = false; });
  for (Participant* const& participant : participants_)
    if (participant != nullptr && (!readings.empty() || participant->next_act() <= lines_.now()))
      participant->act(lines_, readings);
}

bool BenchLoop::run(Tick until, const std::function<bool()>& finished) {
  require_own_thread();
  if (is_running())
    throw RangeError(
        "the bench runs already: what it calls (a listener, a participant) cannot let it run or wait; order "
        "what is to be done and return");
  runs_in_ = std::this_thread::get_id();
  const AtTheEnd stops([this] { runs_in_ = std::thread::id(); });
  for (;;) {
    settle();
    lines_.catch_up();
    if (between_acts_) between_acts_();
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
