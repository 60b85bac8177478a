#include "cogstride/plant/contact.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/lines/noise.hpp"

namespace cogstride {

ContactPlace::ContactPlace(const PlaceSwitch& place_switch, bool on_a_ring, std::uint64_t seed,
                           ExactFrequency clock)
    : line_(static_cast<LineId>(place_switch.line)),
      active_level_(place_switch.active == ActiveLevel::high),
      is_window_(place_switch.is_window),
      on_a_ring_(on_a_ring),
      spread_(place_switch.noise.base.to_double()),
      seed_(seed),
      bounce_(place_switch.bounce ? std::llround(place_switch.bounce->base() * clock.base().to_double())
                                  : 0) {
  if (is_window_) {
    const double from = place_switch.window_from.base.to_double();
    const double to = place_switch.window_to.base.to_double();
    acts_at_ = (from + to) / 2.0;
    half_width_ = (to - from) / 2.0;
    hysteresis_ = place_switch.hysteresis.base.to_double();
  } else {
    acts_at_ = place_switch.acts_at.base.to_double();
    releases_at_ = place_switch.releases_at.base.to_double();
    side_ = place_switch.is_low_end() ? 1.0 : -1.0;
  }
}

/// How deep inside the place of acting (or of not yet releasing) a position is.
double ContactPlace::depth(double position, bool for_release) const {
  if (!is_window_) return side_ * ((for_release ? releases_at_ : acts_at_) - position);
  double off = position - acts_at_;
  if (on_a_ring_) off -= std::round(off);
  return half_width_ + (for_release ? hysteresis_ : 0.0) - std::abs(off);
}

ContactPlace::State ContactPlace::settled_at(double position) const {
  State state;
  state.acts = depth(position, false) > 0.0;
  state.level = state.acts == active_level_;
  draw_noise(state);
  return state;
}

void ContactPlace::draw_noise(State& state) const {
  state.noise = spread_ * normal_noise(seed_, static_cast<std::uint64_t>(line_), state.edges);
}

double ContactPlace::beyond(const State& state, double position) const {
  const double inside = depth(position, state.acts) + state.noise;
  return state.acts ? -inside : inside;
}

std::optional<LineEdge> ContactPlace::show(State& state, Tick now, bool acts) const {
  const bool level = (state.stuck ? *state.stuck : acts) == active_level_;
  if (level == state.level) return std::nullopt;
  state.level = level;
  return LineEdge{now, line_, level};
}

std::optional<LineEdge> ContactPlace::change(State& state, Tick now) const {
  state.acts = !state.acts;
  ++state.edges;
  draw_noise(state);
  state.chatter_left = 0;
  if (bounce_ > 0) {
    // An even number of further changes, at any instants of a share of the longest bounce.
    const std::uint64_t source = 0x10000u + static_cast<std::uint64_t>(line_);
    const double lasts =
        static_cast<double>(bounce_) * (0.3 + 0.7 * even_noise(seed_, source, 8 * state.edges));
    const std::size_t pairs = 1 + mixed_word(seed_, source, 8 * state.edges + 1) % 3;
    state.chatter_left = 2 * pairs;
    for (std::size_t i = 0; i < state.chatter_left; ++i)
      state.chatter[i] =
          now + 1 + static_cast<Tick>(lasts * even_noise(seed_, source, 8 * state.edges + 2 + i));
    // The latest first: they are taken from the end.
    std::sort(state.chatter.begin(), state.chatter.begin() + static_cast<std::ptrdiff_t>(state.chatter_left),
              std::greater<>());
  }
  return show(state, now, state.acts);
}

Tick ContactPlace::next_chatter(const State& state) {
  return state.chatter_left > 0 ? state.chatter[state.chatter_left - 1] : never;
}

std::optional<LineEdge> ContactPlace::chatter(State& state, Tick now) const {
  --state.chatter_left;
  const bool away_from_place = state.chatter_left % 2 == 1;
  return show(state, now, state.acts != away_from_place);
}

std::optional<LineEdge> ContactPlace::stick(State& state, Tick now, std::optional<bool> acts) const {
  state.stuck = acts;
  return show(state, now, state.acts);
}

}  // namespace cogstride
