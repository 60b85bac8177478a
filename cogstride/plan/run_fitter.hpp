// Turns a ramp into pulse runs, each fitted from where the last one really ended, so that errors never add
// up.
//
//   RunFitter fitter(ramp, 0, {.tick = 480, .fraction = 0}, 48e6);
//   chip::PulseRun run;
//   while (fitter.next(run)) send(run);
//
// A run is a cubic through its start: least squares on samples of the exact step times, then rounded to fixed
// point from the highest power down, each lower one refitted to what the rounding left. The longest run that
// stays within the tolerance at every one of its steps is kept. Constant memory, whatever the move's length.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/plan/step_times.hpp"

namespace cogstride {

/// What a run can hold.
struct RunForm {
  std::size_t most_steps;  ///< at most those of wide_runs
  double longest_gap;      ///< ticks; longer ones are silent runs
  double most_change;      ///< 2^-16 ticks
  double most_bend;        ///< 2^-16 ticks
  double unit = 1.0;       ///< 2^-16 ticks: all three are whole multiples of it
  /// Ticks: largest distance of a played step from its exact time, before it is rounded to a whole one (half
  /// a tick more): together less than one.
  double tolerance = 0.45;
};
/// chip::PulseRun, played by hosts.
constexpr RunForm wide_runs{4096, 2147483648.0, 0x1p47 - 1.0, 2147483647.0};
/// chip::NarrowPulseRun, played by 8-bit chips: a gap within one turn of a 16-bit timer.
constexpr RunForm narrow_runs{255, 65535.0, 2147483647.0, 32767.0};
/// The same marked as slow (run_slow): for gaps beyond that.
constexpr RunForm slow_runs{255, 1'000'000.0, 16.0 * 2147483647.0, 16.0 * 32767.0, 16.0};

class RunFitter {
 public:
  /// @param made   the step the output stands on
  /// @param start  when the ramp begins
  /// @param form  with that of narrow_runs, slow ones where gaps are long
  /// @param grain  ticks, at least 1: steps come at whole multiples of it after the start, the next one after
  ///               their exact time; they must be at least so far apart
  RunFitter(const Ramp& ramp, std::int64_t made, chip::FineTick start, double ticks_per_second,
            std::int64_t grain = 1, const RunForm& form = wide_runs);

  /// The next run, with figures that its form can hold. All steps of a run go one way. @return false at the
  /// ramp's end
  bool next(chip::PulseRun& run);

  /// Where the last run ended, in time and in steps.
  [[nodiscard]] chip::FineTick end() const { return end_; }
  [[nodiscard]] std::int64_t made() const { return made_; }

 private:
  void refill();
  [[nodiscard]] const RunForm& form_for(double way) const;

  StepTimes times_;
  RunForm form_;
  RunForm slow_form_;
  chip::FineTick start_;
  double ticks_per_second_;
  double grain_;
  chip::FineTick end_;
  std::int64_t made_;
  std::vector<double> window_;  ///< exact times of steps not yet in a run, ticks since start_
  std::size_t first_ = 0;       ///< of window_ that is still to be used
  std::size_t last_ = 0;        ///< one beyond the last that is filled
  bool turns_next_ = false;     ///< beyond the window the ramp turns round or ends
  std::size_t guess_ = 16;
  int direction_ = 1;
};

}  // namespace cogstride
