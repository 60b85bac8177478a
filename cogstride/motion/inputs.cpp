#include "cogstride/motion/inputs.hpp"

#include <algorithm>

namespace cogstride {

Inputs::Inputs(std::vector<Input> inputs) : inputs_(std::move(inputs)), states_(inputs_.size()) {}

std::size_t Inputs::place_of(LineId line) const {
  const auto found =
      std::find_if(inputs_.begin(), inputs_.end(), [&](const Input& input) { return input.line == line; });
  return static_cast<std::size_t>(found - inputs_.begin());
}

std::optional<bool> Inputs::acts(LineId line) const {
  const std::size_t place = place_of(line);
  return place < states_.size() ? states_[place].acts : std::nullopt;
}

Tick Inputs::since(LineId line) const {
  const std::size_t place = place_of(line);
  return place < states_.size() ? states_[place].since : never;
}

const Inputs::Input* Inputs::find(const std::string& name) const {
  const auto found =
      std::find_if(inputs_.begin(), inputs_.end(), [&](const Input& input) { return input.name == name; });
  return found == inputs_.end() ? nullptr : &*found;
}

bool Inputs::are_known() const {
  return std::all_of(states_.begin(), states_.end(),
                     [](const State& state) { return state.acts.has_value(); });
}

Tick Inputs::next_act() const {
  if (!asked_) return inputs_.empty() ? never : 0;
  Tick soonest = never;
  for (const State& state : states_) soonest = std::min(soonest, state.steady_at);
  return soonest;
}

void Inputs::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    for (const Input& input : inputs_)
      lines.sample(static_cast<SourceId>(input.line), lines.now() + lines.lead(), 0);
  }
  for (const Reading& reading : readings) {
    const std::size_t place = place_of(static_cast<LineId>(reading.source));
    if (place == inputs_.size()) continue;
    State& state = states_[place];
    state.raw = (reading.raw != 0) == inputs_[place].active_high;
    if (!state.acts) {
      state.acts = state.raw;
      state.since = reading.at;
    }
    // A level that has come back before it counted leaves nothing behind.
    const Tick steady = state.raw ? inputs_[place].steady_for : inputs_[place].released_for;
    state.steady_at = state.raw == *state.acts ? never : reading.at + steady;
  }
  for (State& state : states_) {
    if (state.steady_at > lines.now()) continue;
    state.acts = state.raw;
    state.since = lines.now();
    state.steady_at = never;
  }
}

}  // namespace cogstride
