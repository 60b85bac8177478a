#include "cogstride/motion/stepper/stepper_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/stepper/encoder_watch.hpp"
#include "cogstride/plan/gearing.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/small_chip.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr ExactTime longest_into_position = ExactTime::from_base({1, 1});

OutputSpeed magnitude_of(const OutputSpeed& speed) {
  return speed.base < Ratio(0) ? OutputSpeed{speed.kind, -speed.base} : speed;
}

}  // namespace

const MoverKind StepperMover::its_kind{"is no stepper, and no servo that takes steps"};

StepperMover::StepperMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      controller_(controller),
      steps_per_base_(steps_per_base(mechanism)),
      stream_(mechanism, id, controller),
      queue_(mechanism_, controller_) {
  commanded_ = {output_kind(mechanism.train), 0};
  if (!mechanism.homing) {
    origin_ = 0;
    queue_.foresee(commanded_);
  }
}

std::shared_ptr<MotionRecord> StepperMover::home() {
  (void)homing_goal(mechanism_, controller_);  // refuses what cannot be homed
  return queue_.add("home", {.what = HomeOrder{}, .ends_at = mechanism_.homing->position});
}

std::shared_ptr<MotionRecord> StepperMover::measure() {
  const HomingGoal goal = far_switch_goal(mechanism_, controller_);
  (void)queue_.end();
  return queue_.add("measure the travel", {.what = MeasureOrder{}, .ends_at = goal.ends_at});
}

std::shared_ptr<MotionRecord> StepperMover::jog(Lines& lines, int way, const OutputSpeed& speed,
                                                bool past_limits) {
  const OutputPosition from = queue_.end();
  const Limits& limits = mechanism_.limits;
  if (!limits.travel_from) return spin(lines, {.at = OutputSpeed{speed.kind, Ratio(way) * speed.base}});
  OutputPosition end = way > 0 ? *limits.travel_to : *limits.travel_from;
  if (past_limits && mechanism_.hard_ends)
    end = way > 0 ? mechanism_.hard_ends->to : mechanism_.hard_ends->from;
  const Ratio left = Ratio(way) * (end.base - from.base);
  if (left <= Ratio(0)) end = from;  // nothing is left that way: it stays
  std::shared_ptr<MotionRecord> record = move(lines, {.to = end, .speed = speed, .past_limits = true});
  record->what = "jog towards " + to_text(end);
  return record;
}

std::shared_ptr<MotionRecord> StepperMover::nudge(Lines& lines, const OutputPosition& by,
                                                  const std::optional<OutputSpeed>& speed) {
  require_kind(mechanism_, by.kind);
  const std::string what = "nudge by " + to_text(by);
  if (can_be_redirected()) {
    const RampLimits limits = ramp_limits(mechanism_, controller_, speed, {});
    const OutputPosition target{by.kind, commanded_at(lines.now()).base + by.base};
    if (!is_makeshift_) {
      auto record = redirect(lines, MoveOrder{.to = target, .speed = speed});
      record->what = what;
      return record;
    }
    stream_.retarget(lines, *origin_ + step_at(mechanism_, target), limits);
    commanded_ = target;
    return replace_running(lines, what, {.what = MoveOrder{.by = by}, .limits = limits, .ends_at = target});
  }
  if (!queue_.is_empty()) throw RangeError(mechanism_.name + ": another motion is on");
  if (!origin_) {
    // It counts from where it stands, until it stands again.
    origin_ = stream_.made();
    is_makeshift_ = true;
    commanded_ = {by.kind, Ratio(0)};
    return queue_.add(what, {.what = MoveOrder{.by = by},
                             .limits = ramp_limits(mechanism_, controller_, speed, {}),
                             .ends_at = by});
  }
  std::shared_ptr<MotionRecord> record = move(lines, {.by = by, .speed = speed});
  record->what = what;
  return record;
}

