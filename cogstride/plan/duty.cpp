#include "cogstride/plan/duty.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

/// What of a slope between two duties of one sign takes time: the part above the lowest duty.
double slope(double from, double to, double lowest) {
  return std::abs(std::max(std::abs(from), lowest) - std::max(std::abs(to), lowest));
}

/// Where a slope begins or ends that leads to or from no drive: at the lowest duty.
double jumped(double duty, double other, double lowest) {
  return duty == 0.0 ? std::copysign(lowest, other) : duty;
}

void require_duty(double to, const DutyLimits& limits) {
  const double size = std::abs(require_finite(to, "a duty"));
  if (size > limits.highest + 1e-12)
    throw RangeError(fmt::format("a duty of {:.4g} % is over the highest, {:.4g} %", 100.0 * size,
                                 100.0 * limits.highest));
  if (size > 0.0 && size < limits.lowest - 1e-12)
    throw RangeError(fmt::format("a duty of {:.4g} % does not turn it: the lowest that does is {:.4g} %",
                                 100.0 * size, 100.0 * limits.lowest));
}

}  // namespace

chip::Tick on_ticks(double share, chip::Tick period, chip::Tick grain) {
  if (share >= 1.0) return period;
  if (!(share > 0.0)) return 0;
  const double grains = share * static_cast<double>(period) / static_cast<double>(grain);
  return std::min<chip::Tick>(period, std::llround(grains) * grain);
}

DutyLimits duty_limits(const Mechanism& mechanism) {
  const RotaryMotorModel model = model_of(mechanism);
  const Limits& given = mechanism.limits;
  DutyLimits limits;
  if (given.lowest_duty) limits.lowest = given.lowest_duty->base().to_double();
  if (given.highest_duty) limits.highest = given.highest_duty->base().to_double();
  limits.full_ramp = given.full_ramp.base();
  if (given.reversal_pause) {
    limits.pause = given.reversal_pause->base();
  } else {
    const double full = std::max(0.0, (model.supply * limits.highest - model.drop) / model.emf);
    limits.pause = spin_down_time(model, full, given.slows_by);
  }
  return limits;
}

double duty_of_fraction(double fraction, const DutyLimits& limits) {
  const double size = std::abs(require_finite(fraction, "a fraction of what it may be given"));
  if (size > 1.0)
    throw RangeError(
        fmt::format("a fraction of {:.6g}: -1 to 1 of what it may be given can be had", fraction));
  if (!(size > 0.0)) return 0.0;
  return std::copysign(limits.lowest + (limits.highest - limits.lowest) * size, fraction);
}

double DutyPlan::duration() const {
  double seconds = 0.0;
  for (std::size_t i = 0; i < count_; ++i) seconds += pieces_[i].seconds;
  return seconds;
}

double DutyPlan::duty_at(double seconds) const {
  if (count_ == 0) return 0.0;
  if (seconds >= duration()) return end();  // whatever is left of the last piece by rounding
  for (std::size_t i = 0; i < count_; ++i) {
    const Piece& piece = pieces_[i];
    if (seconds < piece.seconds) {
      const double done = std::max(0.0, seconds) / piece.seconds;
      return piece.from + done * (piece.to - piece.from);
    }
    seconds -= piece.seconds;
  }
  return end();
}

DutyPlan plan_duty(double from, double to, const DutyLimits& limits, std::optional<double> ramp,
                   double wait) {
  require_duty(to, limits);
  require_finite(from, "a duty");
  require_finite(wait, "a time before a change of duty, s");
  if (ramp) require_finite(*ramp, "the time of a change of duty, s");
  DutyPlan plan;
  const bool reverses = from * to < 0.0;
  const double down = reverses || to == 0.0 ? slope(from, 0.0, limits.lowest) : 0.0;
  const double up = reverses || from == 0.0 ? slope(0.0, to, limits.lowest) : 0.0;
  const double across = down + up > 0.0 || reverses ? 0.0 : slope(from, to, 0.0);
  const double ways = down + up + across;
  const double least = ways * limits.full_ramp;
  if (ramp && *ramp < least * (1.0 - 1e-9))
    throw RangeError(fmt::format("from {:.4g} % to {:.4g} % takes at least {:.4g} s (limits.full_ramp)",
                                 100.0 * from, 100.0 * to, least));
  const double seconds = ramp.value_or(least);
  const double each = ways > 0.0 ? seconds / ways : 0.0;
  if (reverses) {
    plan.add({from, std::copysign(limits.lowest, from), down * each});
    plan.add({0.0, 0.0, limits.pause});
    plan.add({std::copysign(limits.lowest, to), to, up * each});
  } else if (to == 0.0) {
    plan.add({from, jumped(0.0, from, limits.lowest), down * each});
    plan.add({0.0, 0.0, 0.0});
  } else {
    if (from == 0.0 && wait > 0.0) plan.add({0.0, 0.0, wait});
    plan.add({jumped(from, to, limits.lowest), to, ways > 0.0 ? seconds : 0.0});
  }
  return plan;
}

}  // namespace cogstride
