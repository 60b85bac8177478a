#include "cogstride/motion/brushed/duty_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/trace/live_tally.hpp"

namespace cogstride {
namespace {

constexpr ExactTime between_duties = ExactTime::from_base({1, 1000});
constexpr double far_over = 0.5;            // of the limit
constexpr double held_back_per_look = 0.2;  // of the excess of a current, a millisecond

}  // namespace

const MoverKind DutyMover::its_kind{"is not driven by duty"};

DutyMover::DutyMover(const Mechanism& mechanism, MechanismId id, PwmGroup group, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      driver_(mechanism, id, group, controller),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      course_(duty_limits(mechanism), ticks_per_second_),
      stride_(std::max(driver_.period(), ticks_at_least(between_duties, controller.timer_clock))),
      run_down_(mechanism, model_of(mechanism), ticks_per_second_),
      encoder_(sensor_of<Encoder>(mechanism_)),
      shunt_(sensor_of<Shunt>(mechanism_)),
      probe_(sensor_of<TemperatureProbe>(mechanism_)),
      speed_(ticks_per_second_) {
  if (const auto& analogue = controller.analogue) volts_per_code_ = analogue->volts_per_code();
  // A duty is taken over at a period's start: half a period later on average.
  if (encoder_)
    hold_.emplace(mechanism_, count_source(mechanism_, *encoder_), ticks_per_second_, seconds(stride_),
                  0.5 * seconds(driver_.period()));
}

double DutyMover::duty(Tick now) const {
  return holds_ ? hold_->duty() : course_.at(now);
}

double DutyMover::speed() const {
  if (!encoder_) return 0.0;
  return speed_.counts_per_second() / counts_per_base(mechanism_, *encoder_).to_double();
}

double DutyMover::speed_error() const {
  if (!encoder_) return 0.0;
  return speed_.error() / std::abs(counts_per_base(mechanism_, *encoder_).to_double());
}

std::shared_ptr<MotionRecord> DutyMover::begin(Lines& lines, double to, std::optional<double> ramp,
                                               std::optional<double> holds_for, std::string what) {
  require_no_obstacle(to != 0.0);
  const Tick now = lines.now();
  const double from = duty(now);
  const double wait = turned_way_ * to < 0.0 ? limits().pause - seconds(now - turned_until_) : 0.0;
  DutyCourse next = course_;
  try {
    next.go(now, from, to, ramp, holds_for, wait);
  } catch (const RangeError& error) {
    throw RangeError(fmt::format("{}: {}", mechanism_.name, error.what()));
  }
  log().end(now, MotionStatus::cancelled);
  end_holding();
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

/// From whatever is on to the loop, as the shaft turns now.
void DutyMover::close_loop(Tick now) {
  log().end(now, MotionStatus::cancelled);
  if (!holds_) hold_->begin(now, count_.value_or(0), speed_.counts_per_second());
  course_.stay(0.0);
  holds_ = true;
  stops_ = false;
  held_until_ = never;
}

std::shared_ptr<MotionRecord> DutyMover::begin_holding(Lines& lines, double speed,
                                                       std::optional<double> acceleration, std::string what) {
  require_no_obstacle(speed != 0.0);
  const Tick now = lines.now();
  close_loop(now);
  stands_at_.reset();
  stops_ = speed == 0.0;
  held_acceleration_ = acceleration;
  hold_->spin(now, speed, acceleration);
  return log().begin(now, std::move(what));
}

std::shared_ptr<MotionRecord> DutyMover::move(Lines& lines, const MoveOrder& order,
                                              std::shared_ptr<ArrivingTogether> together) {
  (void)speed_hold();
  if (together)
    throw RangeError(mechanism_.name + ": moves by its encoder do not arrive together with others");
  if (order.in)
    throw RangeError(
        fmt::format("{}: how long a move by its encoder takes follows from its limits: give it a speed",
                    mechanism_.name));
  const OutputKind kind = output_kind(mechanism_.train);
  const Ratio a_count = counts_per_base(mechanism_, *encoder_);
  const OutputPosition from = stands_at_.value_or(OutputPosition{kind, Ratio(count_.value_or(0)) / a_count});
  const OutputPosition to = target_of(mechanism_, from, order);
  std::optional<double> speed;
  if (order.speed) speed = order.speed->base.to_double();
  if (speed) hold_->require(*speed);
  const std::optional<double> acceleration = required(order.acceleration);
  require_no_obstacle(true);
  const Tick now = lines.now();
  close_loop(now);
  hold_->move(now, (to.base * a_count).rounded(), speed, acceleration);
  stands_at_ = to;
  return log().begin(now, "move to " + to_text(to));
}

std::shared_ptr<MotionRecord> DutyMover::move_as_wheel(Lines& lines, std::int64_t target, double speed,
                                                       double acceleration) {
  (void)speed_hold();
  const Tick now = lines.now();
  close_loop(now);
  hold_->move(now, target, speed, acceleration);
  stands_at_.reset();
  return log().begin(now, "roll");
}

double DutyMover::feedback_counts_per_base() const {
  (void)speed_hold();
  return counts_per_base(mechanism_, *encoder_).to_double();
}

std::optional<double> DutyMover::required(const std::optional<OutputAcceleration>& acceleration) const {
  if (!acceleration) return std::nullopt;
  hold_->require_acceleration(acceleration->base.to_double());
  return acceleration->base.to_double();
}

void DutyMover::require_no_obstacle(bool drives) const {
  if (drives) log().require_no_obstacle();
}

std::shared_ptr<MotionRecord> DutyMover::spin(Lines& lines, const SpeedOrder& order) {
  const double speed = order.at.base.to_double();
  speed_hold().require(speed);
  if (order.by)
    throw RangeError(
        fmt::format("{}: a held speed lasts for a time, or until it is stopped", mechanism_.name));
  const std::optional<double> acceleration = required(order.acceleration);
  const double ramps = 2.0 * hold_->ramp_seconds(speed, acceleration);
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
  hold_->require(to);
  return begin_holding(lines, to, {}, "go on at " + speed_text(by.kind, to));
}

/// A look at the count: the loop says the next duty.
void DutyMover::look_at_held(Lines& lines) {
  const Tick now = lines.now();
  if (now >= held_until_) {
    held_until_ = never;
    stops_ = true;
    hold_->spin(now, 0.0, held_acceleration_);
  }
  (void)hold_->look(now, {*count_, counted_at_, speed_.counts_per_second()}, current_);
  next_put_ = now;
  if (!hold_->fault().empty()) {
    course_.stay(hold_->duty());
    end_holding();
    log().fail(now, hold_->fault());
    return;
  }
  if (!hold_->has_arrived(now)) return;
  if (stops_) {
    log().end(now, MotionStatus::done);
    end_holding();
    course_.stay(0.0);
  } else if (held_until_ == never) {
    log().end(now, MotionStatus::done);
  }
}

std::shared_ptr<MotionRecord> DutyMover::change(Lines& lines, double by) {
  const double from = course_.goal();
  if (from == 0.0) throw RangeError(fmt::format("{}: does not spin", mechanism_.name));
  const double to = std::abs(from) + by;
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
  driver_.put_rest(lines, now + lines.lead(), how);
  log().end(now, MotionStatus::cancelled);
  if (was_driven) turned_until_ = now;
  count_driven(now, false);
  end_holding();
  course_.stay(0.0);
  next_put_ = never;
  log().note(now, MotionNote::Kind::told, how == SlowsBy::braking ? "brake" : "coast");
}

void DutyMover::lines_were_cut(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  if (const double driven = duty(now); driven != 0.0) {
    turned_until_ = now;
    run_down_.begin_by_duty(now, driven);
  }
  count_driven(now, false);
  log().end(now, why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  end_holding();
  course_.stay(0.0);
  next_put_ = never;
  asked_ = false;
}

void DutyMover::halt(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  if (holds_) {
    // By its loop, as fast as the current limit allows.
    log().end(now, why);
    log().begin(now, "stop", false);
    held_until_ = never;
    stops_ = true;
    hold_->spin(now, 0.0, {});
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

void DutyMover::count_driven(Tick now, bool is_driven) {
  if (driven_since_ != never) driven_ += now - driven_since_;
  driven_since_ = is_driven ? now : never;
}

void DutyMover::put(Lines& lines) {
  const Tick at = lines.now() + lines.lead();
  const double wanted = duty(lines.now());
  highest_ = std::max(highest_, std::abs(wanted));
  count_driven(lines.now(), wanted != 0.0);
  if (holds_ && std::abs(wanted) < driver_.duty_step()) {
    driver_.put_rest(lines, at, SlowsBy::braking);
  } else if (wanted != 0.0) {
    turned_until_ = lines.now();
    turned_way_ = wanted < 0.0 ? -1 : 1;
    run_down_.end();
    driver_.put_duty(lines, at, wanted * let_through_);
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
  if (!asked_) ask_sensors(lines);
  if (!readings.empty()) read(lines, readings);
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

void DutyMover::ask_sensors(Lines& lines) {
  asked_ = true;
  // In the middle of a period: there the current of a bridge that brakes between is its mean.
  const Tick at = lines.now() + lines.lead();
  const Tick period = (stride_ + driver_.period() - 1) / driver_.period() * driver_.period();
  const Tick middle = (at + driver_.period()) / driver_.period() * driver_.period() + driver_.period() / 2;
  if (encoder_) {
    lines.sample(counter_source(*encoder_), at, stride_);
    lines.sample(counter_edge_source(*encoder_), at, stride_);
  }
  if (shunt_) lines.sample(analogue_source(shunt_->channel), middle, period);
  if (probe_) lines.sample(analogue_source(probe_->channel), at, 100 * stride_);
}

void DutyMover::read(Lines& lines, std::span<const Reading> readings) {
  std::optional<std::int64_t> count;
  Tick counted_at = 0;
  for (const Reading& reading : readings) {
    const double volts = volts_per_code_ * static_cast<double>(reading.raw);
    if (encoder_ && reading.source == counter_source(*encoder_)) count = reading.raw;
    if (encoder_ && reading.source == counter_edge_source(*encoder_)) counted_at = reading.raw;
    if (shunt_ && reading.source == analogue_source(shunt_->channel))
      hold_back(volts / (shunt_->resistance.base() * static_cast<double>(shunt_->gain)));
    if (probe_ && reading.source == analogue_source(probe_->channel)) {
      const double degrees = (volts - probe_->at_0_deg_c.base()) / probe_->per_kelvin.base();
      if (!cold_) cold_ = degrees;
      const auto& highest = probe_->on_motor ? std::get<BrushedMotor>(mechanism_.motor).heat.highest_rise
                                             : stage_of(mechanism_.board).highest_rise;
      if (highest && degrees - *cold_ > highest->base() && duty(lines.now()) != 0.0)
        log().fail(lines.now(),
                   fmt::format("{}: {} is {:.0f} K warmer than when it was switched on, and stands {:.0f} K",
                               mechanism_.name, probe_->on_motor ? "its motor" : "its board",
                               degrees - *cold_, highest->base()));
    }
  }
  if (!count) return;
  const bool has_counted = count_ != count;
  count_ = count;
  counted_at_ = counted_at;
  speed_.look(lines.now(), *count, counted_at);
  if (holds_) {
    quiet_since_ = lines.now();
    look_at_held(lines);
  } else {
    watch_count(lines.now(), has_counted);
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
  const double driven = sure_drive(duty(now) * let_through_);
  if (has_counted || !watches_count_ || !hold_->surely_turns(driven)) quiet_since_ = now;
  const double quiet = seconds(now - quiet_since_) - hold_->first_counts_within(driven);
  const std::string why = hold_->fault_of_quiet(driven, quiet, current_);
  if (why.empty()) return;
  quiet_since_ = now;
  log().fail(now, why);
}

/// The share of the duty that is let through follows the current: what is over the limit is taken back
/// evenly.
void DutyMover::hold_back(double amperes) {
  current_ = amperes;
  if (!mechanism_.limits.current) return;
  const double limit = mechanism_.limits.current->base();
  const double before = let_through_;
  const double excess = (amperes - limit) / limit;
  // Far over it the shaft is stuck: its current follows the duty at once. Near it most of the voltage stands
  // against a turning motor, and little of the duty changes much of the current.
  const double share = excess > far_over ? limit / amperes : 1.0 - held_back_per_look * excess;
  let_through_ = std::clamp(let_through_ * share, 0.0, 1.0);
  if (let_through_ < 1.0 && let_through_ < 0.02) let_through_ = 0.02;
  if (let_through_ != before && course_.goal() != 0.0) next_put_ = 0;
}

std::optional<OutputPosition> DutyMover::position(Tick) const {
  if (!encoder_) return std::nullopt;
  return OutputPosition{output_kind(mechanism_.train),
                        Ratio(count_.value_or(0)) / counts_per_base(mechanism_, *encoder_)};
}

std::vector<TracedSignal> DutyMover::signals() const {
  return {{"duty", "%"}, {"wanted_speed", std::string(speed_unit(output_kind(mechanism_.train)))}};
}

void DutyMover::sample(Tick now, std::span<double> values) const {
  values[0] = 100.0 * duty(now);
  values[1] = holds_ ? speed_units_per_base(output_kind(mechanism_.train)) * hold_->wanted_speed(now)
                     : std::numeric_limits<double>::quiet_NaN();
}

void DutyMover::add_to(LiveTally& tally, Tick now) const {
  tally.drives.push_back({mechanism_.name, highest_, driven_seconds(),
                          runs_down(run_down_, output_kind(mechanism_.train), now)});
}

std::string DutyMover::figures(Tick now) const {
  const OutputKind kind = output_kind(mechanism_.train);
  std::string given = fmt::format("{:.0f} %", 100.0 * duty(now));
  if (!holds_) return given;
  return fmt::format("{:.3g} {} wanted, {}", speed_units_per_base(kind) * hold_->wanted_speed(now),
                     speed_unit(kind), given);
}

}  // namespace cogstride