OutputPosition StepperMover::teach_far_limit() {
  if (!queue_.is_empty())
    throw RangeError(fmt::format("{}: it moves, so its limit cannot be taught", mechanism_.name));
  if (!knows_zero())
    throw RangeError(fmt::format("{}: nobody knows where it stands: home it first", mechanism_.name));
  const Limits& limits = mechanism_.limits;
  if (!limits.travel_from || commanded_.base <= limits.travel_from->base) {
    throw RangeError(
        fmt::format("{}: {} is not beyond the begin of its travel", mechanism_.name, to_text(commanded_)));
  }
  mechanism_.limits.travel_to = commanded_;
  return commanded_;
}

std::shared_ptr<MotionRecord> StepperMover::move(Lines&, const MoveOrder& order) {
  if (is_makeshift_)
    throw RangeError(fmt::format("{}: nobody knows where it stands: home it first", mechanism_.name));
  const OutputPosition from = queue_.end();
  const OutputPosition target = target_of(mechanism_, from, order);
  const RampLimits limits = ramp_limits(mechanism_, controller_, order.speed, order.acceleration);
  if (order.in) {
    (void)limits_to_take(mechanism_, order.in->base().to_double(),
                         step_at(mechanism_, target) - step_at(mechanism_, from), limits);
  }
  const char* const verb = order.way ? "turn to " : order.to ? "move to " : "move by ";
  return queue_.add(verb + to_text(order.to ? *order.to : *order.by),
                    {.what = order, .limits = limits, .ends_at = target});
}

std::shared_ptr<MotionRecord> StepperMover::move_when_told(Lines& lines, const MoveOrder& order) {
  std::shared_ptr<MotionRecord> record = move(lines, order);
  queue_.last().waits_to_be_told = true;
  return record;
}

std::shared_ptr<MotionRecord> StepperMover::turn(Lines& lines, const TurnOrder& order) {
  return move(lines, move_of(mechanism_, order));
}

std::shared_ptr<MotionRecord> StepperMover::spin(Lines& lines, const SpeedOrder& order) {
  const OutputPosition from = queue_.end();
  if (const std::optional<MoveOrder> way = move_of(mechanism_, controller_, order)) {
    std::shared_ptr<MotionRecord> record = move(lines, *way);
    record->what = fmt::format("spin at {} for {}", to_text(order.at),
                               order.by ? to_text(*order.by) : to_text(*order.lasts, "s"));
    return record;
  }
  return queue_.add(
      "spin at " + to_text(order.at),
      {.what = order, .limits = limits_of(order), .ends_at = travel_end(mechanism_, order).value_or(from)});
}

const SpeedOrder& StepperMover::running_spin() const {
  require_redirectable();
  const auto* const spin = std::get_if<SpeedOrder>(&queue_.first().what);
  if (spin == nullptr)
    throw RangeError(fmt::format("{}: it is on its way to a position, and does not spin", mechanism_.name));
  return *spin;
}

std::shared_ptr<MotionRecord> StepperMover::change_speed(Lines& lines, OutputSpeed by) {
  SpeedOrder order = running_spin();
  require_kind(mechanism_, by.kind);
  const bool backwards = order.at.base < Ratio(0);
  const Ratio speed = magnitude_of(order.at).base + by.base;
  if (speed <= Ratio(0)) {
    throw RangeError(fmt::format("{}: it spins at {}; slower by {} leaves nothing: stop it", mechanism_.name,
                                 to_text(magnitude_of(order.at)), to_text(magnitude_of(by))));
  }
  order.at.base = backwards ? -speed : speed;
  return redirect(lines, order);
}

std::shared_ptr<MotionRecord> StepperMover::reverse_speed(Lines& lines) {
  SpeedOrder order = running_spin();
  order.at.base = -order.at.base;
  return redirect(lines, order);
}

Follower StepperMover::follower() const {
  Follower follower;
  follower.name = mechanism_.name;
  follower.kind = commanded_.kind;
  follower.grains_per_base = steps_per_base_;
  follower.zero = origin_.value_or(0);
  follower.limits = ramp_limits(mechanism_, controller_);
  const Limits& limits = mechanism_.limits;
  if (limits.travel_from && origin_)
    follower.travel = {static_cast<double>(*origin_ + step_at(mechanism_, *limits.travel_from)),
                       static_cast<double>(*origin_ + step_at(mechanism_, *limits.travel_to))};
  return follower;
}

