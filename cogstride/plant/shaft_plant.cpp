#include "cogstride/plant/shaft_plant.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/lines/noise.hpp"

namespace cogstride {
namespace {

// A hard end gives way like a stiff spring: this natural frequency against all the inertia, well damped.
constexpr double hard_end_rad_per_s = 2.0 * pi * 1500.0;
constexpr double hard_end_damping = 0.3;
constexpr std::uint64_t friction_noise = 0x50000;  // its key among the sources
constexpr double speeds_up_at_most = 5.0;          // rad/s within a step, beyond a quarter of its speed
constexpr double settling_time = 0.01;             // s of standing still before physics is skipped

}  // namespace

ShaftPlant::ShaftPlant(const Mechanism& mechanism, const Setup& setup)
    : mechanism_(mechanism),
      setup_(setup),
      ticks_per_second_(setup.clock.base().to_double()),
      seconds_per_tick_(1.0 / ticks_per_second_),
      angle_per_base_(2.0 * pi * motor_turns_per_base(mechanism.train).to_double()),
      base_per_angle_(1.0 / angle_per_base_),
      inertia_(moved_inertia(mechanism).base()),
      per_inertia_(1.0 / inertia_),
      coulomb_(mechanism.load.coulomb_friction.base()),
      stiction_(std::max(coulomb_, mechanism.load.stiction.base())),
      friction_spread_(mechanism.load.friction_spread.base().to_double()),
      viscous_(mechanism.load.viscous_friction.in(units::Nm_s_per_rad)),
      step_ticks_(std::max<Tick>(1, std::llround(setup.coarsest_step * ticks_per_second_))) {
  shaft_.angle = setup.start_position * angle_per_base_;
  shaft_.load = steady_load(mechanism).base();
  const bool on_a_ring =
      output_kind(mechanism.train) == OutputKind::rotary && !mechanism.limits.travel_from.has_value();
  for (const Sensor& sensor : mechanism_.sensors) {
    if (const auto* const contact = std::get_if<PlaceSwitch>(&sensor)) {
      contacts_.emplace_back(*contact, on_a_ring, setup.seed, setup.clock);
      shaft_.contacts.push_back(contacts_.back().settled_at(setup.start_position));
    } else if (const auto* const encoder = std::get_if<Encoder>(&sensor)) {
      tracks_.emplace_back(mechanism_, *encoder, setup.seed);
      shaft_.tracks.push_back(tracks_.back().settled_at(setup.start_position));
    } else if (const auto* const halls = std::get_if<HallSet>(&sensor);
               halls != nullptr && std::holds_alternative<BrushlessMotor>(mechanism.motor)) {
      tracks_.emplace_back(mechanism_, *halls, setup.seed);
      shaft_.tracks.push_back(tracks_.back().settled_at(setup.start_position));
    }
  }
}

void ShaftPlant::begin() {
  for (const Level& cut : setup_.cut_by) hears_.push_back(cut.line);
  while (next_own_instant() <= 0) (void)take_own_instant();
  keep();
}

void ShaftPlant::hear(LineId line, bool high) {
  const auto input = static_cast<std::size_t>(std::find(hears_.begin(), hears_.end(), line) - hears_.begin());
  const std::size_t cuts_from = hears_.size() - setup_.cut_by.size();
  if (input < cuts_from) {
    if (setup_.is_deaf) return;
    hear_board(input, high);
    shaft_.settled = false;
    if (shaft_.due_count > 0) shaft_.free_until = shaft_.now;
    return;
  }
  const std::uint32_t bit = 1U << (input - cuts_from);
  const bool is_open = high == setup_.cut_by[input - cuts_from].high;
  shaft_.cut_by = is_open ? shaft_.cut_by | bit : shaft_.cut_by & ~bit;
  feed();
}

void ShaftPlant::hear_share(LineId line, double share) {
  const auto input = static_cast<std::size_t>(std::find(hears_.begin(), hears_.end(), line) - hears_.begin());
  if (input >= hears_.size() - setup_.cut_by.size() || setup_.is_deaf) return;
  hear_board_share(input, share);
  shaft_.settled = false;
}

std::vector<Level> ShaftPlant::drives() const {
  std::vector<Level> levels;
  for (std::size_t i = 0; i < contacts_.size(); ++i)
    levels.push_back({contacts_[i].line(), shaft_.contacts[i].level});
  for (std::size_t i = 0; i < tracks_.size(); ++i)
    for (const Level& level : tracks_[i].levels(shaft_.tracks[i])) levels.push_back(level);
  return levels;
}

double ShaftPlant::hard_end_torque() const {
  if (!mechanism_.hard_ends) return 0.0;
  const double low = mechanism_.hard_ends->from.base.to_double() * angle_per_base_;
  const double high = mechanism_.hard_ends->to.base.to_double() * angle_per_base_;
  const double depth =
      shaft_.angle < low ? shaft_.angle - low : (shaft_.angle > high ? shaft_.angle - high : 0.0);
  if (depth == 0.0) return 0.0;
  const double spring = -inertia_ * hard_end_rad_per_s * hard_end_rad_per_s * depth;
  const double damper = -2.0 * hard_end_damping * inertia_ * hard_end_rad_per_s * shaft_.speed;
  // An end pushes back; it never pulls.
  return depth < 0.0 ? std::max(0.0, spring + damper) : std::min(0.0, spring + damper);
}

/// Friction at this place of the shaft, as a share of its mean: the same each time that it comes by.
double ShaftPlant::friction_here() const {
  constexpr double places_per_turn = 16.0;
  const auto place = static_cast<std::int64_t>(std::floor(shaft_.angle * places_per_turn / (2.0 * pi)));
  const double off = normal_noise(setup_.seed, friction_noise, static_cast<std::uint64_t>(place));
  return std::max(0.0, 1.0 + friction_spread_ * off);
}

void ShaftPlant::turn(double pull, double seconds, double most) {
  const double ripple = most - pull;
  pull += hard_end_torque();
  const double friction = friction_spread_ > 0.0 ? friction_here() : 1.0;
  // What slackens pulls against going forwards alone: it never turns the shaft back.
  const bool slack =
      mechanism_.load.slackens && (shaft_.speed < 0.0 || (shaft_.speed == 0.0 && pull < shaft_.load));
  if (!slack) {
    pull -= shaft_.load;
  } else if (shaft_.speed == 0.0 && pull > 0.0) {
    pull = 0.0;
  }
  double speed = shaft_.speed;
  if (shaft_.jammed) {
    speed = 0.0;
  } else if (speed == 0.0) {
    // Broken loose by its greatest pull, it goes on by the mean; what does not drive it on is a crawl.
    if (std::abs(pull + ripple) > friction * stiction_)
      speed =
          std::copysign(std::max(0.0, std::abs(pull) - friction * coulomb_), pull) * seconds * per_inertia_;
  } else {
    speed += (pull - viscous_ * speed - std::copysign(friction * coulomb_, speed)) * seconds * per_inertia_;
    if (speed * shaft_.speed < 0.0) speed = 0.0;  // friction stops, it does not turn back
  }
  shaft_.speed = speed;
  shaft_.angle += speed * seconds;
  shaft_.still_for = speed == 0.0 ? shaft_.still_for + seconds : 0.0;
}

bool ShaftPlant::has_settled() const {
  return shaft_.still_for >= settling_time && motor_has_settled();
}

/// The most that the output at a position is beyond a place where a sensor changes; above 0 one is due.
double ShaftPlant::sensors_beyond(double at) const {
  double most = -1.0;
  for (std::size_t i = 0; i < contacts_.size(); ++i)
    most = std::max(most, contacts_[i].beyond(shaft_.contacts[i], at));
  for (std::size_t i = 0; i < tracks_.size(); ++i)
    most = std::max(most, tracks_[i].beyond(shaft_.tracks[i], at));
  return most;
}

/// How far the shaft may turn either way before a sensor changes, rad.
double ShaftPlant::clear_way() const {
  if (contacts_.empty() && tracks_.empty()) return std::numeric_limits<double>::infinity();
  const double at = position();
  double least = std::numeric_limits<double>::infinity();
  for (std::size_t i = 0; i < contacts_.size(); ++i)
    least = std::min(least, -contacts_[i].beyond(shaft_.contacts[i], at));
  for (std::size_t i = 0; i < tracks_.size(); ++i)
    least = std::min(least, tracks_[i].way_left(shaft_.tracks[i], at));
  return least * std::abs(angle_per_base_);
}

/// Until when its current may flow before the shaft is turned: a step in all, and no sensor comes near.
/// @param clear  rad that the shaft may turn before one does
Tick ShaftPlant::free_until(double clear) const {
  if (shaft_.due_count > 0) return shaft_.now;
  const double fastest = (1.25 * std::abs(shaft_.speed) + speeds_up_at_most) * seconds_per_tick_;
  const Tick step =
      clear >= fastest * static_cast<double>(step_ticks_) ? step_ticks_ : static_cast<Tick>(clear / fastest);
  return std::min(shaft_.now + step, next_own_instant());
}

/// Turns the shaft for the time that it owes. @return an edge that this made after all
std::optional<LineEdge> ShaftPlant::pay() {
  const double seconds = owed_seconds();
  shaft_.owed = 0;
  turn_after_flow(seconds);
  step_is_over();
  shaft_.settled = has_settled();
  const double clear = clear_way();
  if (clear < 0.0)
    if (const std::optional<LineEdge> edge = change_sensor()) return edge;
  shaft_.free_until = free_until(clear);
  return tell_due();
}

/// Changes the sensor that is due. @return its edge; none where its line stays as it is
std::optional<LineEdge> ShaftPlant::change_sensor() {
  const double at = position();
  for (std::size_t i = 0; i < contacts_.size(); ++i) {
    if (contacts_[i].beyond(shaft_.contacts[i], at) > 0.0)
      return contacts_[i].change(shaft_.contacts[i], shaft_.now);
  }
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    if (tracks_[i].beyond(shaft_.tracks[i], at) <= 0.0) continue;
    tracks_[i].change(shaft_.tracks[i], at);
    return tell_due();
  }
  return std::nullopt;
}

