#include "cogstride/motion/stepper/step_stream.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

Tick rows_come_later(const Controller& controller) {
  if (!controller.small_chip) return 0;
  return figures_of(*controller.small_chip, controller.timer_clock.base().to_double()).row_comes_later;
}

/// Over a link fewer runs are worth more than the last tick: each step is within two microseconds of its
/// time.
RunForm form_of(const Controller& controller) {
  RunForm form = controller.small_chip ? narrow_runs : wide_runs;
  if (controller.small_chip && controller.link)
    form.tolerance = std::max(form.tolerance, 2e-6 * controller.timer_clock.base().to_double());
  return form;
}

}  // namespace

StepStream::StepStream(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : driver_(mechanism, id, controller.timer_clock, rows_come_later(controller)),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      grain_(step_grain(mechanism, controller)),
      is_small_(controller.small_chip.has_value()),
      makes_ramps_(is_small_ && !controller.link),
      form_(form_of(controller)),
      fitter_(Ramp(), 0, {0, 0}, ticks_per_second_) {}

void StepStream::switch_on(Lines& lines) {
  if (on_) return;
  on_ = true;
  const Tick at = lines.now() + lines.lead();
  driver_.put_enable(lines, at, true);
  switched_on_at_ = at;
  awake_at_ = at + driver_.wake();
}

void StepStream::switch_off(Lines& lines) {
  if (!on_) return;
  on_ = false;
  driver_.put_enable(lines, std::max(lines.now() + lines.lead(), last_edge_ + driver_.pulse_width()), false);
}

/// DIR may change once the last step is over and held.
Tick StepStream::earliest_turn(const Lines& lines) const {
  return std::max(lines.now() + lines.lead(),
                  last_edge_ + std::max(driver_.dir_steady_after(), driver_.pulse_width()));
}

/// DIR towards `forwards`, settled before the step at `before`; by a small chip as the run begins.
void StepStream::face(Lines& lines, bool forwards, Tick begins, Tick before) {
  if (forwards == forwards_) return;
  Tick at = earliest_turn(lines);
  if (is_small_) at = std::max(at, std::min(begins, before - driver_.dir_steady_before()));
  if (at + driver_.dir_steady_before() > before) {
    throw RangeError("the motion would turn round faster than DIR can settle: give a lower start speed");
  }
  driver_.put_direction(lines, at, forwards);
  forwards_ = forwards;
  turned_at_ = at;
}

void StepStream::begin(const Ramp& ramp, std::int64_t made, Tick at) {
  begin(ramp, made, at, form_);
}

void StepStream::begin(const Ramp& ramp, std::int64_t made, Tick at, const RunForm& form) {
  own_.reset();
  ramp_ = ramp;
  fitter_ = RunFitter(ramp, made, {at, 0}, ticks_per_second_, grain_, form);
  start_ = at;
  made_before_ = made;
  changes_soon_ = false;
  ends_at_ = ramp.is_endless() ? never : at + std::llround(ramp.duration() * ticks_per_second_) + grain_ - 1;
  busy_ = true;
  all_put_ = false;
}

Tick StepStream::earliest_start(Lines& lines, std::int64_t target) {
  switch_on(lines);
  const Tick at = std::max(lines.now() + lines.lead(), awake_at_);
  const bool forwards = target > made();
  return forwards == forwards_ && !is_small_
             ? at
             : std::max(at, earliest_turn(lines) + driver_.dir_steady_before());
}

/// What nobody brakes by himself is braked by planning.
void StepStream::take_stop(const Lines& lines, const std::optional<StopOn>& stop) {
  stop_ = stop && stop->ramp && !lines.brakes_at_edges() ? std::nullopt : stop;
}

void StepStream::start(Lines& lines, std::int64_t target, const RampLimits& limits,
                       std::optional<StopOn> stop, Tick not_before) {
  const Tick at = std::max(earliest_start(lines, target), not_before);
  take_stop(lines, stop);
  begin(plan_ramp({{made(), 0.0}, 0.0}, target, limits), made(), at);
  feed(lines);
}

void StepStream::start(Lines& lines, std::int64_t target, const RampLimits& limits,
                       std::optional<StopOn> stop) {
  if (!makes_ramps_) return start(lines, target, limits, stop, 0);
  const Tick at = earliest_start(lines, target);
  take_stop(lines, stop);
  begin(Ramp({made(), 0.0}), made(), at);
  own_.emplace(ticks_per_second_);
  own_->begin(fitter_.made(), target, limits, at);
  ends_at_ = never;
  feed(lines);
}

void StepStream::hold_speed(Lines& lines, double speed, const RampLimits& limits) {
  if (speed == 0.0) {
    brake(lines, limits);
    return;
  }
  if (!busy_) {
    const Tick at = earliest_start(lines, speed > 0.0 ? made() + 1 : made() - 1);
    stop_.reset();
    begin(plan_speed({{made(), 0.0}, 0.0}, speed, limits), made(), at);
  } else {
    const Withheld withheld = withhold(lines);
    switch_on(lines);
    begin(plan_speed(withheld.state, speed, limits), withheld.made, std::max(withheld.at, awake_at_));
  }
  feed(lines);
}

/// A step forwards is made on reaching n, backwards on reaching n - 1, each at the nearest tick.
std::int64_t StepStream::step_at(Tick at) const {
  if (geared_) return std::llround(state_at(at).position.to_double());
  if (own_) return own_->step_at(at);
  const double seconds = (static_cast<double>(std::max<Tick>(0, at - start_)) + 0.5) / ticks_per_second_;
  return ramp_.step_at(seconds, made_before_);
}

double StepStream::speed_at(Tick at) const {
  if (geared_) return geared_->speed;
  if (busy_ && own_) return own_->speed_at(at, ticks_per_second_);
  return busy_ ? state_at(at).speed : 0.0;
}

double StepStream::acceleration_at(Tick at) const {
  return busy_ ? state_at(at).acceleration : 0.0;
}

/// Of the motion that is on. Before its first instant it is what it begins from: a motion that was redirected
/// begins a lead later.
MotionState StepStream::state_at(Tick at) const {
  if (geared_) {
    const double gone = geared_->speed * static_cast<double>(at - geared_->told_at) / ticks_per_second_;
    return {StepPosition{geared_->place, 0.0}.moved(gone), geared_->speed};
  }
  return ramp_.state_at(static_cast<double>(std::max<Tick>(0, at - start_)) / ticks_per_second_);
}

/// Takes back what is still ahead; what follows must begin from the state that this leaves.
StepStream::Withheld StepStream::withhold(Lines& lines) {
  const Tick from = lines.now() + lines.lead();
  const Withdrawn left = driver_.withdraw(lines, from);
  // Levels that were still ahead have been taken back too.
  if (turned_at_ >= from) {
    forwards_ = !forwards_;
    turned_at_ = -never;
  }
  if (switched_on_at_ >= from) {
    on_ = false;
    switched_on_at_ = -never;
  }
  last_edge_ = left.last_pulse;
  stop_.reset();
  Withheld withheld{from, left.steps, {{left.steps, 0.0}, 0.0}, left.brakes};
  if (left.brakes)
    withheld.at = std::max(from, last_edge_ + 1);
  else if (busy_ && !own_)
    withheld.state = state_at(from);
  return withheld;
}

void StepStream::retarget(Lines& lines, std::int64_t target, const RampLimits& limits) {
  if (!busy_) {
    start(lines, target, limits, {}, 0);
    return;
  }
  const Withheld withheld = withhold(lines);
  switch_on(lines);
  begin_turned(lines, plan_ramp(withheld.state, target, limits), withheld.made,
               std::max(withheld.at, awake_at_));
}

MotionState StepStream::state_ahead(Tick at) const {
  if (!busy_) return {{made(), 0.0}, 0.0};
  return state_at(at);
}

void StepStream::go_along(Lines& lines, const Course& course, const RampLimits& limits) {
  const Tick from = soonest(lines);
  const auto later = [&](Tick at) {
    return course.after(static_cast<double>(at - from) / ticks_per_second_);
  };
  if (!busy_) {
    const double way = way_between({made(), 0.0}, course.place);
    if (course.speed == 0.0 && std::abs(way) < 0.5) return;
    const bool forwards = way != 0.0 ? way > 0.0 : course.speed > 0.0;
    const Tick at = earliest_start(lines, forwards ? made() + 1 : made() - 1);
    stop_.reset();
    begin_along(lines, {{made(), 0.0}, 0.0}, at == from ? course : later(at), limits, made(), at);
    return;
  }
  const bool stands = course.speed == 0.0 && course.acceleration == 0.0;
  if (stands ? !ramp_.is_endless() && ramp_.end().whole == course.place.whole : goes_along_with(course, from))
    return;
  const Withheld withheld = withhold(lines);
  switch_on(lines);
  const Tick at = std::max(withheld.at, awake_at_);
  begin_along(lines, withheld.state, at == from ? course : later(at), limits, withheld.made, at);
}

/// A motion that is changed may turn round by a hair: its first step the other way may be due before DIR can
/// settle. The whole of it then comes so much later.
Tick StepStream::begins_turned(const Lines& lines, const Ramp& ramp, std::int64_t made, Tick at) const {
  StepTimes times(ramp, made);
  std::array<double, 1> first{};
  if (times.fill(first) == 0 || (times.direction() > 0) == forwards_) return at;
  const Tick due = at + static_cast<Tick>(std::floor(first[0] * ticks_per_second_));
  return at + std::max<Tick>(0, earliest_turn(lines) + driver_.dir_steady_before() - due);
}

void StepStream::begin_turned(Lines& lines, const Ramp& ramp, std::int64_t made, Tick at) {
  begin(ramp, made, begins_turned(lines, ramp, made, at));
  feed(lines);
}

/// What is likely to be planned anew at the next look is not all fitted, and not all handed out.
void StepStream::begin_along(Lines& lines, const MotionState& state, const Course& course,
                             const RampLimits& limits, std::int64_t made, Tick at) {
  constexpr double fewest = 16.0;  // steps of a run
  const Ramp ramp = plan_pursuit(state, course, limits);
  const double speed = std::max(std::abs(state.speed), std::abs(course.speed));
  const double steps = std::ceil(speed * static_cast<double>(part_ahead(lines)) / ticks_per_second_);
  RunForm form = form_;
  form.most_steps = static_cast<std::size_t>(std::clamp(steps, fewest, static_cast<double>(form.most_steps)));
  begin(ramp, made, begins_turned(lines, ramp, made, at), form);
  changes_soon_ = true;
  feed(lines);
}

/// What is planned comes no farther from it before it is looked at again.
bool StepStream::goes_along_with(const Course& course, Tick from) const {
  constexpr double near_enough = 0.125;  // of a step
  const double looked_at_in = 2.0 * course.looks_each;
  if (!ramp_.is_endless() || course.acceleration != 0.0) return false;
  const MotionState state = state_at(from);
  if (state.acceleration != 0.0) return false;
  if (course.most_speed > 0.0 && std::abs(state.speed) > course.most_speed) return false;
  const double off = way_between(course.place, state.position);
  return std::abs(off) <= near_enough &&
         std::abs(off + (state.speed - course.speed) * looked_at_in) <= near_enough;
}

bool StepStream::gear(Lines& lines, LineId counts_at, chip::CountFollow what, Tick told_each) {
  const std::optional<GearSetup> setup = driver_.gear_setup();
  if (!setup || (busy_ && !geared_) || (geared_ && geared_->is_let_go)) return false;
  const bool was_on = on_;
  switch_on(lines);
  const Tick at = std::max(soonest(lines), awake_at_);
  what.tick = static_cast<std::uint32_t>(at);
  if (!lines.gear(at, setup->line, counts_at, what)) {
    if (!was_on) switch_off(lines);
    return false;
  }
  if (geared_) return true;
  geared_ = Geared{lines.now(), made(), 0.0, false};
  busy_ = true;
  lines.sample(setup->source, soonest(lines), told_each);
  return true;
}

void StepStream::hear(Lines& lines, std::span<const Reading> readings) {
  if (!geared_) return;
  const GearSetup setup = *driver_.gear_setup();
  bool stands = false;
  for (const Reading& reading : readings) {
    if (reading.source != setup.source) continue;
    geared_->place = reading.raw >> 1;
    geared_->told_at = reading.at;
    stands = geared_->is_let_go && (reading.raw & 1) != 0;
  }
  if (!stands) return;
  geared_.reset();
  lines.sample(setup.source, never, 0);
  const Tick from = soonest(lines);
  const Withdrawn left = driver_.withdraw(lines, from);
  last_edge_ = left.last_pulse;
  begin(Ramp({left.steps, 0.0}), left.steps, lines.now());
  busy_ = false;
  // Which way it went last is not known here.
  forwards_ = false;
  turned_at_ = from;
  driver_.put_direction(lines, from, forwards_);
}

void StepStream::brake(Lines& lines, const RampLimits& limits) {
  if (!busy_) return;
  if (geared_) {
    if (!std::exchange(geared_->is_let_go, true)) lines.let_go(soonest(lines), driver_.gear_setup()->line);
    return;
  }
  if (own_) {
    own_->brake();
    all_put_ = false;
    return feed(lines);
  }
  const MotionState now = state_at(lines.now());
  const Withheld withheld = withhold(lines);
  if (withheld.brakes) return ends_by_itself(now, withheld, limits, lines.now());
  begin_turned(lines, plan_stop(withheld.state, limits), withheld.made, withheld.at);
}

/// An edge brakes it: nothing is put, and it stands when its lines do. Meanwhile it is about where a ramp of
/// its own would be.
void StepStream::ends_by_itself(const MotionState& now, const Withheld& withheld, const RampLimits& limits,
                                Tick at) {
  begin(plan_ramp(now, withheld.made, limits), withheld.made, at);
  all_put_ = true;
  ends_at_ = withheld.at + grain_ - 1;
}

void StepStream::end_here(Lines& lines) {
  Tick from = lines.now() + lines.lead();
  const Withdrawn left = driver_.withdraw(lines, from);
  last_edge_ = left.last_pulse;
  if (left.brakes) from = std::max(from, last_edge_ + 1);
  begin(Ramp({left.steps, 0.0}), left.steps, from);
  feed(lines);
}

void StepStream::lines_were_cut(Lines& lines) {
  geared_.reset();
  const Withdrawn left = driver_.withdraw(lines, lines.now());
  last_edge_ = lines.now();
  begin(Ramp({left.steps, 0.0}), left.steps, lines.now());
  busy_ = false;
  on_ = false;
  forwards_ = false;
}

Tick StepStream::part_ahead(const Lines& lines) {
  return lines.horizon() / 2 + lines.horizon() / 8;
}

void StepStream::put(Lines& lines, FineTick from, const chip::PulseRun& run) {
  chip::PulsePlayer<chip::PulseRun> first(from);
  first.load(run);
  if (first.makes_pulses())
    face(lines, (run.flags & chip::run_backwards) == 0, from.tick, chip::nearest_tick(first.next()));
  driver_.put_run(lines, from, run, stop_);
}

/// A few runs ahead, as the chip's main program keeps them.
void StepStream::feed_own(Lines& lines) {
  chip::PulseRun run{};
  own_->forget(lines.now());
  while (!all_put_ && own_->waiting(lines.now()) < ChipRuns::runs_ahead) {
    const FineTick from = own_->end();
    if (!own_->next(run)) {
      all_put_ = true;
      ends_at_ = chip::nearest_tick(own_->end()) + grain_ - 1;
      return;
    }
    put(lines, from, run);
    last_edge_ = chip::nearest_tick(own_->end());
  }
  feeds_again_ = own_->next_begin(lines.now(), lines.now());
}

void StepStream::feed(Lines& lines) {
  if (own_) return feed_own(lines);
  const Tick ahead = changes_soon_ ? part_ahead(lines) : lines.horizon();
  const Tick until = lines.now() + lines.lead() + ahead;
  chip::PulseRun run{};
  while (!all_put_ && fitter_.end().tick < until) {
    const FineTick from = fitter_.end();
    if (!fitter_.next(run)) {
      all_put_ = true;
      return;
    }
    // Whoever plays it knows then that nothing has to follow.
    if (!ramp_.is_endless() && fitter_.made() == ramp_.end().whole) run.flags |= chip::run_ends;
    put(lines, from, run);
    last_edge_ = chip::nearest_tick(fitter_.end());
  }
  feeds_again_ = fitter_.end().tick - lines.lead() - lines.horizon() / 2;
}

Tick StepStream::next_act() const {
  if (!busy_ || geared_) return never;
  return all_put_ ? ends_at() : feeds_again_;
}

void StepStream::act(Lines& lines) {
  if (!busy_ || geared_) return;
  feed(lines);
  if (all_put_ && lines.now() >= ends_at()) busy_ = false;
}

}  // namespace cogstride
