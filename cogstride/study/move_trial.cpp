#include "cogstride/study/move_trial.hpp"

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/study/side_by_side.hpp"
#include "cogstride/study/trial_run.hpp"

namespace cogstride {
namespace {

constexpr double longest_cruise = 1.5;   // s: an instability has grown by then
constexpr double cruise_periods = 60.0;  // natural ones, where that is longer
constexpr double longest_ramps = 4.0;    // s, tried in all combinations; longer ones in three of them
constexpr double periods_at_rest = 8.0;  // after the move
constexpr double least_share = (1.0 - most_margin_told) / (1.0 + trial_reserve);  // of the torque, tried
constexpr double most_share = 5.0;
// From share to share: its natural frequency goes with the root of it, and is no further off than a band of
// speeds.
constexpr double downwards = (1.0 - trial_speed_band) * (1.0 - trial_speed_band) /
                             ((1.0 + trial_speed_band) * (1.0 + trial_speed_band));
constexpr double fine = 1.03;  // the share that is needed is found to 3 %
constexpr std::array speed_factors{1.0, 1.0 - trial_speed_band, 1.0 + trial_speed_band};

/// One way of making the move.
struct Variant {
  int phase = 0;
  double speed_factor = 1.0;
};

class MoveOnBench {
 public:
  MoveOnBench(const Rig& rig, const Mechanism& mechanism, const MovePlan& plan)
      : freed_(set_free(rig, mechanism)),
        steps_per_base_(steps_per_base(mechanism)),
        way_(plan.to_step - plan.from_step),
        speed_(plan.ramp.peak_speed()),
        coarsest_(0.999999 * rig.controller.timer_clock.base().to_double() /
                  static_cast<double>(step_grain(mechanism, rig.controller))) {
    Mechanism& alone = freed_.mechanisms[0];
    // Tried a little faster, too: a trial is bound by nothing but its physics.
    freed_.controller.top_step_rate = freed_.controller.top_step_rate * Ratio(2);
    period_ = 1.0 / natural_frequency(alone);
    limits_ = plan.limits;
    double cruise = 0.0;
    double at = 0.0;
    for (const RampPhase& phase : plan.ramp.phases()) {
      if (!phase.is_cruise()) continue;
      cruise += phase.duration;
      at = phase.from_speed;
    }
    cruise_ = std::min(cruise, std::max(longest_cruise, cruise_periods * period_));
    shortened_ = cruise_ < cruise;
    ramps_ = plan.ramp.duration() - cruise;
    const auto left_out = static_cast<std::int64_t>((cruise - cruise_) * at);
    way_ -= way_ < 0 ? -left_out : left_out;
  }

  [[nodiscard]] bool is_long() const { return ramps_ > longest_ramps; }
  [[nodiscard]] double cruise() const { return cruise_; }
  [[nodiscard]] bool shortened() const { return shortened_; }
  /// steps/s; a controller that times its steps coarsely makes no shorter interval.
  [[nodiscard]] double speed_of(double factor) const { return std::min(speed_ * factor, coarsest_); }

  [[nodiscard]] bool holds(const Variant& variant, double share) const {
    Rig rig = freed_;
    Mechanism& alone = rig.mechanisms[0];
    alone = with_torque_share(alone, share);
    const OutputKind kind = output_kind(alone.train);
    const double speed = speed_of(variant.speed_factor);
    alone.limits.speed = {kind, exactly(speed) / steps_per_base_};
    alone.limits.acceleration = {kind, exactly(limits_.acceleration) / steps_per_base_};
    alone.limits.start_speed = {kind, exactly(std::min(limits_.start_speed, speed)) / steps_per_base_};
    SimulatedBench bench(rig, {.seed = static_cast<std::uint64_t>(1 + variant.phase)});
    bring_to_phase(bench, alone, variant.phase);
    StepperHandle stepper = bench.stepper(alone.name);
    const SteppedPlant& plant = bench.plant(alone.name);
    const Time rest(periods_at_rest * period_, units::s);
    const std::int64_t lost_before = plant.lost_microsteps();
    const std::size_t slips_before = plant.slips().size();
    // Later in the oscillation by a third of it: that much more way at top speed.
    const auto later =
        cruise_ > 0.0 ? static_cast<std::int64_t>(variant.phase * period_ * speed_ / trial_phases) : 0;
    const Motion motion = stepper.move({.by = steps(way_ < 0 ? way_ - later : way_ + later)});
    const auto lost = [&] {
      return plant.lost_microsteps() != lost_before || plant.slips().size() != slips_before;
    };
    while (!motion.has_ended() && !lost()) bench.serve(rest);
    bench.serve(rest);
    return !lost();
  }

