#include "cogstride/study/sweep.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/study/trial_run.hpp"

namespace cogstride {
namespace {

constexpr double periods_held = 25.0;

Ratio exactly(double value) {
  const double scale = std::pow(10.0, std::max(0.0, 6.0 - std::ceil(std::log10(value))));
  return {std::llround(value * scale), std::llround(scale)};
}

class Sweep {
 public:
  Sweep(const Rig& rig, const Mechanism& mechanism, SweepOf of)
      : freed_(set_free(rig, mechanism)),
        of_(of),
        units_(display_units_per_base(output_kind(mechanism.train))),
        period_(1.0 / natural_frequency(mechanism)) {
    if (of == SweepOf::acceleration) freed_.mechanisms[0].limits.jerk.reset();
  }

  [[nodiscard]] double period() const { return period_; }
  /// Speed is bounded by the controller; an acceleration that reaches it within a quarter of a natural
  /// oscillation is a jump to the rotor, and a harder one is the same.
  [[nodiscard]] double most() const {
    if (of_ == SweepOf::acceleration)
      return units_ * freed_.mechanisms[0].limits.speed.base.to_double() / (0.25 * period_);
    return (freed_.controller.top_step_rate.base() / steps_per_base(freed_.mechanisms[0])).to_double() *
           units_;
  }

  [[nodiscard]] SweepTrial on_bench(double value) {
    set(value);
    const TrialRun run = run_up_from_all_phases(freed_, Time(periods_held * period_, units::s));
    return {value, run.holds, run.worst_lag, run.lost_at};
  }

  [[nodiscard]] SweepTrial predicted(double value) {
    set(value);
    const Mechanism& mechanism = freed_.mechanisms[0];
    const RampLimits limits = own_limits(mechanism);
    const RotorLag lag = follow(mechanism, plan_speed({}, limits.speed, limits));
    return {value, lag.holds, lag.worst, lag.holds ? 0.0 : lag.worst_at};
  }

  /// Natural periods for which the run-up keeps its full acceleration.
  [[nodiscard]] double periods_at_full(double value) {
    set(value);
    const RampLimits limits = own_limits(freed_.mechanisms[0]);
    double seconds = 0.0;
    const Ramp ramp = plan_speed({}, limits.speed, limits);
    for (const RampPhase& phase : ramp.phases()) {
      if (phase.jerk == 0.0 && phase.acceleration > 0.999 * limits.acceleration) seconds += phase.duration;
    }
    return seconds / period_;
  }

 private:
  void set(double value) {
    Limits& limits = freed_.mechanisms[0].limits;
    if (of_ == SweepOf::acceleration) {
      limits.acceleration.base = exactly(value) / Ratio(units_);
    } else {
      limits.speed.base = exactly(value) / Ratio(units_);
    }
  }

  Rig freed_;
  SweepOf of_;
  int units_;
  double period_;
};

/// The highest value that holds, to `fine`, begun at `guess`. @return below 0 when none does
template <class Holds>
double highest_that_holds(double guess, double most, double fine, const Holds& holds) {
  double sound = 0.0;
  double lossy = 0.0;
  double tried = std::min(guess, most);
  while (sound == 0.0 || lossy == 0.0) {
    if (holds(tried)) {
      sound = tried;
      if (tried == most) return most;
      tried = std::min(most, tried * 1.25);
    } else {
      lossy = tried;
      tried *= 0.8;
      if (tried < 1e-3 * guess) return -1.0;
    }
    if (sound > 1e4 * guess) return sound;
  }
  while (lossy > fine * sound) {
    const double middle = 0.5 * (sound + lossy);
    (holds(middle) ? sound : lossy) = middle;
  }
  return sound;
}

double lowest_that_lost(const std::vector<SweepTrial>& trials) {
  double lowest = HUGE_VAL;
  for (const SweepTrial& trial : trials)
    if (!trial.holds) lowest = std::min(lowest, trial.value);
  return lowest;
}

}  // namespace

SweepResult sweep_limit(const Rig& rig, const Mechanism& mechanism, SweepOf of,
                        const std::function<void(const SweepTrial&)>& on_trial) {
  Sweep sweep(rig, mechanism, of);
  const OutputKind kind = output_kind(mechanism.train);
  const int units = display_units_per_base(kind);
  SweepResult result;
  result.mechanism = mechanism.name;
  result.guesses = mechanism.guesses;
  result.of = of;
  result.phases = trial_phases;
  result.unit = display_unit(kind, of == SweepOf::acceleration ? 2 : 1);
  result.rig_says = units * (of == SweepOf::acceleration ? mechanism.limits.acceleration.base.to_double()
                                                         : mechanism.limits.speed.base.to_double());
  result.natural_period = sweep.period();
  result.predicted = highest_that_holds(result.rig_says, sweep.most(), 1.002,
                                        [&](double value) { return sweep.predicted(value).holds; });
  const auto try_out = [&](double value) {
    result.trials.push_back(sweep.on_bench(value));
    if (on_trial) on_trial(result.trials.back());
    return result.trials.back().holds;
  };
  const double guess = result.predicted > 0.0 ? result.predicted : result.rig_says;
  result.found = highest_that_holds(guess, sweep.most(), 1.01, try_out);
  if (result.found > 0.0 && 1.15 * result.found <= sweep.most()) (void)try_out(1.15 * result.found);
  // No isolated success counts: below what was found, everything holds.
  for (bool goes_down = true; goes_down && result.found > 0.0;) {
    goes_down = false;
    const double top = result.found;
    for (const double share : {0.97, 0.94, 0.9, 0.85, 0.8, 0.72, 0.65, 0.57, 0.5, 0.4, 0.3}) {
      if (try_out(share * top)) continue;
      result.found = highest_that_holds(0.97 * share * top, share * top, 1.01, try_out);
      goes_down = true;
      break;
    }
    const double lowest_lost = lowest_that_lost(result.trials);
    if (result.found > lowest_lost) {
      result.found = highest_that_holds(0.97 * lowest_lost, lowest_lost, 1.01, try_out);
      goes_down = true;
    }
  }
  if (result.found < 0.0 || result.predicted < 0.0)
    throw RangeError(
        fmt::format("{}: it does not move without losing steps, however gently", mechanism.name));
  result.is_limit = std::any_of(result.trials.begin(), result.trials.end(),
                                [](const SweepTrial& trial) { return !trial.holds; });
  std::sort(result.trials.begin(), result.trials.end(),
            [](const SweepTrial& a, const SweepTrial& b) { return a.value < b.value; });
  constexpr int points = 60;
  const double top = std::min(1.2 * std::max(result.found, result.predicted), sweep.most());
  for (int i = 1; i <= points; ++i) {
    result.predicted_lags.push_back(sweep.predicted(top * (0.2 + 0.8 * i / points)));
    if (!result.predicted_lags.back().holds) break;
  }
  result.periods_at_full = sweep.periods_at_full(result.found);
  return result;
}

}  // namespace cogstride