std::shared_ptr<MotionRecord> StepperMover::follow(Lines&, std::unique_ptr<Follow> follow, std::string what) {
  const OutputPosition from = queue_.end();
  const RampLimits limits = follow->follower().limits;
  return queue_.add(std::move(what),
                    {.what = FollowOrder{std::move(follow)}, .limits = limits, .ends_at = from});
}

Follow* StepperMover::following() {
  if (following_ || queue_.is_empty() || queue_.first_is_running()) return following_.get();
  const auto* const next = std::get_if<FollowOrder>(&queue_.first().what);
  return next == nullptr ? nullptr : next->follow.get();
}

void StepperMover::let_go(Lines& lines) {
  if (!following_) throw RangeError(fmt::format("{}: it follows nothing", mechanism_.name));
  was_let_go_ = true;
  cancel(lines, *queue_.first().record, Braking::on_a_ramp);
}

Commanded::Ahead StepperMover::commanded(Tick now, Tick at) const {
  const MotionState state = stream_.state_ahead(at);
  return {way_between({commanded_step(now), 0.0}, state.position), state.speed};
}

/// Where it follows to is looked at anew, and what is planned changed.
void StepperMover::follow_on(Lines& lines, std::span<const Reading> readings) {
  stream_.act(lines);
  const Tick from = StepStream::soonest(lines);
  stream_.hear(lines, readings);
  const auto course = following_->look(lines.now(), readings, from, stream_.state_ahead(from));
  if (course) stream_.leader_goes_at(following_->gear().leader(lines.now(), lines.now()).speed);
  if (const std::string news = following_->take_news(); !news.empty())
    log().note(lines.now(), MotionNote::Kind::told, news);
  if (!following_->fault().empty()) {
    const std::string why = following_->fault();
    halt(lines, {FaultCode::failed, why});
    log().fail(lines.now(), why);
    return;
  }
  if (!course || leave_to_lines(lines)) return;
  stream_.go_along(lines, *course, running_limits_);
  if (following_->is_over() && !stream_.is_busy()) came_to_rest(lines);
}

/// A plain gear goes as it is counted, whatever a link delays, where whoever plays the lines does that.
/// @return whether it is
bool StepperMover::leave_to_lines(Lines& lines) {
  if (!controller_.link || !controller_.small_chip) return false;
  const Gear& gear = following_->gear();
  if (stream_.is_geared() && following_->is_over()) {
    was_let_go_ = true;
    cancel(lines, *queue_.first().record, Braking::on_a_ramp);
    return true;
  }
  if (left_to_lines_ == gear.revision()) return stream_.is_geared();
  std::optional<Gear::Plain> plain = gear.plain();
  if (plain && (stream_.is_geared() || !stream_.is_busy())) {
    left_to_lines_ = gear.revision();
    plain->what.limits = chip_limits(running_limits_);
    if (stream_.gear(lines, plain->counts_at, plain->what, ticks_between_looks(controller_))) return true;
  }
  // What the lines cannot go by is planned, once it stands.
  if (stream_.is_geared()) stream_.brake(lines, running_limits_);
  return stream_.is_geared();
}

std::vector<GearSetup> StepperMover::gear_setups() const {
  const std::optional<GearSetup> setup = stream_.gear_setup();
  if (!controller_.link || !controller_.small_chip || !setup) return {};
  return {*setup};
}

void StepperMover::stop(Lines& lines, Braking how) {
  while (queue_.size() > 1) cancel(lines, *queue_.last().record, how);
  if (!queue_.is_empty()) cancel(lines, *queue_.first().record, how);
}

void StepperMover::hold(Lines& lines) {
  log().require_no_obstacle();
  stream_.switch_on(lines);
}

RampLimits StepperMover::limits_of(const SpeedOrder& order) const {
  return ramp_limits(mechanism_, controller_, magnitude_of(order.at), order.acceleration);
}

bool StepperMover::can_be_redirected() const {
  return queue_.first_is_running() && !braking_ && !homing_ && !following_ && in_position_by_ == never &&
         queue_.size() == 1;
}

void StepperMover::require_redirectable() const {
  if (!queue_.first_is_running() || braking_ || homing_)
    throw RangeError(fmt::format("{}: no move is on that could be redirected", mechanism_.name));
  if (queue_.size() > 1)
    throw RangeError(
        fmt::format("{}: others are queued behind the running motion: cancel them first", mechanism_.name));
}

