// Simulated lines whose time passes as fast as a clock's: for a bench that waits for people. Left alone,
// simulated time leaps to the next event.
#pragma once

#include <atomic>
#include <chrono>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

class PacedLines final : public TimedLines {
 public:
  /// @param inner  must outlive it
  PacedLines(TimedLines& inner, double ticks_per_second)
      : inner_(inner), ticks_per_second_(ticks_per_second) {}

  [[nodiscard]] Tick now() const override { return inner_.now(); }
  [[nodiscard]] Tick lead() const override { return inner_.lead(); }
  [[nodiscard]] Tick horizon() const override { return inner_.horizon(); }
  [[nodiscard]] bool brakes_at_edges() const override { return inner_.brakes_at_edges(); }
  void put(Tick at, std::span<const Level> levels) override { inner_.put(at, levels); }
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override {
    inner_.put(start, line, runs, stop);
  }
  void put(Tick at, std::span<const Compare> compares) override { inner_.put(at, compares); }
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override {
    inner_.put(at, bus, frame, whose);
  }
  void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) override {
    inner_.hold(at, whose, wanted);
  }
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) override {
    return inner_.gear(at, line, counts_at, what);
  }
  void let_go(Tick at, LineId line) override { inner_.let_go(at, line); }
  void sample(SourceId source, Tick first, Tick period) override { inner_.sample(source, first, period); }
  Withdrawn withdraw(MechanismId mechanism, Tick from) override { return inner_.withdraw(mechanism, from); }
  void cut() noexcept override { inner_.cut(); }
  /// What happens within a millisecond is made up for in one go, each at its own tick.
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void answer_cuts() override { inner_.answer_cuts(); }
  void watch(MechanismId mechanism, bool is_watched) override { inner_.watch(mechanism, is_watched); }
  void wake() noexcept override { woken_.store(true, std::memory_order_release); }

 private:
  using Clock = std::chrono::steady_clock;
  [[nodiscard]] Tick tick_of(Clock::time_point at) const;

  TimedLines& inner_;
  double ticks_per_second_;
  std::atomic<bool> woken_{false};
  Clock::time_point began_{};  // when the tick below was
  Tick began_tick_ = never;    // never: time has not begun to pass
};

}  // namespace cogstride
