#include "cogstride/bench/live/player_thread.hpp"

#include <fmt/format.h>
#include <pthread.h>
#include <sys/mman.h>
#include <sys/prctl.h>

#include <algorithm>
#include <cstring>
#include <vector>

namespace cogstride {
namespace {

constexpr int player_priority = 60;
constexpr int planning_priority = 40;
constexpr std::int64_t least_spin_ns = 15'000;

}  // namespace

PlayerThread::PlayerThread(Setup setup, EdgePlayer& player, LinePort& port, Bell& bell)
    : setup_(std::move(setup)), player_(player), port_(port), bell_(bell), thread_([this] { play(); }) {
  while (!is_playing_.load(std::memory_order_acquire)) bell_.wait(1'000'000);
}

/// What the operating system grants this thread; where it does not, playing goes on all the same.
void PlayerThread::prepare() {
  sched_param priority{};
  priority.sched_priority = player_priority;
  std::vector<std::string> refused;
  if (setup_.asks_for_real_time) {
    conditions_.real_time = pthread_setschedparam(pthread_self(), SCHED_FIFO, &priority) == 0;
    if (!conditions_.real_time)
      refused.push_back(
          "no real-time priority (a limit of rtprio 60 or more grants it): other programs can make edges "
          "late");
    // Locked pages too are moved when the kernel joins small ones to a huge one; a thread that touches one
    // then waits for milliseconds.
    let_pages_be_joined_ = prctl(PR_GET_THP_DISABLE, 0UL, 0UL, 0UL, 0UL) == 0;
    prctl(PR_SET_THP_DISABLE, 1UL, 0UL, 0UL, 0UL);
    conditions_.memory_locked = mlockall(MCL_CURRENT | MCL_FUTURE) == 0;
    if (!conditions_.memory_locked)
      refused.push_back("memory is not locked (a limit of memlock unlimited grants it)");
  }
  prctl(PR_SET_TIMERSLACK, 1UL, 0UL, 0UL, 0UL);
  for (const std::string& each : refused) conditions_.words += (conditions_.words.empty() ? "" : "; ") + each;
  // How late it wakes when it sleeps: so long before an edge it must not sleep any more.
  std::vector<std::int64_t> late;
  for (int i = 0; i < 40; ++i) {
    const std::int64_t wanted = port_.now_ns() + 300'000;
    port_.sleep_until(wanted);
    late.push_back(std::max<std::int64_t>(0, port_.now_ns() - wanted));
  }
  std::sort(late.begin(), late.end());
  conditions_.wake_ns = late[late.size() * 9 / 10];
  player_.spin_before(std::clamp(2 * late[late.size() / 2], least_spin_ns, most_spin_ns));
}

void PlayerThread::play() {
  try {
    prepare();
    is_playing_.store(true, std::memory_order_release);
    bell_.ring();
    std::int64_t next_sign = 0;
    while (!ends_.load(std::memory_order_acquire)) {
      player_.turn();
      if (player_.take_has_told()) bell_.ring();
      if (const std::int64_t now = port_.now_ns();
          setup_.on_turn && now >= next_sign && player_.is_looked_after()) {
        setup_.on_turn();
        next_sign = now + life_sign_ns;
      }
    }
    player_.end();
  } catch (const std::exception& error) {
    give_up(error.what());
  } catch (...) {
    give_up("the player of the lines failed");
  }
}

/// Whatever has failed, the other lines come to rest. Allocates nothing.
void PlayerThread::give_up(const char* why) noexcept {
  rested_ = port_.rest();
  const std::size_t size = std::min(std::strlen(why), gone_.size() - 1);
  std::memcpy(gone_.data(), why, size);
  gone_[size] = 0;
  is_gone_.store(true, std::memory_order_release);
  is_playing_.store(true, std::memory_order_release);
  bell_.ring();
}

std::string PlayerThread::why_gone() const {
  const std::string silent = to_text(rested_);
  return silent.empty() ? gone_.data() : fmt::format("{}; {}", gone_.data(), silent);
}

void PlayerThread::end() noexcept {
  if (!thread_.joinable()) return;
  ends_.store(true, std::memory_order_release);
  port_.wake();
  thread_.join();
  if (conditions_.memory_locked) munlockall();
  if (let_pages_be_joined_) prctl(PR_SET_THP_DISABLE, 0UL, 0UL, 0UL, 0UL);
}

PlanningPriority::PlanningPriority(bool is_granted) : is_raised_(is_granted), thread_(pthread_self()) {
  if (!is_raised_) return;
  (void)pthread_getschedparam(thread_, &policy_before_, &before_);
  sched_param priority{};
  priority.sched_priority = planning_priority;
  (void)pthread_setschedparam(thread_, SCHED_FIFO, &priority);
}

PlanningPriority::~PlanningPriority() {
  if (is_raised_) (void)pthread_setschedparam(thread_, policy_before_, &before_);
}

}  // namespace cogstride
