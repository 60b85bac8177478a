// The run of a bench: lets time pass from one wish to the next and hands everyone what was read.
#pragma once

#include <atomic>
#include <functional>
#include <thread>
#include <utility>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class BenchLoop {
 public:
  explicit BenchLoop(TimedLines& lines) : lines_(lines) {}

  /// Takes part until removed; must live as long. One that comes or goes while all act does so after that.
  void add(Participant& participant);
  void remove(Participant& participant);

  /// Called between two acts, before it is asked whether it is finished.
  void between_acts(std::function<void()> deed) { between_acts_ = std::move(deed); }
  /// Runs until `finished` says so or `until` has come. @return whether it was finished
  /// @throws RangeError when it runs already: what takes part cannot wait for what takes part
  bool run(Tick until, const std::function<bool()>& finished);
  [[nodiscard]] bool is_running() const { return runs_in_.load() != std::thread::id(); }
  /// @throws RangeError when another thread lets it run
  void require_own_thread() const;

 private:
  void settle();
  void act_on(std::span<const Reading> readings);

  TimedLines& lines_;
  std::vector<Participant*> participants_;  // null: has gone while all act
  std::vector<Participant*> newcomers_;
  std::function<void()> between_acts_;
  bool is_acting_ = false;
  std::atomic<std::thread::id> runs_in_{};  // none: it does not run
  std::vector<Reading> readings_;
};

}  // namespace cogstride