/// The running motion's record ends; the new one takes its place in the queue.
std::shared_ptr<MotionRecord> StepperMover::replace_running(Lines& lines, std::string what,
                                                            QueuedMotion motion) {
  log().note(lines.now(), MotionNote::Kind::redirected, queue_.first().record->what);
  auto record = queue_.replace_first(std::move(what), std::move(motion), lines.now());
  log().note(lines.now(), MotionNote::Kind::began, record->what);
  queue_.foresee(known_end());
  return record;
}

std::shared_ptr<MotionRecord> StepperMover::redirect(Lines& lines, const MoveOrder& order) {
  require_redirectable();
  if (order.in)
    throw RangeError(fmt::format("{}: a time to take can be had only from rest", mechanism_.name));
  const bool keeps_target = !order.to && !order.by;
  if (keeps_target && endless_) {
    throw RangeError(
        fmt::format("{}: it turns without end: redirect it to a position or another speed", mechanism_.name));
  }
  MoveOrder whole = order;
  if (keeps_target) whole.to = commanded_;
  const OutputPosition target = target_of(mechanism_, commanded_at(lines.now()), whole);
  const RampLimits limits = ramp_limits(mechanism_, controller_, order.speed, order.acceleration);
  stream_.retarget(lines, *origin_ + step_at(mechanism_, target), limits);
  running_limits_ = limits;
  commanded_ = target;
  endless_ = false;
  return replace_running(lines, "move to " + to_text(target),
                         {.what = whole, .limits = limits, .ends_at = target});
}

std::shared_ptr<MotionRecord> StepperMover::redirect(Lines& lines, const SpeedOrder& order) {
  require_redirectable();
  const RampLimits limits = limits_of(order);
  if (order.lasts || order.by)
    throw RangeError(fmt::format("{}: a spin for a time or a way begins from rest", mechanism_.name));
  const std::optional<OutputPosition> end = travel_end(mechanism_, order);
  if (end) {
    stream_.retarget(lines, *origin_ + step_at(mechanism_, *end), limits);
    commanded_ = *end;
  } else {
    stream_.hold_speed(lines, steps_per_time(mechanism_, order.at), limits);
  }
  running_limits_ = limits;
  endless_ = !end;
  return replace_running(lines, "spin at " + to_text(order.at),
                         {.what = order, .limits = limits, .ends_at = end.value_or(commanded_)});
}

void StepperMover::cancel(Lines& lines, const MotionRecord& motion, Braking how) {
  if (queue_.first_is_running() && queue_.first().record.get() == &motion) {
    // One that brakes as hard as it can would have to be let up for a gentler stop, and run backwards.
    if (braking_ && (brakes_steeply_ || how == Braking::on_a_ramp)) return;
    braking_ = true;
    brakes_steeply_ = how == Braking::steepest;
    homing_.reset();
    following_.reset();
    stream_.brake(lines, how == Braking::steepest ? steepest_limits(lines) : running_limits_);
    if (!stream_.is_busy()) came_to_rest(lines);
  } else if (queue_.take_back(motion, lines.now())) {
    queue_.foresee(known_end());
  }
}

/// Where it stands, or will when the motion that is on has ended.
std::optional<OutputPosition> StepperMover::known_end() const {
  return knows_zero() ? std::optional(commanded_) : std::nullopt;
}

/// For a stop as hard as the motor can, less what differs from bench to bench. A rotor that is still being
/// speeded up lags behind its field, and swings so much farther ahead when that turns round.
RampLimits StepperMover::steepest_limits(const Lines& lines) const {
  RampLimits limits = running_limits_;
  const double speed = stream_.speed_at(lines.now()) / steps_per_base_.to_double();
  const double usable = std::abs(usable_deceleration(mechanism_, speed) * steps_per_base_.to_double());
  const double already = std::abs(stream_.acceleration_at(lines.now()));
  limits.acceleration = std::max(limits.acceleration, (1.0 - margin_for_what_differs) * usable - already);
  limits.jerk = 0.0;
  return limits;
}

