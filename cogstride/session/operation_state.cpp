#include "cogstride/session/operation_state.hpp"

#include <cmath>

#include "cogstride/motion/cast.hpp"
#include "cogstride/motion/devices/heard.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {
namespace {

std::optional<double> known(double value) {
  return std::isfinite(value) ? std::optional(value) : std::nullopt;
}

/// What it publishes by itself, under the names that all kinds use.
void take_signals(const Mover& mover, Tick now, MovedState& state) {
  const std::vector<TracedSignal> signals = mover.signals();
  std::vector<double> values(signals.size());
  mover.sample(now, values);
  for (std::size_t i = 0; i < signals.size(); ++i) {
    const TracedSignal& signal = signals[i];
    if (signal.name == "asked" && signal.unit != "%") {
      state.place = known(values[i]);
      state.place_unit = signal.unit;
    } else if (signal.name == "asked" || signal.name == "duty") {
      state.share = known(values[i]);
    } else if (signal.name == "measured_speed") {
      state.speed = known(values[i]);
      state.speed_unit = signal.unit;
    } else if (signal.name == "lag") {
      state.lag = known(values[i]);
    }
  }
}

MovedState state_of(Mover& mover, Tick now) {
  MovedState state;
  const Status status = mover.status(now);
  state.name = mover.name();
  state.doing = status.doing;
  state.asked = status.asked;
  state.obstacle = status.obstacle;
  state.is_driven = status.is_driven;
  state.counted = mover.counted(now);
  if (const Zeroed* const zeroed = mover.zeroed()) state.knows_zero = zeroed->knows_zero();
  take_signals(mover, now, state);
  const Mechanism* const parts = mover.parts();
  if (parts == nullptr) return state;
  const OutputKind kind = output_kind(parts->train);
  const double shown = display_units_per_base(kind);
  if (state.place_unit.empty() && mover.places() != nullptr) {
    if (const auto at = mover.places()->position(now)) state.place = at->base.to_double() * shown;
    state.place_unit = display_unit(kind, 0);
  }
  if (const std::optional<double> speed = mover.asked_speed(now)) {
    state.speed = *speed * shown;
    state.speed_unit = display_unit(kind, 1);
  }
  const Limits& limits = parts->limits;
  if (limits.travel_from && !state.place_unit.empty()) {
    state.from = limits.travel_from->base.to_double() * shown;
    state.to = limits.travel_to->base.to_double() * shown;
  }
  return state;
}

}  // namespace

OperationState state_of(const Rig& rig, const Cast& cast, Tick now) {
  OperationState state;
  state.at = static_cast<double>(now) / cast.clock.base().to_double();
  for (const auto* const all : {&cast.mechanisms, &cast.carts, &cast.shafts, &cast.guests})
    for (Mover* const mover : *all)
      if (mover != nullptr) state.moved.push_back(state_of(*mover, now));
  for (const Inputs::Input& input : cast.inputs->all())
    state.inputs.push_back({input.name, cast.inputs->acts(input.line), {}, {}});
  for (std::size_t i = 0; i < cast.heard->controls().size(); ++i) {
    const SaidControl& control = cast.heard->controls()[i];
    NamedState said{control.name, {}, {}, {}};
    const std::optional<std::int64_t> number = cast.heard->number(i);
    if (control.says == SaidControl::Says::hold) said.acts = cast.heard->is_held(i);
    if (control.says == SaidControl::Says::number) said.said = number;
    if (control.says == SaidControl::Says::share && number) said.share = 1e-3 * static_cast<double>(*number);
    if (control.says != SaidControl::Says::press) state.inputs.push_back(std::move(said));
  }
  for (std::size_t i = 0; i < rig.outputs.size(); ++i) {
    const double share = cast.outputs[i]->share();
    state.outputs.push_back({rig.outputs[i].name, share > 0.0, share, {}});
  }
  return state;
}

}  // namespace cogstride
