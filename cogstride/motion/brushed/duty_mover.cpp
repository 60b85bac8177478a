#include "cogstride/motion/brushed/duty_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/quick_lines.hpp"
#include "cogstride/quantity/finite.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr ExactTime between_duties = ExactTime::from_base({1, 1000});
constexpr ExactTime between_duties_on_link = ExactTime::from_base({1, 100});  // as its line carries
constexpr ExactTime steps_of_loop = ExactTime::from_base({1, 500});           // closed by a chip
constexpr ExactTime loop_bears = ExactTime::from_base({1, 100});              // from command to effect

}  // namespace

const MoverKind DutyMover::its_kind{"is not driven by duty"};

DutyMover::DutyMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      driver_(mechanism, id, controller),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      course_(duty_limits(mechanism), ticks_per_second_),
      stride_(std::max(
          driver_.period(),
          ticks_at_least(controller.link ? between_duties_on_link : between_duties, controller.timer_clock))),
      run_down_(mechanism, model_of(mechanism), ticks_per_second_),
      feedback_(mechanism_, controller),
      hold_back_(mechanism.limits.current ? std::optional(mechanism.limits.current->base()) : std::nullopt) {
  if (feedback_.encoder() == nullptr) return;
  // A duty is taken over at a period's start: half a period later on average.
  const bool is_linked = controller.link && controller.small_chip;
  const Tick looks = is_linked ? ticks_at_least(steps_of_loop, controller.timer_clock) : stride_;
  hold_.emplace(mechanism_, count_source(mechanism_, *feedback_.encoder()), ticks_per_second_, seconds(looks),
                0.5 * seconds(driver_.period()));
  if (is_linked)
    loop_.emplace(LoopSetup{id, loop_source(id), static_cast<LineId>(feedback_.encoder()->line_a),
                            hold_->loop_setup(looks), driver_.loop_outputs()},
                  ticks_per_second_);
}

double DutyMover::duty(Tick now) const {
  return holds_ ? hold_->duty() : course_.at(now);
}

std::shared_ptr<MotionRecord> DutyMover::begin(Lines& lines, double to, std::optional<double> ramp,
                                               std::optional<double> holds_for, std::string what) {
  require_no_obstacle(to != 0.0);
  const Tick now = lines.now();
  const double from = duty(now);
  const Tick since = driven_.since_other_way(now, to);
  const double wait = since == never ? 0.0 : limits().pause - seconds(since);
  DutyCourse next = course_;
  try {
    next.go(now, from, to, ramp, holds_for, wait);
  } catch (const RangeError& error) {
    throw RangeError(fmt::format("{}: {}", mechanism_.name, error.what()));
  }
  log().end(now, MotionStatus::cancelled);
  end_holding(lines);
  course_ = next;
  next_put_ = now;
  return log().begin(now, std::move(what));
}

std::shared_ptr<MotionRecord> DutyMover::spin(Lines& lines, const DutyOrder& order) {
  const auto time = [](const std::optional<ExactTime>& exact) -> std::optional<double> {
    return exact ? std::optional(exact->base().to_double()) : std::nullopt;
  };
  std::string what = "spin at " + duty_text(order.duty.base());
  if (order.lasts) what += fmt::format(" for {:.4g} s", order.lasts->base().to_double());
  return begin(lines, order.duty.base(), time(order.in), time(order.lasts), what);
}

const SpeedHold& DutyMover::speed_hold() const {
  if (!hold_) throw RangeError(mechanism_.name + ": has no encoder, so no speed can be held: give it a duty");
  return *hold_;
}

/// What a loop gave way to is not made up for.
Tick DutyMover::want_anew(const Lines& lines) {
  if (!loop_) return lines.now();
  hold_->take_over(std::exchange(yielded_, 0.0));
  loop_->begin_anew();
  return loop_->begins(lines);
}

/// From whatever is on to the loop, as the shaft turns now.
Tick DutyMover::close_loop(const Lines& lines) {
  const Tick at = want_anew(lines);
  log().end(lines.now(), MotionStatus::cancelled);
  follows_.end();
  if (!holds_) {
    const Counted counted = feedback_.counted();
    const double ahead = loop_ ? counted.per_second * seconds(at - feedback_.counted_when()) : 0.0;
    hold_->begin(at, counted.count + std::llround(ahead), counted.per_second);
  }
  course_.stay(0.0);
  holds_ = true;
  stops_ = false;
  held_until_ = never;
  return at;
}

