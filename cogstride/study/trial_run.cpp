#include "cogstride/study/trial_run.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/excitation.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/study/side_by_side.hpp"

namespace cogstride {
namespace {

/// Watches one mechanism's asked and made positions.
class Watch final : public TraceSink {
 public:
  Watch(double lag_scale, double oscillation_scale, double speed)
      : lag_scale_(lag_scale), oscillation_scale_(oscillation_scale), speed_(speed) {}

  /// What came before does not count; oscillation does from `held_from` on, in s of the run.
  void start(double held_from) {
    held_from_ = held_from;
    worst_lag = 0.0;
  }

  void begin(const TraceLayout& layout) override { ticks_per_second_ = layout.ticks_per_second(); }
  void edge(Tick, LineId, bool) override {}
  void sample(Tick at, std::span<const double> values) override {
    const double seconds = static_cast<double>(at) / ticks_per_second_;
    worst_lag = std::max(worst_lag, lag_scale_ * std::abs(values[0] - values[1]));
    if (seconds < held_from_) return;
    const double beyond = values[1] - speed_ * seconds;
    low_ = std::min(low_, beyond);
    high_ = std::max(high_, beyond);
  }
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

  [[nodiscard]] double oscillation() const {
    return high_ > low_ ? oscillation_scale_ * (high_ - low_) : 0.0;
  }
  double worst_lag = 0.0;

 private:
  double lag_scale_;
  double oscillation_scale_;
  double speed_;  // display units/s
  double held_from_ = HUGE_VAL;
  double ticks_per_second_ = 1.0;
  double low_ = HUGE_VAL;
  double high_ = -HUGE_VAL;
};

}  // namespace

Rig set_free(const Rig& rig, const Mechanism& mechanism) {
  require_movable_stepper(mechanism);
  Rig freed = alone_on(rig, mechanism);
  Mechanism& alone = freed.mechanisms[0];
  alone.homing.reset();
  alone.sensors.clear();
  alone.hard_ends.reset();
  alone.limits.travel_from.reset();
  alone.limits.travel_to.reset();
  return freed;
}

std::vector<TrialRun> run_up_all(const std::vector<Rig>& freed, Time hold) {
  std::vector<TrialRun> trials(freed.size());
  side_by_side(freed.size(), [&](std::size_t i) { trials[i] = run_up(freed[i], hold); });
  return trials;
}

void bring_to_phase(SimulatedBench& bench, const Mechanism& mechanism, int phase) {
  constexpr double periods_at_rest = 8.0;
  StepperHandle stepper = bench.stepper(mechanism.name);
  stepper.hold();
  const std::int64_t in_full_step = steps_per_motor_turn(mechanism) / mechanism.stepper().full_steps;
  const std::int64_t away = phase * std::max<std::int64_t>(1, in_full_step / trial_phases);
  const OutputPosition by{output_kind(mechanism.train), Ratio(away) / steps_per_base(mechanism)};
  if (away != 0) stepper.move({.by = by}).wait();
  bench.serve(Time(periods_at_rest / natural_frequency(mechanism), units::s));
}

TrialRun run_up_from_all_phases(const Rig& freed, Time hold) {
  std::vector<TrialRun> runs(trial_phases);
  side_by_side(runs.size(), [&](std::size_t i) { runs[i] = run_up(freed, hold, static_cast<int>(i)); });
  TrialRun worst = runs[0];
  for (const TrialRun& run : runs) {
    worst.oscillation = std::max(worst.oscillation, run.oscillation);
    const bool is_worse = worst.holds ? !run.holds || run.worst_lag > worst.worst_lag
                                      : !run.holds && run.lost_at < worst.lost_at;
    if (!is_worse) continue;
    worst.holds = run.holds;
    worst.lost_at = run.lost_at;
    worst.worst_lag = run.worst_lag;
  }
  return worst;
}

TrialRun run_up(const Rig& freed, Time hold, int phase) {
  const Mechanism& mechanism = freed.mechanisms.at(0);
  const RampLimits limits = own_limits(mechanism);
  const double steps_per_unit =
      steps_per_base(mechanism).to_double() / display_units_per_base(output_kind(mechanism.train));
  const auto rows = static_cast<double>(excitation_of(mechanism).rows.size());
  const double ramp = plan_speed({}, limits.speed, limits).phases().back().start;
  Watch watch(steps_per_unit * 360.0 / rows, steps_per_unit * 4.0 / rows, limits.speed / steps_per_unit);
  SimulatedBench bench(freed, {.trace = &watch});
  if (phase != 0) bring_to_phase(bench, mechanism, phase);
  const double second = freed.controller.timer_clock.base().to_double();
  const double started = bench.now().base();
  watch.start(started + ramp + 0.33 * hold.base());
  const SteppedPlant& plant = bench.plant(mechanism.name);
  const std::int64_t lost_before = plant.lost_microsteps();
  const std::size_t slips_before = plant.slips().size();
  bench.stepper(mechanism.name).spin({.at = mechanism.limits.speed});
  TrialRun trial;
  const double end = ramp + hold.base();
  for (int part = 1; part <= 20 && trial.holds; ++part) {
    bench.serve(Time(end / 20.0, units::s));
    const auto slips = plant.slips();
    trial.holds = plant.lost_microsteps() == lost_before && slips.size() == slips_before;
    if (slips.size() > slips_before)
      trial.lost_at = static_cast<double>(slips[slips_before].at) / second - started;
  }
  trial.worst_lag = watch.worst_lag;
  trial.oscillation = watch.oscillation();
  return trial;
}

}  // namespace cogstride