void StepperMover::halt(Lines& lines, const Why& why) {
  if (queue_.is_empty()) return;
  if (!queue_.first_is_running()) {
    finish(lines, why, false);
    return;
  }
  halted_by_ = why;
  braking_ = brakes_steeply_ = true;
  homing_.reset();
  following_.reset();
  stream_.brake(lines, steepest_limits(lines));
  if (!stream_.is_busy()) came_to_rest(lines);
}

void StepperMover::came_to_rest(Lines& lines) {
  if (const std::optional<Why> why = std::exchange(halted_by_, std::nullopt)) {
    finish(lines, *why, false);
  } else {
    finish(lines, braking_ && !was_let_go_ ? MotionStatus::cancelled : MotionStatus::done);
  }
}

void StepperMover::forget_position() {
  if (!mechanism_.homing) return;
  origin_.reset();
  if (queue_.is_empty()) queue_.foresee({});
}

void StepperMover::believe(OutputPosition position) {
  require_kind(mechanism_, position.kind);
  if (!queue_.is_empty()) throw RangeError(fmt::format("{}: it moves", mechanism_.name));
  origin_ = stream_.made() - step_at(mechanism_, position);
  commanded_ = position;
  queue_.foresee(position);
}

std::optional<MoveOrder> StepperMover::to_whole_period() const {
  if (!mechanism_.is_movable_stepper()) return std::nullopt;
  const std::int64_t period = steps_lost_at_once(mechanism_);
  const std::int64_t beyond = ((stream_.made() % period) + period) % period;
  if (beyond == 0 || !origin_) return std::nullopt;
  const bool down = 2 * beyond <= period;
  for (const bool goes_down : {down, !down}) {
    const OutputPosition place = position_of(stream_.made() - beyond + (goes_down ? 0 : period));
    const Limits& limits = mechanism_.limits;
    if (limits.travel_from && place.base < limits.travel_from->base) continue;
    if (limits.travel_to && place.base > limits.travel_to->base) continue;
    return MoveOrder{.to = place};
  }
  return std::nullopt;
}

std::optional<OutputPosition> StepperMover::position(Tick now) const {
  if (!knows_zero()) return std::nullopt;
  if (following_) return position_of(standing_step(now));
  return stream_.is_busy() ? position_of(stream_.step_at(now)) : commanded_;
}

/// What a way is counted from in mid-motion: the end of the motion, or without one the step it is on.
OutputPosition StepperMover::commanded_at(Tick now) const {
  return endless_ ? position_of(stream_.step_at(now)) : commanded_;
}

OutputPosition StepperMover::position_of(std::int64_t step) const {
  return {commanded_.kind, Ratio(step - *origin_) / steps_per_base_};
}

Tick StepperMover::next_act() const {
  if (queue_.is_empty()) return never;
  const QueuedMotion& front = queue_.first();
  if (front.record->status == MotionStatus::queued && inputs_ != nullptr && !inputs_->are_known())
    return never;
  if (front.record->status == MotionStatus::queued) return front.stands_by ? never : 0;
  if (in_position_by_ != never) return is_in_position() ? 0 : in_position_by_;
  if (following_) return std::min(stream_.next_act(), following_->gear().next_look());
  return homing_ ? homing_->next_act(stream_) : stream_.next_act();
}

/// By its board's own word, where it gives one.
bool StepperMover::is_in_position() const {
  const std::optional<SensedLine>& line = mechanism_.common.in_position;
  return !line || inputs_ == nullptr || inputs_->acts(static_cast<LineId>(line->number)).value_or(false);
}

/// A motion is done when its servo stands where its steps lead. @return whether that is still to come
bool StepperMover::waits_for_position(Lines& lines) {
  if (braking_ || is_in_position()) {
    in_position_by_ = never;
    return false;
  }
  if (in_position_by_ == never) {
    in_position_by_ = lines.now() + ticks_at_least(longest_into_position, controller_.timer_clock);
  } else if (lines.now() >= in_position_by_) {
    in_position_by_ = never;
    fail(lines, FaultCode::failed,
         fmt::format(
             "{}: its board did not say that it is in position (line {}) within {:.3g} s of the last step",
             mechanism_.name, line_name(mechanism_.common.in_position->number),
             longest_into_position.base().to_double()));
    forget_position();
  }
  return true;
}

