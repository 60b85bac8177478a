// Pulse runs: how a planned move is stored and played, on a host and on a small chip alike.
//
// For each of its `steps` steps a run does
//
//   time += gap;   gap += change;   change += bend;
//
// and a pulse is made at each new time (or none, in a silent run, which only lets time pass). In fixed point,
// ticks with 16 fraction bits: a run with change 0 is a constant rate, with bend 0 a gap that grows evenly.
// Step j of a run falls at  start + j gap + j(j-1)/2 change + j(j-1)(j-2)/6 bend.
//
// C++14 with <stdint.h> alone: no heap, no exception, no virtual call, no division.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

enum : uint8_t {
  run_backwards = 1,  ///< the steps count downwards
  run_silent = 2,     ///< time passes, no pulse is made
  run_ends = 4,       ///< after it the output stands: that nothing follows is as it should be
  run_slow = 8,   ///< a narrow run's gap, change and bend are 2^-12 ticks: up to 2^20 ticks from step to step
  run_stops = 16  ///< on a chip: an edge of an input that its axis has been told of ends it
};

/// The host's form: gaps up to 2^32 ticks.
struct PulseRun {
  uint64_t gap;    ///< Q32.16 ticks, < 2^48
  int64_t change;  ///< Q.16, magnitude < 2^47
  int32_t bend;    ///< Q15.16
  uint16_t steps;  ///< how many
  uint8_t flags;   ///< run_backwards, run_silent
  uint8_t reserved;
};
static_assert(sizeof(PulseRun) == 24, "a pulse run is 24 bytes on the host");

/// The form for eight-bit chips: gaps up to 2^16 ticks, longer ones bridged by silent runs.
struct NarrowPulseRun {
  uint32_t gap;    ///< Q16.16 ticks
  int32_t change;  ///< Q.16
  int16_t bend;    ///< Q.16
  uint8_t steps;
  uint8_t flags;
};
static_assert(sizeof(NarrowPulseRun) == 12, "a narrow pulse run is 12 bytes");

/// The same as a host plays it.
inline PulseRun wide_run(const NarrowPulseRun& run) {
  const int64_t unit = (run.flags & run_slow) != 0 ? 16 : 1;
  return PulseRun{static_cast<uint64_t>(unit) * run.gap,
                  unit * run.change,
                  static_cast<int32_t>(unit * run.bend),
                  run.steps,
                  run.flags,
                  0};
}

/// Plays one run after another. `Run` is PulseRun or NarrowPulseRun; `Time` is FineTick, or CompareTime on
/// a chip.
///
///   PulsePlayer<PulseRun> player(start);
///   player.load(run);
///   while (player.left() > 0) { player.advance(); edge_at(player.tick()); }
template <class Run, class Time = FineTick>
class PulsePlayer {
 public:
  explicit constexpr PulsePlayer(Time start = Time()) : time_(start), run_() {}

  /// Goes on with `run` from where the last one ended.
  /// (Part by part: 8-bit compilers copy the whole in a loop, which takes twice as long.)
  COGSTRIDE_IN_INTERRUPT void load(const Run& run) {
    run_.gap = run.gap;
    run_.change = run.change;
    run_.bend = run.bend;
    run_.steps = run.steps;
    run_.flags = run.flags;
  }
  /// Steps of the loaded run that are still to be made.
  COGSTRIDE_IN_INTERRUPT uint16_t left() const { return run_.steps; }
  COGSTRIDE_IN_INTERRUPT bool makes_pulses() const { return (run_.flags & run_silent) == 0; }
  bool ends() const { return (run_.flags & run_ends) != 0; }
  COGSTRIDE_IN_INTERRUPT bool is_backwards() const { return (run_.flags & run_backwards) != 0; }

  /// Goes to the next step. Call only while left() > 0.
  void advance() {
    to_next();
    prepare();
  }
  /// The two halves of that: time goes on to the next step, and what leads to the one after it is worked out.
  COGSTRIDE_IN_INTERRUPT void to_next() { pass(time_, run_.gap); }
  COGSTRIDE_IN_INTERRUPT void prepare() {
    run_.gap = static_cast<decltype(run_.gap)>(run_.gap + run_.change);
    run_.change = static_cast<decltype(run_.change)>(run_.change + run_.bend);
    --run_.steps;
  }

  /// The instant of the last step made, or of the start.
  Time time() const { return time_; }
  /// The same as the whole tick at which the edge goes out.
  auto tick() const { return nearest_tick(time_); }
  /// The instant of the step that advance() will make.
  Time next() const { return after(time_, run_.gap); }
  COGSTRIDE_IN_INTERRUPT Time& clock() { return time_; }
  /// What is left of the run that was loaded: its gap leads to the step that advance() will make.
  const Run& rest() const { return run_; }
  /// So many of its last steps are not made. @param steps  at most left()
  void shorten(uint8_t steps) { run_.steps = static_cast<decltype(run_.steps)>(run_.steps - steps); }
  COGSTRIDE_IN_INTERRUPT bool stops() const { return (run_.flags & run_stops) != 0; }

 private:
  Time time_;
  Run run_;
};

}  // namespace chip
}  // namespace cogstride
