// The pulses that one line has still to make, as whoever plays it sees them: simulated lines and live ones.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// The instant of a run's last step, by its closed form.
[[nodiscard]] FineTick end_of_run(FineTick start, const chip::PulseRun& run);

/// The tick of the first pulse of runs, `never` when they make none.
[[nodiscard]] Tick first_pulse_of(FineTick start, std::span<const chip::PulseRun> runs);

class PulseQueue {
 public:
  /// Queues runs from `start` on, which is not before the end of what is queued already.
  void put(FineTick start, std::span<const chip::PulseRun> runs, std::optional<StopOn> stop);

  /// The tick of the next pulse, or `never`. Passes over silence.
  [[nodiscard]] Tick next();
  /// Makes the next pulse, whose tick next() has said. @return whether it is a step backwards
  bool make();
  /// An input has changed: at the edge that ends what is being played, all is dropped, or goes to rest.
  void edge(LineId line, bool high, double ticks_per_second);

  /// Takes back what begins at `from` or later. @return what will have gone out when the rest has been made
  Withdrawn withdraw(Tick from);
  /// Drops everything.
  void clear();

  /// Net steps made since the line was opened, and the tick of the last one.
  [[nodiscard]] std::int64_t steps() const { return steps_; }
  [[nodiscard]] Tick last_pulse() const { return last_pulse_; }

 private:
  struct Train {
    chip::PulsePlayer<chip::PulseRun> player;
    std::optional<StopOn> stop;
    Tick end_before = never;  // withdrawn from here on

    Tick next_pulse();
  };

  [[nodiscard]] bool is_empty() const { return first_ == trains_.size(); }
  void brake(const chip::ChipLimits& limits, double ticks_per_second);

  std::vector<Train> trains_;  // a run each; a player may have no time to fetch memory, so it is kept
  std::size_t first_ = 0;      // that has not been played to its end
  std::int64_t steps_ = 0;
  Tick last_pulse_ = 0;
  bool brakes_ = false;  // an edge has seen to that, and nothing has been put since
  bool is_told_ = true;  // of that: before, what is put does not count
};

}  // namespace cogstride