std::shared_ptr<MotionRecord> DutyMover::begin_holding(Lines& lines, double speed,
                                                       std::optional<double> acceleration, std::string what) {
  require_no_obstacle(speed != 0.0);
  return hold_from_now(lines, speed, acceleration, std::move(what));
}

std::shared_ptr<MotionRecord> DutyMover::hold_from_now(Lines& lines, double speed,
                                                       std::optional<double> acceleration, std::string what) {
  const Tick at = close_loop(lines);
  stands_at_.reset();
  stops_ = speed == 0.0;
  held_acceleration_ = acceleration;
  hold_->spin(at, speed, acceleration);
  tell_loop(lines);
  return log().begin(lines.now(), std::move(what));
}

/// Its gains follow from what the lines take; slower than that, its motor has turned before anything is done.
void DutyMover::require_loop(const Lines& lines) {
  (void)speed_hold();
  if (loop_) return;  // it is closed where the lines are
  require_quick_lines(lines, loop_bears.base().to_double() * ticks_per_second_, ticks_per_second_,
                      mechanism_.name + ": the loop of its encoder");
  hold_->set_lines_delay(lines.lead() > stride_ ? seconds(lines.lead()) : 0.0);
}

std::shared_ptr<MotionRecord> DutyMover::move(Lines& lines, const MoveOrder& order) {
  require_loop(lines);
  if (order.in)
    throw RangeError(
        fmt::format("{}: how long a move by its encoder takes follows from its limits: give it a speed",
                    mechanism_.name));
  const OutputPosition from = stands_at_.value_or(feedback_.position());
  const OutputPosition to = target_of(mechanism_, from, order);
  std::optional<double> speed;
  if (order.speed) speed = order.speed->base.to_double();
  if (speed) hold_->range().require(*speed);
  const std::optional<double> acceleration = required(order.acceleration);
  require_no_obstacle(true);
  const Tick at = close_loop(lines);
  hold_->move(at, (to.base * feedback_.counts_per_base()).rounded(), speed, acceleration);
  stands_at_ = to;
  tell_loop(lines);
  return log().begin(lines.now(), "move to " + to_text(to));
}

Follower DutyMover::follower() const {
  return HeldFollow::follower(mechanism_, speed_hold(), feedback_.counts_per_base());
}

std::shared_ptr<MotionRecord> DutyMover::follow(Lines& lines, std::unique_ptr<Follow> follow,
                                                std::string what) {
  require_loop(lines);
  require_no_obstacle(true);
  const Tick at = close_loop(lines);
  stands_at_.reset();
  hold_->stay_where_it_is(at);
  follows_.begin(std::move(follow), lines);
  tell_loop(lines);
  return log().begin(lines.now(), std::move(what));
}

void DutyMover::let_go(Lines& lines) {
  if (follows_.following() == nullptr) throw RangeError(mechanism_.name + ": follows nothing");
  log().end(lines.now(), MotionStatus::done);
  begin_holding(lines, 0.0, {}, "stop");
}

std::shared_ptr<MotionRecord> DutyMover::move_as_wheel(Lines& lines, std::int64_t target, double speed,
                                                       double acceleration) {
  require_loop(lines);
  const Tick at = close_loop(lines);
  hold_->move(at, target, speed, acceleration);
  stands_at_.reset();
  tell_loop(lines);
  return log().begin(lines.now(), "roll");
}

std::shared_ptr<MotionRecord> DutyMover::roll_as_wheel(Lines& lines, double speed, double acceleration) {
  require_loop(lines);
  return hold_from_now(lines, speed, acceleration, "roll");
}

double DutyMover::feedback_counts_per_base() const {
  (void)speed_hold();
  return feedback_.counts_per_base().to_double();
}

std::optional<double> DutyMover::required(const std::optional<OutputAcceleration>& acceleration) const {
  if (!acceleration) return std::nullopt;
  hold_->range().require_acceleration(acceleration->base.to_double());
  return acceleration->base.to_double();
}

void DutyMover::require_no_obstacle(bool drives) const {
  if (drives) log().require_no_obstacle();
}