bool StepperMover::stands_by(const MotionRecord& motion) const {
  return !queue_.is_empty() && queue_.first().record.get() == &motion && queue_.first().stands_by;
}

std::optional<Arrivals::Least> StepperMover::get_ready(Lines& lines) {
  const QueuedMotion& order = queue_.first();
  if (!order.impossible_now.empty()) return std::nullopt;
  const std::int64_t to = *origin_ + step_at(mechanism_, order.ends_at);
  return Least{plan_ramp({}, to - stream_.made(), order.limits).duration(),
               stream_.earliest_start(lines, to)};
}

void StepperMover::begin(Lines& lines, const Least& how) {
  if (!is_obstructed(lines)) begin_first(lines, how);
}

/// To where it ends, gentler than its limits where it is to take a time.
void StepperMover::begin(Lines& lines, const QueuedMotion& order, std::optional<ExactTime> in,
                         const std::optional<Least>& told) {
  const std::int64_t way = step_at(mechanism_, order.ends_at) - step_at(mechanism_, commanded_);
  running_limits_ = order.limits;
  if (in) running_limits_ = limits_to_take(mechanism_, in->base().to_double(), way, running_limits_);
  if (told) running_limits_ = limits_to_take(mechanism_, told->seconds, way, running_limits_);
  commanded_ = order.ends_at;
  stream_.start(lines, *origin_ + step_at(mechanism_, commanded_), running_limits_, {},
                told ? told->start : 0);
}

/// The first fails when something stands in its way.
bool StepperMover::is_obstructed(Lines& lines) {
  const std::string in_the_way = log().obstacle();
  if (in_the_way.empty()) return false;
  queue_.first().record->began = lines.now();
  fail(lines, FaultCode::refused, fmt::format("{}: {}", mechanism_.name, in_the_way));
  return true;
}

void StepperMover::begin_next(Lines& lines) {
  if (is_obstructed(lines)) return;
  if (origin_ && queue_.first().waits_to_be_told) {
    queue_.first().stands_by = true;
    (void)get_ready(lines);  // others may take longer to come to it
  } else {
    begin_first(lines, {});
  }
}

void StepperMover::begin_first(Lines& lines, const std::optional<Least>& told) {
  QueuedMotion& order = queue_.first();
  order.record->status = MotionStatus::running;
  order.record->began = lines.now();
  log().note(lines.now(), MotionNote::Kind::began, order.record->what);
  if (std::holds_alternative<HomeOrder>(order.what)) {
    origin_.reset();
    begin_homing(lines, homing_goal(mechanism_, controller_));
    return;
  }
  // Checked when ordered, but a stop in between may have left it elsewhere: then it is refused here.
  try {
    if (!origin_)
      throw RangeError(fmt::format("{}: nobody knows where it stands: home it first", mechanism_.name));
    if (!order.impossible_now.empty()) throw RangeError(order.impossible_now);
    if (std::holds_alternative<MeasureOrder>(order.what)) {
      begin_homing(lines, far_switch_goal(mechanism_, controller_));
    } else if (const auto* const behind = std::get_if<FollowOrder>(&order.what)) {
      running_limits_ = order.limits;
      followed_ = following_ = behind->follow;
      left_to_lines_.reset();
      following_->gear().begin(lines);
    } else if (const auto* const run = std::get_if<SpeedOrder>(&order.what);
               run != nullptr && !travel_end(mechanism_, *run)) {
      running_limits_ = order.limits;
      stream_.hold_speed(lines, steps_per_time(mechanism_, run->at), running_limits_);
      endless_ = true;
    } else {
      begin(lines, order, run == nullptr ? std::get<MoveOrder>(order.what).in : std::nullopt, told);
    }
  } catch (const RangeError& error) {
    fail(lines, FaultCode::refused, error.what());
  }
}

void StepperMover::begin_homing(Lines& lines, HomingGoal goal) {
  running_limits_ = goal.fast;
  homing_.emplace(std::move(goal), mechanism_, controller_.timer_clock, inputs_);
  homing_->begin(stream_, lines);
}