/// An edge of an encoder or of the board that has happened and was not told yet.
std::optional<LineEdge> ShaftPlant::tell_due() {
  if (shaft_.due_count > 0) {
    const Level level = shaft_.due[--shaft_.due_count];
    return LineEdge{shaft_.now, level.line, level.high};
  }
  for (EncoderTrack::State& track : shaft_.tracks) {
    if (track.due_count == 0) continue;
    const Level level = track.due[--track.due_count];
    return LineEdge{shaft_.now, level.line, level.high};
  }
  return std::nullopt;
}

/// When something next happens that does not hang on motion: chatter of a contact, an event from outside.
Tick ShaftPlant::next_own_instant() const {
  Tick soonest = never;
  for (const ContactPlace::State& contact : shaft_.contacts)
    soonest = std::min(soonest, ContactPlace::next_chatter(contact));
  if (shaft_.next_event < setup_.events.size())
    soonest = std::min(soonest, setup_.events[shaft_.next_event].at);
  return soonest;
}

std::optional<LineEdge> ShaftPlant::take_own_instant() {
  for (std::size_t i = 0; i < contacts_.size(); ++i) {
    if (ContactPlace::next_chatter(shaft_.contacts[i]) <= shaft_.now)
      return contacts_[i].chatter(shaft_.contacts[i], shaft_.now);
  }
  return take_event(setup_.events[shaft_.next_event++]);
}

