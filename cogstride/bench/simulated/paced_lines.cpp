#include "cogstride/bench/simulated/paced_lines.hpp"

#include <algorithm>
#include <cmath>
#include <thread>

namespace cogstride {
namespace {
constexpr double unserved = 0.1;      // s; behind by more, nobody has let time pass meanwhile
constexpr double longest_nap = 1e-3;  // s; woken, it goes on as soon
}  // namespace

Tick PacedLines::tick_of(Clock::time_point at) const {
  const double seconds = std::chrono::duration<double>(at - began_).count();
  return began_tick_ + std::llround(seconds * ticks_per_second_);
}

Tick PacedLines::wait_until(Tick until, std::vector<Reading>& readings) {
  const auto behind = static_cast<Tick>(unserved * ticks_per_second_);
  if (began_tick_ == never || tick_of(Clock::now()) > now() + behind) {
    began_ = Clock::now();
    began_tick_ = now();
  }
  for (;;) {
    if (woken_.exchange(false, std::memory_order_acq_rel)) return now();
    const Tick to = std::min(until, tick_of(Clock::now()));
    if (to > now()) inner_.wait_until(to, readings);
    if (!readings.empty() || now() >= until) return now();
    if (now() < to) continue;  // an edge that a counter took
    const std::chrono::duration<double> left(static_cast<double>(until - now()) / ticks_per_second_);
    std::this_thread::sleep_for(std::min(left, std::chrono::duration<double>(longest_nap)));
  }
}

}  // namespace cogstride