/// Notes where it really stands after a stop that was not the planned end.
void StepperMover::stand_at(std::int64_t step) {
  if (origin_) commanded_ = position_of(step);
}

void StepperMover::finish(Lines& lines, MotionStatus status) {
  const bool was_homing = std::holds_alternative<HomeOrder>(queue_.first().what);
  const bool followed = std::holds_alternative<FollowOrder>(queue_.first().what);
  const bool was_makeshift = is_makeshift_;
  if (followed) stand_at(stream_.made());
  const std::shared_ptr<MotionRecord> record = queue_.end_first(status, lines.now(), {});
  const auto done = was_homing ? MotionNote::Kind::homed : MotionNote::Kind::done;
  log().note(lines.now(), status == MotionStatus::done ? done : MotionNote::Kind::cancelled, record->what);
  forget_how();
  if (status == MotionStatus::done && !followed && !was_makeshift) return;
  if (!followed) stand_at(stream_.made());
  queue_.foresee(known_end());
}

/// As faulted; those queued behind it are dropped.
void StepperMover::finish(Lines& lines, const Why& why, bool by_itself) {
  const std::shared_ptr<MotionRecord> record = queue_.end_first(MotionStatus::faulted, lines.now(), why.text);
  record->code = why.code;
  if (by_itself) {
    log().fail(lines.now(), why.text);
  } else {
    log().note(lines.now(), MotionNote::Kind::halted, why.text);
  }
  forget_how();
  stand_at(stream_.made());
  queue_.drop(lines.now());
  queue_.foresee(known_end());
}

void StepperMover::forget_how() {
  if (std::exchange(is_makeshift_, false)) origin_.reset();
  homing_.reset();
  following_.reset();
  was_let_go_ = false;
  braking_ = brakes_steeply_ = false;
  endless_ = false;
  halted_by_.reset();
}

void StepperMover::release(Lines& lines) {
  if (!queue_.is_empty())
    throw RangeError(fmt::format("{}: it is moving, so it is not released", mechanism_.name));
  stream_.switch_off(lines);
}

void StepperMover::lines_were_cut(Lines& lines, const Why& why) {
  stream_.lines_were_cut(lines);
  if (queue_.is_empty()) return;
  // A rotor that was moving when its lines fell to rest may have gone anywhere.
  const bool was_moving = queue_.first_is_running();
  finish(lines,
         why.text.empty() ? Why{why.code, mechanism_.name + ": stopped at once, all lines at rest"} : why,
         false);
  if (was_moving && mechanism_.homing) origin_.reset();
  queue_.foresee(known_end());
}

void StepperMover::homing_acted(Lines& lines) {
  if (homing_->state() == HomingSequence::State::failed) {
    fail(lines, FaultCode::failed, homing_->failure());
    forget_position();
    return;
  }
  if (homing_->edge_at() == lines.now() && std::holds_alternative<HomeOrder>(queue_.first().what)) {
    log().note(lines.now(), MotionNote::Kind::home_edge,
               fmt::format("home edge: this step is {}", to_text(homing_->edge_place())));
  }
  if (homing_->state() != HomingSequence::State::found) return;
  if (std::holds_alternative<MeasureOrder>(queue_.first().what)) {
    measured(lines);
    return;
  }
  origin_ = homing_->edge_step() - step_at(mechanism_, homing_->edge_place());
  commanded_ = mechanism_.homing->position;
  finish(lines, MotionStatus::done);
}

