#include "cogstride/bench/simulated/twins/stepper_watch.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double rests_after = 0.05;          // s without a step
constexpr double drifts_after = 0.2;          // s
constexpr double shortest_leg = 8.0;          // full steps
constexpr double stand_within = 3.0;          // full steps
constexpr double longest_stand_steps = 12.0;  // full steps
constexpr double nailed_within = 0.6;         // full steps
constexpr double longest_nailed_steps = 8.0;  // full steps
constexpr double switch_margin = 2.0;         // full steps about a place where it changes
constexpr double swings_for = 0.3;            // s after a stop, and on the way back
constexpr double burst_ends_after = 0.05;     // s without a change

}  // namespace

StepperWatch::StepperWatch(const Mechanism& said, double ticks_per_second)
    : said_(said),
      ticks_per_second_(ticks_per_second),
      full_steps_(said.is_movable_stepper() ? static_cast<double>(said.stepper().full_steps) : 200.0),
      steps_in_full_step_(static_cast<double>(steps_per_motor_turn(said)) / full_steps_),
      full_step_(1.0 / (full_steps_ * motor_turns_per_base(said.train).to_double())) {
  for (const Sensor& sensor : said.sensors)
    if (const auto* const one = std::get_if<PlaceSwitch>(&sensor)) switches_.push_back({one});
}

void StepperWatch::look(const Look& now, const std::function<bool(std::int64_t)>& level) {
  const double passed = seconds(now.now - looked_at_);
  if (passed <= 0.0) return;
  looked_at_ = now.now;
  const double step = static_cast<double>(now.step) / steps_in_full_step_;
  const double rotor = now.shaft_turns * full_steps_;
  asked_places_.take(step);
  made_places_.take(rotor);
  if (step != step_before_) stepped_at_ = now.now;
  seen_.a.take(now.current_a);
  seen_.b.take(now.current_b);
  seen_.highest_vector = std::max(seen_.highest_vector, std::hypot(now.current_a, now.current_b));
  fed_ = now.fed;
  if (now.fed > 0.0) seen_.lowest_fed = std::min(seen_.lowest_fed, now.fed);
  if (now.is_under_way && now.fed == 0.0 && seconds(now.now - stepped_at_) < rests_after)
    seen_.unfed += passed;
  if (now.has_slipped && !seen_.slipped_at) {
    seen_.slipped_at = now.place;
    seen_.slipped_turning = turned_at_ >= 0 && seconds(now.now - turned_at_) < swings_for;
  }
  look_for_leg(step, now.place / full_step_, now);
  look_for_stand(step, rotor, now);
  look_for_drift(rotor, now);
  for (Watched& each : switches_) look_at_switch(each, level(each.it->line), now, passed);
  step_before_ = step;
}

StepperEvidence StepperWatch::seen() const {
  StepperEvidence seen = seen_;
  seen.put_out = std::llround(asked_places_.width() * steps_in_full_step_);
  seen.asked_swing = asked_places_.width();
  seen.made_swing = made_places_.width();
  seen.is_unfed_now = fed_ == 0.0;
  if (is_one_factor_ && factor_ != 0.0 && factor_ != 1.0 && seen.made_swing >= shortest_leg &&
      (is_power_of_two_ || is_seen_twice_))
    seen.factor = factor_;
  return seen;
}

void StepperWatch::look_for_leg(double step, double made, const Look& now) {
  const double moved = step - step_before_;
  const double way = moved == 0.0 ? 0.0 : std::copysign(1.0, moved);
  if (way != 0.0 && last_way_ == -way && seconds(now.now - last_step_at_) < swings_for) turned_at_ = now.now;
  if (way != 0.0) {
    last_way_ = way;
    last_step_at_ = now.now;
  }
  const bool rests = !now.is_under_way && seconds(now.now - stepped_at_) >= rests_after;
  if ((way != 0.0 && way == -leg_.way) || (rests && leg_.way != 0.0))
    end_leg(step_before_, made, now.has_slipped);
  if (leg_.way == 0.0) leg_ = {step_before_, made, way};
}

/// Whether one factor explains each leg, to two full steps or a percent: a power of two, mirrored or not, or
/// any other that two legs of different lengths have in common. Once steps were lost, legs tell nothing more.
void StepperWatch::end_leg(double step, double place, bool has_slipped) {
  const Leg leg = leg_;
  leg_ = {};
  const double asked = step - leg.from_step;
  const double made = place - leg.from_place;
  if (std::abs(asked) < shortest_leg || has_slipped) return;
  if (factor_ == 0.0) {
    if (std::abs(made) < 4.0) {
      is_one_factor_ = false;
      return;
    }
    const double by = made / asked;
    const double even = std::copysign(std::exp2(std::round(std::log2(std::abs(by)))), by);
    is_power_of_two_ = fits(asked, made, even);
    factor_ = is_power_of_two_ ? even : by;
    factor_way_ = std::abs(asked);
  }
  is_one_factor_ = is_one_factor_ && fits(asked, made, factor_);
  is_seen_twice_ = is_seen_twice_ || std::abs(std::abs(asked) - factor_way_) > 0.2 * factor_way_;
}