std::optional<LineEdge> ShaftPlant::take_event(const PlantEvent& event) {
  switch (event.kind) {
    case PlantEvent::Kind::supply:
      shaft_.supply_is_up = event.on.value_or(true);
      feed();
      break;
    case PlantEvent::Kind::jam:
      shaft_.jammed = event.on.value_or(false);
      shaft_.speed = 0.0;
      shaft_.settled = false;
      break;
    case PlantEvent::Kind::load:
      shaft_.load = event.torque;
      shaft_.settled = false;
      break;
    case PlantEvent::Kind::winding:
      motor_wired(event.on.value_or(true));
      shaft_.settled = false;
      break;
    case PlantEvent::Kind::drive_fault:
      drive_fails(event.on.value_or(false));
      shaft_.settled = false;
      break;
    case PlantEvent::Kind::signal:
      signal_wired(event.on.value_or(true));
      shaft_.settled = false;
      break;
    case PlantEvent::Kind::tracks:
      for (std::size_t i = 0; i < tracks_.size(); ++i)
        if (tracks_[i].line_a() == event.line) shaft_.tracks[i].broken = !event.on.value_or(true);
      break;
    case PlantEvent::Kind::contact:
      for (std::size_t i = 0; i < contacts_.size(); ++i) {
        if (contacts_[i].line() == event.line)
          return contacts_[i].stick(shaft_.contacts[i], shaft_.now, event.on);
      }
      break;
  }
  return std::nullopt;
}

