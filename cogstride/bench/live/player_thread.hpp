// The thread that plays live lines, with what the operating system grants it. Whatever fails there, all lines
// come to rest.
#pragma once

#include <sched.h>

#include <array>
#include <atomic>
#include <functional>
#include <string>
#include <thread>

#include "cogstride/bench/live/edge_player.hpp"
#include "cogstride/bench/live/player_conditions.hpp"
#include "cogstride/port/bell.hpp"

namespace cogstride {

class PlayerThread {
 public:
  static constexpr std::int64_t most_spin_ns = 400'000;     ///< before an edge it does not sleep any more
  static constexpr std::int64_t life_sign_ns = 20'000'000;  ///< from one sign of life to the next
  struct Setup {
    /// Every few milliseconds: a sign of life. It stays away when something moves and planning has given
    /// none.
    std::function<void()> on_turn{};
    bool asks_for_real_time = true;
  };

  /// Returns when it plays, or has failed. @param player, port, bell  must outlive it; the bell rings
  /// whenever there is something to hear
  PlayerThread(Setup setup, EdgePlayer& player, LinePort& port, Bell& bell);
  ~PlayerThread() { end(); }
  PlayerThread(const PlayerThread&) = delete;
  PlayerThread& operator=(const PlayerThread&) = delete;

  /// Every line to rest, and no thread any more. Allocates nothing.
  void end() noexcept;

  [[nodiscard]] const PlayerConditions& conditions() const { return conditions_; }
  /// Whether it has failed: nothing is played any more, and its lines are at rest as far as they answered.
  [[nodiscard]] bool is_gone() const { return is_gone_.load(std::memory_order_acquire); }
  [[nodiscard]] std::string why_gone() const;
  /// Which lines did not answer when it failed.
  [[nodiscard]] const RestOutcome& rested() const { return rested_; }

 private:
  void prepare();
  void play();
  void give_up(const char* why) noexcept;

  Setup setup_;
  EdgePlayer& player_;
  LinePort& port_;
  Bell& bell_;
  PlayerConditions conditions_{};
  bool let_pages_be_joined_ = false;  // before it was forbidden here
  std::atomic<bool> ends_{false};
  std::atomic<bool> is_playing_{false};
  std::atomic<bool> is_gone_{false};
  std::array<char, 512> gone_{};  // written before is_gone_
  RestOutcome rested_{};          // the same
  std::thread thread_;
};

/// The priority of the thread that plans, raised while it lives: what it plans must not be late either.
class PlanningPriority {
 public:
  explicit PlanningPriority(bool is_granted);
  ~PlanningPriority();
  PlanningPriority(const PlanningPriority&) = delete;
  PlanningPriority& operator=(const PlanningPriority&) = delete;

 private:
  bool is_raised_;
  pthread_t thread_{};
  int policy_before_ = SCHED_OTHER;
  sched_param before_{};
};

}  // namespace cogstride
