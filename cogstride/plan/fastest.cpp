#include "cogstride/plan/fastest.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {
namespace {

class Search {
 public:
  Search(const Mechanism& mechanism, std::int64_t way, double margin)
      : mechanism_(mechanism),
        own_(own_limits(mechanism)),
        way_(way),
        margin_(margin),
        share_(1.0 - margin - margin_for_what_differs),
        period_(1.0 / natural_frequency(mechanism)) {}

  /// Limits with the hardest acceleration that holds at `speed`; acceleration 0 when none does.
  [[nodiscard]] RampLimits at(double speed) const {
    RampLimits limits = own_;
    limits.speed = speed;
    double sound = 0.0;
    double lossy = 0.0;
    const double quarter = 0.25 * period_;
    const double a_jump = std::min(speed, static_cast<double>(std::abs(way_)) / quarter) / quarter;
    for (double tried = std::min(own_.acceleration, a_jump); lossy == 0.0;
         tried = std::min(a_jump, 2.0 * tried)) {
      limits.acceleration = tried;
      (holds(limits) ? sound : lossy) = tried;
      if (sound == a_jump) return limits;
    }
    while (sound == 0.0 && lossy > 1e-4 * own_.acceleration) {
      limits.acceleration = 0.5 * lossy;
      (holds(limits) ? sound : lossy) = limits.acceleration;
    }
    while (sound > 0.0 && lossy > 1.02 * sound) {
      limits.acceleration = 0.5 * (sound + lossy);
      (holds(limits) ? sound : lossy) = limits.acceleration;
    }
    limits.acceleration = sound;
    return limits;
  }

  [[nodiscard]] double seconds(const RampLimits& limits) const {
    return limits.acceleration > 0.0 ? plan_ramp({}, way_, limits).duration() : HUGE_VAL;
  }
  [[nodiscard]] bool holds(const RampLimits& limits) const {
    return follow(mechanism_, plan_ramp({}, way_, limits), share_).holds;
  }

  /// A little softer, when with more torque than it was found with it meets an oscillation at a bad moment.
  /// Acceleration 0 when that does not help, or when it takes `longest` or more.
  [[nodiscard]] RampLimits made_sure(RampLimits limits, double longest) const {
    for (int i = 0; i < 8 && seconds(limits) < longest; ++i) {
      if (has_margin(limits)) return limits;
      limits.acceleration *= 0.9;
    }
    limits.acceleration = 0.0;
    return limits;
  }
  [[nodiscard]] bool has_margin(const RampLimits& limits) const {
    return torque_margin(mechanism_, plan_ramp({}, way_, limits)) >= margin_;
  }

 private:
  const Mechanism& mechanism_;
  RampLimits own_;
  std::int64_t way_;
  double margin_;
  double share_;
  double period_;  // s, natural
};

/// No more speed and acceleration than the move makes use of.
RampLimits trimmed(RampLimits limits, std::int64_t way) {
  const Ramp ramp = plan_ramp({}, way, limits);
  double most = 0.0;
  for (const RampPhase& phase : ramp.phases())
    most = std::max({most, phase.acceleration, phase.fast_acceleration()});
  limits.speed = std::min(limits.speed, 1.002 * ramp.peak_speed());
  limits.acceleration = std::min(limits.acceleration, 1.002 * most);
  return limits;
}

}  // namespace

Ratio three_figures_below(double value) {
  const double power = std::floor(std::log10(value)) - 2.0;
  const auto digits = static_cast<std::int64_t>(std::floor(value / std::pow(10.0, power) * (1.0 + 1e-12)));
  const auto scale = static_cast<std::int64_t>(std::llround(std::pow(10.0, std::abs(power))));
  return power < 0.0 ? Ratio(digits, scale) : Ratio(digits) * Ratio(scale);
}

FastestMove fastest_move(const Mechanism& mechanism, const Controller& controller, std::int64_t way_steps,
                         double margin) {
  require_movable_stepper(mechanism);
  if (way_steps == 0)
    throw RangeError(fmt::format("{}: a move of no way is as fast as can be", mechanism.name));
  if (!(margin >= 0.0 && margin <= 0.9))
    throw RangeError(fmt::format("a margin of {:.0f} %: it may be 0 % to 90 %", margin * 100.0));
  const Search search(mechanism, way_steps, margin);
  const double most = controller.top_step_rate.base().to_double();
  RampLimits best;
  double best_seconds = HUGE_VAL;
  const auto look_at = [&](double speed) {
    const RampLimits limits = search.made_sure(search.at(speed), best_seconds);
    const double seconds = search.seconds(limits);
    if (seconds >= best_seconds) return;
    best = limits;
    best_seconds = seconds;
  };
  constexpr double finer = 1.25;
  // Slower than the mean speed of the best there is no use looking.
  const double way = static_cast<double>(std::abs(way_steps));
  for (double speed = most; speed > 1e-4 * most && way / speed < best_seconds; speed /= finer) look_at(speed);
  const double middle = best.speed;
  for (const double factor : {0.88, 0.94, 1.06, 1.12})
    if (middle > 0.0 && middle * factor < most) look_at(middle * factor);
  if (best_seconds == HUGE_VAL) {
    throw RangeError(
        fmt::format("{}: at no speed are {:.0f} % of its torque to spare", mechanism.name, margin * 100.0));
  }
  const double steps_per_unit =
      steps_per_base(mechanism).to_double() / display_units_per_base(output_kind(mechanism.train));
  const Ratio units(display_units_per_base(output_kind(mechanism.train)));
  const OutputKind kind = output_kind(mechanism.train);
  // Rounded to what one writes down; where that meets an oscillation at a bad moment, a little slower.
  FastestMove fastest;
  for (int i = 0; i < 20; ++i) {
    best = trimmed(best, way_steps);
    fastest.speed = {kind, three_figures_below(best.speed / steps_per_unit) / units};
    fastest.acceleration = {kind, three_figures_below(best.acceleration / steps_per_unit) / units};
    RampLimits rounded = best;
    rounded.speed = steps_per_time(mechanism, fastest.speed);
    rounded.acceleration = steps_per_time(mechanism, fastest.acceleration);
    fastest.seconds = search.seconds(rounded);
    if (search.has_margin(rounded)) return fastest;
    best.speed *= 0.97;
    best.acceleration *= 0.97;
  }
  throw RangeError(fmt::format("{}: no figures near {} hold with {:.0f} % of its torque to spare",
                               mechanism.name, to_text(fastest.speed), margin * 100.0));
}

}  // namespace cogstride
