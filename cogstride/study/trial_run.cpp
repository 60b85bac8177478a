#include "cogstride/study/trial_run.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/excitation.hpp"
#include "cogstride/study/side_by_side.hpp"

namespace cogstride {
namespace {

/// Watches one mechanism's asked and made positions.
class Watch final : public TraceSink {
 public:
  Watch(double lag_scale, double oscillation_scale, double speed, double held_from)
      : lag_scale_(lag_scale), oscillation_scale_(oscillation_scale), speed_(speed), held_from_(held_from) {}

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
  double held_from_;
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

TrialRun run_up(const Rig& freed, Time hold) {
  const Mechanism& mechanism = freed.mechanisms.at(0);
  const RampLimits limits = own_limits(mechanism);
  const double steps_per_unit =
      steps_per_base(mechanism).to_double() / display_units_per_base(output_kind(mechanism.train));
  const auto rows = static_cast<double>(excitation_of(mechanism).rows.size());
  const double ramp = plan_speed({}, limits.speed, limits).phases().back().start;
  Watch watch(steps_per_unit * 360.0 / rows, steps_per_unit * 4.0 / rows, limits.speed / steps_per_unit,
              ramp + 0.33 * hold.base());
  SimulatedBench bench(freed, {.trace = &watch});
  bench.stepper(mechanism.name).spin({.at = mechanism.limits.speed});
  TrialRun trial;
  const double end = ramp + hold.base();
  for (int part = 1; part <= 20 && trial.holds; ++part) {
    bench.serve(Time(end / 20.0, units::s));
    const MoverVerdict verdict = bench.verdict().movers[0];
    trial.holds = verdict.figure("lost_microsteps") == 0.0 && verdict.moments.empty();
    if (!verdict.moments.empty())
      trial.lost_at =
          static_cast<double>(verdict.moments[0].at) / freed.controller.timer_clock.base().to_double();
  }
  trial.worst_lag = watch.worst_lag;
  trial.oscillation = watch.oscillation();
  return trial;
}

}  // namespace cogstride