 private:
  /// Of steps a second; parts in 2^53 do not count here.
  static Ratio exactly(double value) {
    const double grains = std::max(1.0, std::exp2(std::floor(40.0 - std::log2(std::max(value, 1.0)))));
    return {std::llround(value * grains), std::llround(grains)};
  }
  [[nodiscard]] OutputPosition steps(std::int64_t count) const {
    return {output_kind(freed_.mechanisms[0].train), Ratio(count) / steps_per_base_};
  }

  Rig freed_;
  Ratio steps_per_base_;
  std::int64_t way_;
  double speed_;     // steps/s, the most that the move reaches
  double coarsest_;  // steps/s, that whole intervals make at the most
  RampLimits limits_;
  double period_ = 0.0;
  double cruise_ = 0.0;
  double ramps_ = 0.0;
  bool shortened_ = false;
};

/// Whether all of them hold at a share, tried side by side.
bool all_hold(const MoveOnBench& move, const std::vector<Variant>& variants, double share) {
  std::atomic<bool> held{true};
  side_by_side(variants.size(), [&](std::size_t i) {
    if (held && !move.holds(variants[i], share)) held = false;
  });
  return held;
}

/// Between a share that holds and one that does not.
template <class Hold>
double narrowed(double held, double lost, const Hold& hold) {
  while (held > fine * lost) {
    const double middle = std::sqrt(held * lost);
    (hold(middle) ? held : lost) = middle;
  }
  return held;
}

/// The least share that holds, as do all tried above it: looked for from 1 downwards, so that none counts as
/// enough above which one is not.
template <class Hold>
double least_below_all(double expected, const Hold& hold) {
  double held = 1.0;
  while (held > least_share) {
    const double next =
        std::max(least_share, held > 1.001 * expected ? std::max(expected, downwards * held) : 0.9 * held);
    if (!hold(next)) return narrowed(held, next, hold);
    held = next;
  }
  return held;
}

/// The same where all of its torque is not enough.
template <class Hold>
double least_above_all(const Hold& hold) {
  double lost = 1.0;
  while (lost < most_share) {
    const double next = std::min(most_share, 1.3 * lost);
    if (hold(next)) return narrowed(next, lost, hold);
    lost = next;
  }
  return most_share;
}

}  // namespace

Mechanism with_torque_share(Mechanism mechanism, double share) {
  Load& load = mechanism.load;
  load.inertia = load.inertia / share;
  if (load.most_inertia) load.most_inertia = *load.most_inertia / share;
  load.carried_mass = load.carried_mass / share;
  load.coulomb_friction = load.coulomb_friction / share;
  load.stiction = load.stiction / share;
  load.viscous_friction = load.viscous_friction / share;
  load.steady_torque = load.steady_torque / share;
  if (auto* const stepper = std::get_if<Stepper>(&mechanism.motor))
    stepper->detent_torque = stepper->detent_torque / share;
  return mechanism;
}

MoveTrial try_move(const Rig& rig, const Mechanism& mechanism, const MovePlan& plan, double estimated) {
  const MoveOnBench move(rig, mechanism, plan);
  std::vector<Variant> variants;
  for (int i = 0; i < trial_phases; ++i) {
    for (std::size_t k = 0; k < speed_factors.size(); ++k)
      if (!move.is_long() || static_cast<int>(k) == i) variants.push_back({i, speed_factors[k]});
  }
  MoveTrial trial;
  trial.phases = trial_phases;
  trial.cruise_tried = move.cruise();
  trial.shortened = move.shortened();
  const double units =
      display_units_per_base(output_kind(mechanism.train)) / steps_per_base(mechanism).to_double();
  trial.slowest = units * move.speed_of(1.0 - trial_speed_band);
  trial.fastest = units * move.speed_of(1.0 + trial_speed_band);
  trial.ways = static_cast<int>(variants.size());
  const auto hold = [&](double share) {
    ++trial.shares;
    return all_hold(move, variants, share);
  };
  trial.holds = hold(1.0);
  const double enough = 1.0 - estimated - margin_for_what_differs;
  const double needed =
      trial.holds ? least_below_all(std::clamp(enough, least_share, 0.98), hold) : least_above_all(hold);
  trial.is_more = needed <= least_share;
  trial.margin = trial.is_more ? most_margin_told : 1.0 - needed * (1.0 + trial_reserve);
  return trial;
}

}  // namespace cogstride
