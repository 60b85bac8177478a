#include "cogstride/study/fastest_tried.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/study/move_trial.hpp"

namespace cogstride {
namespace {

/// Three figures of a share of an amount, downwards.
template <int PerTime>
OutputAmount<PerTime> softened(OutputAmount<PerTime> amount, double share) {
  amount.base = three_figures_below(amount.base.to_double() * share * display_units_per_base(amount.kind)) /
                Ratio(display_units_per_base(amount.kind));
  return amount;
}

}  // namespace

TriedFastest fastest_tried(const Rig& rig, const Mechanism& mechanism, OutputPosition from,
                           const MoveOrder& order, double margin) {
  if (margin > most_margin_told)
    throw RangeError(fmt::format("a margin of {:.0f} %: up to {:.0f} % is told of a move", margin * 100.0,
                                 most_margin_told * 100.0));
  const OutputPosition to = target_of(mechanism, from, order);
  const std::int64_t way = step_at(mechanism, to) - step_at(mechanism, from);
  Mechanism limited = mechanism;
  const auto tried = [&](FastestMove move) {
    limited.limits.speed = move.speed;
    limited.limits.acceleration = move.acceleration;
    MoveOrder plain;
    plain.to = to;
    const MovePlan plan = plan_move(limited, rig.controller, from, plain);
    move.seconds = plan.ramp.duration();
    return TriedFastest{move, try_move(rig, limited, plan, torque_margin(limited, plan.ramp))};
  };
  constexpr int searches = 4;
  constexpr double most = 0.9;
  double kept = margin;
  TriedFastest found;
  for (int i = 0; i < searches && kept <= most; ++i) {
    try {
      found = tried(fastest_move(mechanism, rig.controller, way, kept));
    } catch (const RangeError&) {
      if (i == 0) throw;
      break;  // nothing has so much more to spare
    }
    if (found.trial.margin >= margin) return found;
    kept = std::max(kept + 0.02, std::min(most, kept + margin - found.trial.margin));
  }
  // A band of speeds that the bench does not hold is gone below.
  for (int i = 0; i < 12; ++i) {
    found.move.speed = softened(found.move.speed, 0.88);
    found.move.acceleration = softened(found.move.acceleration, 0.88);
    found = tried(found.move);
    if (found.trial.margin >= margin) return found;
  }
  throw RangeError(fmt::format(
      "{}: no speed and acceleration were found that leave {:.0f} % of its torque on the simulated "
      "bench; the last, {} and {}, leave {:.0f} %",
      mechanism.name, margin * 100.0, to_text(found.move.speed), to_text(found.move.acceleration),
      found.trial.margin * 100.0));
}

}  // namespace cogstride