/// Without its supply a board makes no step and feeds no winding; it comes up as it did the first time.
void ShaftPlant::feed() {
  const bool powered = shaft_.supply_is_up && shaft_.cut_by == 0;
  if (shaft_.powered == powered) return;
  shaft_.powered = powered;
  shaft_.settled = false;
  shaft_.free_until = shaft_.now;
  motor_powered(powered);
}

/// Lets current flow as long as nothing else can happen. @return whether that is as far as was asked
bool ShaftPlant::flows_to(Tick until) {
  if (shaft_.settled) return false;
  const Tick to = std::min(until, shaft_.free_until);
  // Not a part of a step up to where a sensor comes near: that would be made in ever smaller parts.
  if (to <= shaft_.now || (to < until && to - shaft_.now < step_ticks_)) return false;
  flows(static_cast<double>(to - shaft_.now) * seconds_per_tick_);
  shaft_.owed += to - shaft_.now;
  shaft_.now = to;
  return to == until;
}

bool ShaftPlant::stands_until(Tick until) const {
  if (!shaft_.settled || shaft_.owed > 0 || shaft_.due_count > 0) return false;
  for (const EncoderTrack::State& track : shaft_.tracks)
    if (track.due_count > 0) return false;
  return next_own_instant() > until;
}

std::optional<LineEdge> ShaftPlant::advance(Tick until) {
  if (until <= shaft_.free_until && flows_to(until)) return std::nullopt;
  if (const std::optional<LineEdge> edge = tell_due()) return edge;
  for (;;) {
    if (shaft_.owed > 0)
      if (const std::optional<LineEdge> edge = pay()) return edge;
    if (flows_to(until)) return std::nullopt;
    if (shaft_.owed > 0) continue;
    const Tick own = next_own_instant();
    if (own <= shaft_.now) {
      if (const std::optional<LineEdge> edge = take_own_instant()) return edge;
      continue;
    }
    if (shaft_.now >= until) return std::nullopt;
    if (shaft_.settled) {
      shaft_.now = std::min(until, own);
      continue;
    }
    const Tick step = std::min({step_ticks_, until - shaft_.now, own - shaft_.now});
    const double seconds = static_cast<double>(step) * seconds_per_tick_;
    const double angle_before = shaft_.angle;
    const double speed_before = shaft_.speed;
    const double still_before = shaft_.still_for;
    keep_motor();
    integrate(seconds);
    const double beyond = sensors_beyond(position());
    if (beyond > 0.0) {
      // Located on the straight line between both ends of the step, then run again to that tick.
      const double beyond_before = sensors_beyond(angle_before * base_per_angle_);
      const double share = -beyond_before / (beyond - beyond_before);
      const Tick to_edge =
          std::clamp<Tick>(static_cast<Tick>(std::ceil(share * static_cast<double>(step))), 1, step);
      shaft_.angle = angle_before;
      shaft_.speed = speed_before;
      shaft_.still_for = still_before;
      go_back_motor();
      shaft_.now += to_edge;
      integrate(static_cast<double>(to_edge) / ticks_per_second_);
      if (sensors_beyond(position()) > 0.0) {
        if (const std::optional<LineEdge> edge = change_sensor()) return edge;
      }
      continue;
    }
    shaft_.now += step;
    step_is_over();
    shaft_.settled = has_settled();
    shaft_.free_until = flows_alone_ ? free_until(clear_way()) : shaft_.now;
    if (shaft_.due_count > 0) return tell_due();
  }
}

}  // namespace cogstride