/// The other switch's edge must be met where the rig says, to a full step and what its contact may differ by.
void StepperMover::measured(Lines& lines) {
  const PlaceSwitch& home = *mechanism_.home_switch();
  const HomingGoal& goal = homing_->goal();
  const OutputPosition found = position_of(homing_->edge_step());
  const std::int64_t off = homing_->edge_step() - *origin_ - step_at(mechanism_, goal.edge_at);
  const Ratio between = found.base - home.acts_at.base;
  measured_travel_ = OutputPosition{found.kind, between < Ratio(0) ? -between : between};
  commanded_ = goal.ends_at;
  const auto text = [](const OutputPosition& amount) {
    return fmt::format("{:.6g} {}", amount.base.to_double() * display_units_per_base(amount.kind),
                       display_unit(amount.kind, 0));
  };
  log().note(lines.now(), MotionNote::Kind::measured,
             fmt::format("{} from {} to {}", text(*measured_travel_), home.name, goal.sensor.name));
  if (4 * std::abs(off) <= goal.alignment_way) {
    // It stands where it was sent; the edge differed by no more than a full step.
    commanded_ = position_of(stream_.made());
    finish(lines, MotionStatus::done);
    return;
  }
  const Ratio wanted = goal.edge_at.base - home.acts_at.base;
  const OutputPosition said{found.kind, wanted < Ratio(0) ? -wanted : wanted};
  fail(lines, FaultCode::failed,
       fmt::format(
           "{}: the travel between {} and {} is {}, and the rig says {}: steps were lost, a switch has "
           "moved, or the train is not what the rig says",
           mechanism_.name, home.name, goal.sensor.name, text(*measured_travel_), text(said)));
  forget_position();
}

void StepperMover::act(Lines& lines, std::span<const Reading> readings) {
  if (queue_.is_empty()) return;
  if (!queue_.first_is_running()) {
    if (next_act() <= lines.now()) begin_next(lines);
    return;
  }
  if (homing_) {
    homing_->act(stream_, lines, readings);
    homing_acted(lines);
    return;
  }
  if (following_) {
    follow_on(lines, readings);
    return;
  }
  stream_.leader_goes_at(0.0);
  stream_.hear(lines, readings);
  stream_.act(lines);
  if (!stream_.is_busy() && !waits_for_position(lines)) came_to_rest(lines);
}

std::vector<std::unique_ptr<CountCheck>> StepperMover::count_checks(std::span<const CounterSetup>,
                                                                    ExactFrequency clock) {
  std::vector<std::unique_ptr<CountCheck>> checks;
  for (const Sensor& sensor : mechanism_.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor))
      checks.push_back(
          std::make_unique<EncoderWatch>(*this, *encoder, clock, ticks_between_looks(controller_)));
  return checks;
}

std::vector<TracedSignal> StepperMover::signals() const {
  return with_lag({{"asked", std::string(display_unit(output_kind(mechanism_.train), 0))}});
}

void StepperMover::sample(Tick now, std::span<double> values) const {
  values[0] = knows_zero()
                  ? display_units_per_base(output_kind(mechanism_.train)) *
                        static_cast<double>(standing_step(now) - *origin_) / steps_per_base_.to_double()
                  : std::numeric_limits<double>::quiet_NaN();
  sample_lag(following_.get(), values);
}

MoverVerdict StepperMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  const OutputKind kind = output_kind(mechanism_.train);
  const std::string unit(display_unit(kind, 0));
  const auto at = position(now);
  const double asked =
      at ? at->base.to_double() * display_units_per_base(kind) : std::numeric_limits<double>::quiet_NaN();
  verdict.sum = fmt::format(
      "{}, {} steps net",
      at ? fmt::format("stands at {:.6g} {}", asked, unit) : "where it stands is not known", stream_.made());
  verdict.add("asked", asked, unit);
  verdict.add("net_steps", static_cast<double>(stream_.made()));
  if (followed_) followed_->add_to(verdict);
  return verdict;
}

/// While an edge waits, its field stands still: past a full step the rotor may have lost it.
bool StepperMover::loses_place(Tick now, Tick late) const {
  const double full_step = static_cast<double>(steps_lost_at_once(mechanism_)) / 4.0;
  const double gone = std::abs(stream_.speed_at(now)) * static_cast<double>(late) /
                      controller_.timer_clock.base().to_double();
  return gone > full_step;
}

std::string StepperMover::asked(Tick now) const {
  const auto at = position(now);
  if (!at) return homing_ ? "looks for its zero" : "where it stands is not known";
  const double steps_per_unit = steps_per_base_.to_double() / display_units_per_base(at->kind);
  return fmt::format("{:.2f} {}, {:.3g} {}", at->base.to_double() * display_units_per_base(at->kind),
                     display_unit(at->kind, 0), stream_.speed_at(now) / steps_per_unit,
                     display_unit(at->kind, 1));
}

}  // namespace cogstride