bool StepperWatch::fits(double asked, double made, double factor) {
  return std::abs(made - factor * asked) <= 2.0 + 0.01 * std::abs(factor * asked);
}

/// Stepped on and on: from where it stood, and whether it goes away from there later.
void StepperWatch::look_for_stand(double step, double rotor, const Look& now) {
  if (std::abs(rotor - stood_at_) >= stand_within) {
    const bool came_here = made_places_.width() > std::max(4.0 * stand_within, 0.1 * asked_places_.width());
    if (stood_for_steps_ > longest_stand_steps && came_here && !seen_.stopped_at)
      seen_.stopped_at = stood_place_;
    stood_at_ = rotor;
    stood_place_ = now.place;
    stepped_from_ = step;
    stood_for_steps_ = 0.0;
  }
  stood_for_steps_ = std::max(stood_for_steps_, std::abs(step - stepped_from_));
  if (std::abs(rotor - nailed_at_) > nailed_within || now.speed != 0.0 || now.fed == 0.0) {
    if (std::abs(step_before_ - nailed_step_) > longest_nailed_steps && now.fed > 0.0) seen_.came_free = true;
    nailed_at_ = rotor;
    nailed_step_ = step;
    nailed_since_ = now.now;
  }
  if (std::abs(step - nailed_step_) > longest_nailed_steps)
    seen_.held_fast = std::max(seen_.held_fast, seconds(now.now - nailed_since_));
}

/// What it goes by itself a while after its last motion. A servo that has given up coasts on; what drives it
/// faster still is its load.
void StepperWatch::look_for_drift(double rotor, const Look& now) {
  const bool is_limp = !said_.is_movable_stepper() && now.has_slipped;
  if (is_limp && !limp_speed_) limp_speed_ = std::abs(now.speed);
  const bool coasts = is_limp && std::abs(now.speed) < 1.5 * *limp_speed_;
  if (coasts || (!is_limp && (now.is_under_way || seconds(now.now - stepped_at_) < drifts_after))) {
    rested_at_.reset();
    return;
  }
  if (!rested_at_) rested_at_ = rotor;
  if (std::abs(rotor - *rested_at_) > std::abs(seen_.drifted)) seen_.drifted = rotor - *rested_at_;
}

/// Whether it acts where it should not, or does not where it should: away from where it changes.
void StepperWatch::look_at_switch(Watched& watched, bool high, const Look& now, double passed) {
  const PlaceSwitch& it = *watched.it;
  const bool acts = high == (it.active == ActiveLevel::high);
  double inside = 0.0;  // m or turns, beyond where it changes; below 0: before
  double spare = switch_margin * std::abs(full_step_) + 5.0 * it.noise.base.to_double();
  if (it.is_window) {
    const bool on_a_ring = output_kind(said_.train) == OutputKind::rotary && !said_.limits.travel_from;
    const double from = it.window_from.base.to_double();
    const double to = it.window_to.base.to_double();
    double place = now.place - 0.5 * (from + to);
    if (on_a_ring) place -= std::round(place);
    inside = 0.5 * (to - from) - std::abs(place);
    spare += it.hysteresis.base.to_double();
  } else {
    const double from = it.acts_at.base.to_double();
    const double to = it.releases_at.base.to_double();
    inside = (it.is_low_end() ? 1.0 : -1.0) * (0.5 * (from + to) - now.place);
    spare += 0.5 * std::abs(from - to);
  }
  if (std::abs(inside) > spare && acts != (inside > 0.0)) {
    double& wrong = acts ? seen_.acts_wrongly : seen_.silent_wrongly;
    wrong += passed;
    seen_.wrong_switch = it.name;
  }
  if (!watched.acts || *watched.acts == acts) {
    watched.acts = acts;
    return;
  }
  watched.acts = acts;
  if (watched.changed == never || seconds(now.now - watched.changed) > burst_ends_after) {
    watched.burst_began = now.now;
    watched.burst_place = now.place;
    watched.changes = 0;
  }
  watched.changed = now.now;
  ++watched.changes;
  const double lasted = seconds(now.now - watched.burst_began);
  if (!it.debounce || watched.changes < 3 || std::abs(now.place - watched.burst_place) > spare ||
      lasted <= it.debounce->base())
    return;
  if (!seen_.bounced || seen_.bounced->lasted < lasted)
    seen_.bounced = StepperEvidence::Bounce{it.name, lasted, it.debounce->base()};
}

}  // namespace cogstride
