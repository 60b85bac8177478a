#include "cogstride/plant/pulse_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/board/line_levels.hpp"

namespace cogstride {
namespace {
// Widths that can be a message, s: what lies outside is a disturbance.
constexpr double shortest_message = 0.3e-3;
constexpr double longest_message = 3.0e-3;
constexpr double coarsest_step = 5e-4;  // s
}  // namespace

PulsePlant::PulsePlant(const Mechanism& mechanism, const Setup& setup)
    : line_(line_id(std::get<PulseWidthWiring>(mechanism.wiring).pulse)),
      scale_(mechanism),
      ticks_per_second_(setup.bench.clock.base().to_double()),
      volts_(mechanism.supply.voltage.base()),
      stands_(std::numeric_limits<double>::infinity()),
      step_ticks_(std::max<Tick>(1, std::llround(coarsest_step * ticks_per_second_))),
      lost_after_(std::llround(signal_lost_after * ticks_per_second_)),
      is_deaf_(setup.bench.is_deaf),
      events_(setup.bench.events) {
  state_.input.active_high = std::get<PulseWidthWiring>(mechanism.wiring).pulse.active == ActiveLevel::high;
  if (setup.heat.thermal_resistance && setup.heat.heat_capacity) {
    resistance_to_air_ = setup.heat.thermal_resistance->base();
    heat_time_constant_ = resistance_to_air_ * setup.heat.heat_capacity->base();
  }
  if (const auto most = cogstride::highest_rise(mechanism, setup.heat)) stands_ = *most;
}

void PulsePlant::hear(LineId, bool high) {
  if (!state_.is_wired || is_deaf_) return;
  const std::optional<Tick> width = state_.input.hear(state_.now, high);
  if (!width) return;
  const double seconds = static_cast<double>(*width) / ticks_per_second_;
  if (seconds < shortest_message || seconds > longest_message) return;
  state_.last_pulse = state_.now;
  ++state_.pulses;
  state_.settled = false;
  if (state_.is_powered) take_pulse(seconds);
}

void PulsePlant::befall(const Event& event) {
  state_.settled = false;
  if (event.kind == Event::Kind::supply) {
    state_.is_powered = event.on.value_or(true);
    if (!state_.is_powered) {
      state_.obeys = false;
      power_lost();
    }
  } else if (event.kind == Event::Kind::jam) {
    state_.is_jammed = event.on.value_or(false);
  } else if (event.kind == Event::Kind::signal) {
    state_.is_wired = event.on.value_or(true);
  }
}

void PulsePlant::step(Tick ticks) {
  const double seconds = static_cast<double>(ticks) / ticks_per_second_;
  const Taken taken = move_on(seconds);
  state_.now += ticks;
  state_.current = taken.amperes;
  state_.highest = std::max(state_.highest, taken.amperes);
  state_.charge += taken.amperes * seconds;
  state_.stall = taken.is_held ? state_.stall + seconds : 0.0;
  state_.longest_stall = std::max(state_.longest_stall, state_.stall);
  if (heat_time_constant_ > 0.0) {
    const double final_rise = taken.watts * resistance_to_air_;
    state_.rise = final_rise + (state_.rise - final_rise) * std::exp(-seconds / heat_time_constant_);
  }
  if (state_.rise > state_.highest_rise) state_.highest_rise = state_.rise;
  if (state_.rise > stands_ && state_.too_warm_at == never) state_.too_warm_at = state_.now;
}

std::optional<LineEdge> PulsePlant::advance(Tick until) {
  while (state_.now < until) {
    if (state_.next_event < events_.size() && events_[state_.next_event].at <= state_.now) {
      befall(events_[state_.next_event++]);
      continue;
    }
    Tick to = until;
    if (state_.next_event < events_.size()) to = std::min(to, events_[state_.next_event].at);
    if (state_.last_pulse >= 0) {
      const Tick lost_at = state_.last_pulse + lost_after_;
      if (lost_at <= state_.now) {
        state_.last_pulse = -1;
        state_.settled = false;
        state_.obeys = false;
        signal_lost();
        continue;
      }
      to = std::min(to, lost_at);
    }
    if (state_.settled) {  // nothing moves, and what it draws stays: one step warms it
      step(to - state_.now);
      continue;
    }
    step(std::min(to - state_.now, step_ticks_));
    state_.settled = is_settled();
  }
  return std::nullopt;
}

}  // namespace cogstride