std::shared_ptr<MotionRecord> DutyMover::spin(Lines& lines, const SpeedOrder& order) {
  const double speed = order.at.base.to_double();
  speed_hold().range().require(speed);
  require_loop(lines);
  if (order.by)
    throw RangeError(
        fmt::format("{}: a held speed lasts for a time, or until it is stopped", mechanism_.name));
  const std::optional<double> acceleration = required(order.acceleration);
  const double ramps = 2.0 * hold_->range().ramp_seconds(speed, acceleration);
  if (order.lasts && order.lasts->base().to_double() < ramps)
    throw RangeError(fmt::format("{}: {} takes {:.3g} s from rest to rest at the least", mechanism_.name,
                                 speed_text(order.at.kind, speed), ramps));
  std::string what = "spin at " + speed_text(order.at.kind, speed);
  if (order.lasts) what += fmt::format(" for {:.4g} s", order.lasts->base().to_double());
  auto record = begin_holding(lines, speed, acceleration, what);
  if (order.lasts) {
    // Down as it went up, so that it is from rest to rest.
    const double until = order.lasts->base().to_double() - 0.5 * ramps;
    held_until_ = lines.now() + std::llround(until * ticks_per_second_);
  }
  return record;
}

std::shared_ptr<MotionRecord> DutyMover::change_speed(Lines& lines, OutputSpeed by) {
  const double from = holds_ && !stops_ ? hold_->asked_speed() : 0.0;
  if (from == 0.0) throw RangeError(fmt::format("{}: holds no speed", mechanism_.name));
  const double to = from + std::copysign(by.base.to_double(), from * by.base.to_double());
  if (to * from <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  hold_->range().require(to);
  return begin_holding(lines, to, {}, "go on at " + speed_text(by.kind, to));
}

/// A look at the count: the loop says the next duty.
void DutyMover::look_at_held(Lines& lines) {
  const Tick now = lines.now();
  Tick seen = now;  // the instant that is known of
  if (now >= held_until_) {
    held_until_ = never;
    stops_ = true;
    hold_->spin(want_anew(lines), 0.0, held_acceleration_);
  }
  if (loop_) {
    seen = feedback_.counted_when();
    if (const std::optional<LoopTold>& told = loop_->said()) {
      yielded_ = told->yielded / 256.0;
      hold_->see(seen, feedback_.counted(), *told, loop_->wanted(seen), feedback_.current());
    }
    tell_loop(lines);
  } else {
    (void)hold_->look(now, feedback_.counted(), feedback_.current());
  }
  next_put_ = now;
  if (!hold_->fault().empty()) {
    course_.stay(hold_->duty());
    end_holding(lines);
    log().fail(now, hold_->fault());
    return;
  }
  if (follows_.following() != nullptr || !hold_->has_arrived(seen)) return;
  if (stops_) {
    log().end(now, MotionStatus::done);
    end_holding(lines);
    course_.stay(0.0);
  } else if (held_until_ == never) {
    log().end(now, MotionStatus::done);
  }
}

std::shared_ptr<MotionRecord> DutyMover::change(Lines& lines, Fraction by) {
  const double from = course_.goal();
  if (from == 0.0) throw RangeError(fmt::format("{}: does not spin", mechanism_.name));
  const double to = std::abs(from) + require_finite(by.base(), "a duty");
  if (to <= 0.0)
    throw RangeError(
        fmt::format("{}: of {} nothing would be left; stop it instead", mechanism_.name, duty_text(from)));
  return begin(lines, std::copysign(to, from), {}, {},
               fmt::format("go on at {}", duty_text(std::copysign(to, from))));
}

std::shared_ptr<MotionRecord> DutyMover::reverse(Lines& lines, std::optional<ExactTime> ramp) {
  if (holds_ && !stops_ && ramp)
    throw RangeError(
        fmt::format("{}: is held at a speed: its limits say how fast it reverses", mechanism_.name));
  if (holds_ && !stops_)
    return begin_holding(lines, -hold_->asked_speed(), {},
                         "reverse to " + speed_text(output_kind(mechanism_.train), -hold_->asked_speed()));
  const double from = course_.goal();
  if (from == 0.0) throw RangeError(fmt::format("{}: does not spin", mechanism_.name));
  return begin(lines, -from, ramp ? std::optional(ramp->base().to_double()) : std::nullopt, {},
               "reverse to " + duty_text(-from));
}

std::shared_ptr<MotionRecord> DutyMover::stop(Lines& lines, std::optional<ExactTime> ramp) {
  if (holds_ && !ramp) return begin_holding(lines, 0.0, {}, "stop");
  return begin(lines, 0.0, ramp ? std::optional(ramp->base().to_double()) : std::nullopt, {}, "stop");
}

void DutyMover::let(Lines& lines, SlowsBy how) {
  const Tick now = lines.now();
  const bool was_driven = duty(now) != 0.0;
  log().end(now, MotionStatus::cancelled);
  driven_.end(now, was_driven);
  end_holding(lines);
  driver_.put_rest(lines, std::max(now + lines.lead(), free_at_), how);
  course_.stay(0.0);
  next_put_ = never;
  log().note(now, MotionNote::Kind::told, how == SlowsBy::braking ? "brake" : "coast");
}

void DutyMover::end_holding(Lines& lines) {
  if (loop_) free_at_ = loop_->end(lines);
  holds_ = false;
  follows_.end();
  held_until_ = never;
  stands_at_.reset();
}

void DutyMover::lines_were_cut(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  const double driven = duty(now);
  if (driven != 0.0) run_down_.begin_by_duty(now, driven);
  driven_.end(now, driven != 0.0);
  log().end(now, why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  if (loop_) loop_->forget();
  end_holding(lines);
  course_.stay(0.0);
  next_put_ = never;
  feedback_.forget();
}

void DutyMover::halt(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  if (holds_) {
    // By its loop, as fast as the current limit allows.
    log().end(now, why);
    log().begin(now, "stop", false);
    follows_.end();
    held_until_ = never;
    stops_ = true;
    hold_->spin(want_anew(lines), 0.0, {});
    tell_loop(lines);
    return;
  }
  const double from = duty(now);
  log().end(now, why);
  next_put_ = now;
  if (from == 0.0) {
    course_.stay(0.0);
    return;
  }
  course_.go(now, from, 0.0, {});
  log().begin(now, "stop", false);
}

void DutyMover::put(Lines& lines) {
  const Tick at = std::max(lines.now() + lines.lead(), free_at_);
  const double wanted = duty(lines.now());
  const bool is_held_back = wanted != 0.0 && hold_back_.share() < 1.0;
  if (is_held_back && held_back_since_ == never) {
    held_back_since_ = lines.now();
  } else if (!is_held_back && held_back_since_ != never) {
    held_back_ += lines.now() - std::exchange(held_back_since_, never);
  }
  const bool is_too_little = holds_ && std::abs(wanted) < driver_.duty_step();
  driven_.put(lines.now(), wanted, !is_too_little);
  if (holds_ && loop_) return run_down_.end();  // what it gives, its lines have
  if (is_too_little) {
    driver_.put_rest(lines, at, SlowsBy::braking);
  } else if (wanted != 0.0) {
    run_down_.end();
    driver_.put_duty(lines, at, wanted * hold_back_.share());
  } else {
    driver_.put_rest(lines, at, driver_.can_coast() ? mechanism_.limits.slows_by : SlowsBy::braking);
  }
}

/// The duty is where it should be: it stays there, for a time or until told otherwise.
void DutyMover::piece_is_over(Lines& lines) {
  const Tick now = lines.now();
  if (course_.end_piece(now)) {
    log().end(now, MotionStatus::done);
  } else {
    next_put_ = now;
  }
}

void DutyMover::act(Lines& lines, std::span<const Reading> readings) {
  if (!feedback_.is_asked()) {
    feedback_.ask(lines, stride_, driver_.period());
    if (loop_) loop_->ask(lines, stride_);
  }
  if (follows_.following() != nullptr)
    follows_.look(lines, readings, loop_ ? loop_->begins(lines) : lines.now(), *hold_, *this);
  if (!readings.empty()) read(lines, readings);
  if (loop_ && holds_ && loop_->next_tell() <= lines.now()) tell_loop(lines);
  if (next_put_ > lines.now()) return;
  put(lines);
  next_put_ = never;
  if (!course_.is_on_its_way() || holds_) return;
  const Tick ends = course_.piece_ends();
  if (lines.now() >= ends) {
    piece_is_over(lines);
  } else {
    next_put_ = std::min(lines.now() + stride_, ends);
  }
}

void DutyMover::read(Lines& lines, std::span<const Reading> readings) {
  const Tick now = lines.now();
  const BrushedFeedback::News news = feedback_.read(now, readings);
  if (loop_) loop_->hear(readings);
  if (news.has_current && hold_back_.take(*feedback_.current()) && course_.goal() != 0.0) next_put_ = 0;
  if (news.too_warm && duty(now) != 0.0)
    log().fail(now, fmt::format("{}: {} is {:.0f} K warmer than when it was switched on, and stands {:.0f} K",
                                mechanism_.name, feedback_.probe()->on_motor ? "its motor" : "its board",
                                *news.too_warm, *feedback_.highest_rise()));
  if (!news.has_count) return;
  if (holds_) {
    quiet_since_ = now;
    look_at_held(lines);
  } else {
    watch_count(now, news.has_counted);
  }
}

/// Coasting between, the current of a shaft that stands flows back into the supply in the rest of a period,
/// and is (2 d - 1) V/R on average where it does not come to an end before the next, else more.
double DutyMover::sure_drive(double duty) const {
  if (std::get<BridgeWiring>(mechanism_.wiring).decay == Decay::slow) return duty;
  return std::copysign(std::max(0.0, 2.0 * std::abs(duty) - 1.0), duty);
}

/// No loop goes by its encoder now; that it is lost, or its shaft stuck, is noticed all the same.
void DutyMover::watch_count(Tick now, bool has_counted) {
  const double driven = sure_drive(duty(now) * hold_back_.share());
  if (has_counted || !watches_count_ || !hold_->watch().surely_turns(driven)) quiet_since_ = now;
  const double quiet = seconds(now - quiet_since_) - hold_->watch().first_counts_within(driven);
  const std::string why = hold_->watch().fault_of_quiet(driven, quiet, feedback_.current());
  if (why.empty()) return;
  quiet_since_ = now;
  log().fail(now, why);
}

std::optional<OutputPosition> DutyMover::position(Tick) const {
  return feedback_.encoder() == nullptr ? std::nullopt : std::optional(feedback_.position());
}

std::vector<TracedSignal> DutyMover::signals() const {
  const std::string unit(speed_unit(output_kind(mechanism_.train)));
  std::vector<TracedSignal> signals{{"duty", "%"}, {"wanted_speed", unit}};
  if (feedback_.encoder() != nullptr) signals.push_back({"measured_speed", unit});
  if (feedback_.has_shunt()) signals.push_back({"measured_current", "A"});
  return with_lag(std::move(signals));
}

void DutyMover::sample(Tick now, std::span<double> values) const {
  const double scale = speed_units_per_base(output_kind(mechanism_.train));
  constexpr double not_known = std::numeric_limits<double>::quiet_NaN();
  std::size_t place = 0;
  values[place++] = 100.0 * duty(now);
  values[place++] = holds_ ? scale * hold_->wanted_speed(now) : not_known;
  if (feedback_.encoder() != nullptr) values[place++] = scale * feedback_.speed();
  if (feedback_.has_shunt()) values[place++] = feedback_.current().value_or(not_known);
  sample_lag(follows_.following(), values);
}

MoverVerdict DutyMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  verdict.add("duty_share", duty(now));
  verdict.add("highest_duty_share", highest_duty());
  verdict.add("driven", driven_seconds(), "s");
  const std::string words = add_run_down(verdict, run_down_, output_kind(mechanism_.train), now);
  verdict.sum = fmt::format("driven for {:.3g} s, at {:.3g} % duty at the most{}{}", driven_seconds(),
                            100.0 * highest_duty(), words.empty() ? "" : "; ", words);
  follows_.add_to(verdict);
  return verdict;
}

std::string DutyMover::asked(Tick now) const {
  const OutputKind kind = output_kind(mechanism_.train);
  std::string given = fmt::format("{:.0f} %", 100.0 * duty(now));
  if (!holds_) return given;
  return fmt::format("{:.3g} {} wanted, {}", speed_units_per_base(kind) * hold_->wanted_speed(now),
                     speed_unit(kind), given);
}

}  // namespace cogstride
