#include "cogstride/motion/bus/bus_drive_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "cogstride/motion/bus/bus_clock.hpp"
#include "cogstride/motion/duty_course.hpp"
#include "cogstride/motion/speed/held_range.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/finite.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr double settles_within = 0.5;  // s after its ramp, until its drive stands where it was told to
constexpr double settled_within = 8.0;  // counts

}  // namespace

const MoverKind BusDriveMover::its_kind{"has no drive on a bus"};

BusDriveMover::BusDriveMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      controller_(controller),
      link_(mechanism, id, controller),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      counts_per_base_(steps_per_base(mechanism)),
      limits_(drive_limits(mechanism)),
      steepest_(std::max(limits_.acceleration, drive_steepest(mechanism))),
      most_torque_(drive_most_torque(mechanism)) {}

MotionState BusDriveMover::wanted(Tick at) const {
  if (at < ramp_at_) return before_.state_at(std::max(0.0, seconds(at - before_at_)));
  return ramp_.state_at(seconds(at - ramp_at_));
}

/// From a common instant on; until then it goes on as it was.
void BusDriveMover::go_by(const Ramp& ramp, Tick from) {
  if (from > ramp_at_) {
    before_ = ramp_;
    before_at_ = ramp_at_;
  }
  ramp_ = ramp;
  ramp_at_ = from;
}
void BusDriveMover::stay(StepPosition at, Tick from) {
  ramp_ = before_ = Ramp(at);
  ramp_at_ = before_at_ = from;
}

Tick BusDriveMover::next_instant(const Lines& lines) const {
  const Tick cycle = link_.cycle();
  const Tick soonest = lines.now() + lines.lead() + cycle / 4;
  return std::max(put_until_ + cycle, (soonest + cycle - 1) / cycle * cycle);
}

Tick BusDriveMover::next_act() const {
  if (!link_.is_up()) return link_.next_act();
  const Tick put = put_until_ + link_.cycle() - frames_before(link_.cycle());
  return std::max<Tick>(0, put);
}

std::shared_ptr<MotionRecord> BusDriveMover::begin(Lines& lines, Order order, std::string what) {
  if (order.kind != Order::Kind::rests && !link_.fault().empty())
    throw RangeError(
        fmt::format("{}: {}; arm it when that has been seen to", mechanism_.name, link_.fault()));
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  follow_.reset();
  settles_until_ = never;
  if (order.kind != Order::Kind::moves) stands_at_.reset();
  order_ = order;
  waits_ = true;
  link_.want_driven(true);
  return log().begin(now, std::move(what));
}

std::shared_ptr<MotionRecord> BusDriveMover::move(Lines& lines, const MoveOrder& order) {
  // Before its drive is up it stands where places count from.
  const OutputPosition from =
      stands_at_ ? *stands_at_
                 : position(lines.now()).value_or(OutputPosition{output_kind(mechanism_.train), Ratio(0)});
  const OutputPosition to = target_of(mechanism_, from, order);
  RampLimits limits = ramp_limits(mechanism_, controller_, order.speed, order.acceleration);
  const std::int64_t target = (to.base * counts_per_base_).rounded();
  if (order.in) {
    const std::int64_t way = target - (from.base * counts_per_base_).rounded();
    limits = limits_to_take(mechanism_, order.in->base().to_double(), way, limits);
  }
  log().require_no_obstacle();
  auto record = begin(lines, {Order::Kind::moves, target, 0.0, limits}, "move to " + to_text(to));
  stands_at_ = to;
  return record;
}

std::optional<OutputPosition> BusDriveMover::position(Tick now) const {
  if (zero_of_ == 0) return std::nullopt;
  const StepPosition at = wanted(now).position;
  const Ratio counts = Ratio(at.whole - zero_) + Ratio(std::llround(1024.0 * at.part), 1024);
  return OutputPosition{output_kind(mechanism_.train), counts / counts_per_base_};
}

std::shared_ptr<MotionRecord> BusDriveMover::turn(Lines& lines, double speed, const RampLimits& limits,
                                                  std::string what) {
  if (speed != 0.0) log().require_no_obstacle();
  return begin(lines, {Order::Kind::turns, 0, speed, limits}, std::move(what));
}

std::shared_ptr<MotionRecord> BusDriveMover::spin(Lines& lines, const SpeedOrder& order) {
  if (order.from || order.in)
    throw RangeError(
        fmt::format("{}: a speed of it has an acceleration, and no time to come to it", mechanism_.name));
  if (const std::optional<MoveOrder> way = move_of(mechanism_, controller_, order)) return move(lines, *way);
  const double speed = order.at.base.to_double();
  const OutputSpeed size{order.at.kind, order.at.base < Ratio(0) ? -order.at.base : order.at.base};
  return turn(lines, speed * counts_per_base(),
              ramp_limits(mechanism_, controller_, size, order.acceleration),
              "spin at " + speed_text(order.at.kind, speed));
}

std::shared_ptr<MotionRecord> BusDriveMover::change_speed(Lines& lines, OutputSpeed by) {
  const double from = order_.kind == Order::Kind::turns ? order_.speed : 0.0;
  if (from == 0.0) throw RangeError(fmt::format("{}: keeps no speed", mechanism_.name));
  const double to = std::abs(from) + by.base.to_double() * counts_per_base();
  if (to <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  if (to > limits_.speed * (1.0 + 1e-9))
    throw RangeError(fmt::format("{}: {} is over its limit of {}", mechanism_.name,
                                 speed_text(by.kind, to / counts_per_base()),
                                 to_text(mechanism_.limits.speed)));
  const double speed = std::copysign(to, from);
  return turn(lines, speed, limits_, "go on at " + speed_text(by.kind, speed / counts_per_base()));
}

std::shared_ptr<MotionRecord> BusDriveMover::reverse_speed(Lines& lines) {
  const double from = order_.kind == Order::Kind::turns ? order_.speed : 0.0;
  if (from == 0.0) throw RangeError(fmt::format("{}: keeps no speed", mechanism_.name));
  return turn(lines, -from, limits_,
              "reverse to " + speed_text(output_kind(mechanism_.train), -from / counts_per_base()));
}

std::shared_ptr<MotionRecord> BusDriveMover::spin(Lines& lines, const DutyOrder& order) {
  const double share = require_finite(order.duty.base(), "a share of its top speed");
  if (std::abs(share) > 1.0)
    throw RangeError(fmt::format("{}: {} of its top speed cannot be had", mechanism_.name, duty_text(share)));
  if (order.in && order.lasts)
    throw RangeError(
        fmt::format("{}: for a time it goes on its own ramp: leave out in how long it comes to its "
                    "speed",
                    mechanism_.name));
  const double speed = share * limits_.speed;
  RampLimits limits = limits_;
  if (order.in) {
    const double wants = std::abs(speed - wanted(lines.now()).speed) / order.in->base().to_double();
    if (wants > limits.acceleration * (1.0 + 1e-9))
      throw RangeError(fmt::format("{}: takes {:.3g} s to that speed at the least", mechanism_.name,
                                   std::abs(speed) / limits.acceleration));
    if (wants > 0.0) limits.acceleration = wants;
  }
  if (order.lasts)
    return spin(lines, SpeedOrder{.at = OutputSpeed{output_kind(mechanism_.train),
                                                    mechanism_.limits.speed.base *
                                                        Ratio(std::llround(1e6 * share), 1'000'000)},
                                  .lasts = order.lasts});
  return turn(lines, speed, limits, fmt::format("spin at {} of its top speed", duty_text(share)));
}

std::shared_ptr<MotionRecord> BusDriveMover::change(Lines& lines, Fraction by) {
  const double from = order_.kind == Order::Kind::turns ? order_.speed / limits_.speed : 0.0;
  if (from == 0.0) throw RangeError(fmt::format("{}: does not spin", mechanism_.name));
  const double to = std::abs(from) + require_finite(by.base(), "a share of its top speed");
  if (to <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  return spin(lines, DutyOrder{.duty = Fraction::from_base(std::copysign(to, from))});
}

std::shared_ptr<MotionRecord> BusDriveMover::reverse(Lines& lines, std::optional<ExactTime> ramp) {
  const double from = order_.kind == Order::Kind::turns ? order_.speed / limits_.speed : 0.0;
  if (from == 0.0) throw RangeError(fmt::format("{}: does not spin", mechanism_.name));
  return spin(lines, DutyOrder{.duty = Fraction::from_base(-from), .in = ramp});
}

std::shared_ptr<MotionRecord> BusDriveMover::pull(Lines& lines, Torque torque) {
  const double wanted = require_finite(torque.base(), "a torque");
  if (std::abs(wanted) > most_torque_ * (1.0 + 1e-9))
    throw RangeError(fmt::format("{}: {} of its motor cannot be had: its current gives {:.4g} N m",
                                 mechanism_.name, to_text(torque, "N m"), most_torque_));
  log().require_no_obstacle();
  return begin(lines, {Order::Kind::pulls, 0, 0.0, limits_, wanted},
               fmt::format("pull with {}", to_text(torque, "N m")));
}

/// By what it told last, where it would be by then.
MotionState BusDriveMover::told_state(Tick at) const {
  const DriveLink::Told& told = link_.told();
  const auto speed = static_cast<double>(told.speed);
  return {StepPosition{told.place, 0.0}.moved(speed * seconds(at - told.at)), speed, 0.0};
}

std::shared_ptr<MotionRecord> BusDriveMover::stop(Lines& lines, std::optional<ExactTime> ramp) {
  Order order{Order::Kind::rests, 0, 0.0, limits_};
  const double speed = std::abs(wanted(lines.now()).speed);
  if (ramp && speed > 0.0) {
    const double wants = speed / ramp->base().to_double();
    if (wants > limits_.acceleration * (1.0 + 1e-9))
      throw RangeError(fmt::format("{}: takes {:.3g} s to stop at the least", mechanism_.name,
                                   speed / limits_.acceleration));
    order.limits.acceleration = wants;
  }
  if (!link_.is_driven() && !waits_) {
    log().end(lines.now(), MotionStatus::cancelled);
    auto record = log().begin(lines.now(), "stop");
    log().end(lines.now(), MotionStatus::done);
    return record;
  }
  return begin(lines, order, "stop");
}

void BusDriveMover::stop(Lines& lines, Braking how) {
  (void)stop(lines, std::optional<ExactTime>{});
  if (how == Braking::steepest) order_.limits = {limits_.speed, steepest_, 0.0, 0.0};
}

void BusDriveMover::let(Lines& lines, SlowsBy how) {
  if (how == SlowsBy::braking)
    throw RangeError(fmt::format("{}: its drive brakes on a ramp: stop it instead", mechanism_.name));
  release(lines);
}

Follower BusDriveMover::follower() const {
  Follower follower;
  follower.name = mechanism_.name;
  follower.kind = output_kind(mechanism_.train);
  follower.grains_per_base = counts_per_base_;
  follower.grain = "counts";
  follower.zero = zero_;
  follower.limits = limits_;
  follower.looks_each = link_.cycle();
  if (const Limits& limits = mechanism_.limits; limits.travel_from) {
    const auto counts = [&](const OutputPosition& place) {
      return static_cast<double>(zero_) + (place.base * counts_per_base_).to_double();
    };
    follower.travel = {counts(*limits.travel_from), counts(*limits.travel_to)};
  }
  return follower;
}

std::shared_ptr<MotionRecord> BusDriveMover::follow(Lines& lines, std::unique_ptr<Follow> follow,
                                                    std::string what) {
  log().require_no_obstacle();
  auto record = begin(lines, {Order::Kind::follows, 0, 0.0, limits_}, std::move(what));
  follow_ = std::move(follow);
  followed_ = follow_;
  return record;
}

void BusDriveMover::let_go(Lines& lines) {
  if (!follow_) throw RangeError(mechanism_.name + ": follows nothing");
  log().end(lines.now(), MotionStatus::done);
  begin(lines, {Order::Kind::rests, 0, 0.0, limits_}, "stop");
}

std::int64_t BusDriveMover::commanded_step(Tick now) const {
  return std::llround(wanted(now).position.to_double());
}

Commanded::Ahead BusDriveMover::commanded(Tick now, Tick at) const {
  const MotionState then = wanted(at);
  return {then.position.to_double() - static_cast<double>(commanded_step(now)), then.speed};
}

std::shared_ptr<MotionRecord> BusDriveMover::arm(Lines& lines) {
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  link_.reset_fault(now);
  order_ = {Order::Kind::arms, 0, 0.0, limits_};
  waits_ = false;
  link_.want_driven(false);
  auto record = log().begin(now, "arm");
  if (link_.is_up() && link_.state() != DriveState::fault) log().end(now, MotionStatus::done);
  return record;
}

void BusDriveMover::hold(Lines& lines) {
  if (link_.is_driven()) return;
  if (!link_.fault().empty()) throw RangeError(fmt::format("{}: {}", mechanism_.name, link_.fault()));
  (void)begin(lines, {Order::Kind::rests, 0, 0.0, limits_}, "hold");
}

void BusDriveMover::release(Lines& lines) {
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  follow_.reset();
  waits_ = false;
  order_ = {};
  stay(wanted(now).position, now);
  link_.want_driven(false);
  settles_until_ = never;
  log().note(now, MotionNote::Kind::told, "release");
}

void BusDriveMover::halt(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  log().end(now, why);
  follow_.reset();
  settles_until_ = never;
  stands_at_.reset();
  if (!link_.is_driven()) {
    waits_ = false;
    order_ = {};
    link_.want_driven(false);
    return;
  }
  order_ = {Order::Kind::rests, 0, 0.0, {limits_.speed, steepest_, 0.0, 0.0}};
  waits_ = true;
  log().begin(now, "stop", false);
}

void BusDriveMover::lines_were_cut(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  log().end(now, why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  follow_.reset();
  waits_ = false;
  order_ = {};
  stay(wanted(now).position, now);
  settles_until_ = never;
  stands_at_.reset();
  link_.was_cut();
}

/// A ramp from what is wanted at a common instant.
void BusDriveMover::plan(Tick from) {
  const MotionState is = std::exchange(was_by_torque_, false) ? told_state(from) : wanted(from);
  switch (order_.kind) {
    case Order::Kind::moves:
      go_by(plan_ramp(is, zero_ + order_.place, order_.limits), from);
      break;
    case Order::Kind::turns:
      if (order_.speed != 0.0) {
        RampLimits limits = order_.limits;
        limits.speed = std::max({limits.speed, std::abs(is.speed), std::abs(order_.speed)});
        go_by(plan_speed(is, order_.speed, limits), from);
        break;
      }
      [[fallthrough]];
    default: {
      RampLimits limits = order_.limits;
      limits.speed = std::max({limits_.speed, std::abs(is.speed)});
      go_by(plan_stop(is, limits), from);
    }
  }
}

void BusDriveMover::start(Lines& lines) {
  waits_ = false;
  const Tick from = next_instant(lines);
  if (order_.kind == Order::Kind::follows) {
    plan(from);
    if (follow_) follow_->gear().begin(lines);
    return;
  }
  if (order_.kind == Order::Kind::pulls) {
    was_by_torque_ = true;
    return log().end(lines.now(), MotionStatus::done);
  }
  plan(from);
}

void BusDriveMover::look_at_leaders(Lines& lines, std::span<const Reading> readings) {
  if (!follow_ || waits_) return;
  const Tick from = next_instant(lines);
  const MotionState is = wanted(from);
  const std::optional<Course> course = follow_->look(lines.now(), readings, from, is);
  if (const std::string news = follow_->take_news(); !news.empty())
    log().note(lines.now(), MotionNote::Kind::told, news);
  if (!follow_->fault().empty()) {
    const std::string why = follow_->fault();
    log().fail(lines.now(), why);
    halt(lines, {FaultCode::failed, why});
    return;
  }
  if (course) {
    RampLimits limits = limits_;
    limits.speed = std::max(limits.speed, std::abs(is.speed));
    go_by(plan_pursuit(is, *course, limits), from);
  }
  if (follow_->is_over()) let_go(lines);
}

/// What its drive is told for the next common instant: where it is to be a cycle after that.
void BusDriveMover::put(Lines& lines) {
  const Tick instant = next_instant(lines);
  const Tick cycle = link_.cycle();
  const Tick at = std::max(instant - frames_before(cycle), lines.now() + lines.lead());
  if (!link_.is_driven()) {
    // Until it is driven it is told to stay where it is.
    stay({link_.told().place, 0.0}, instant);
  }
  DriveLink::Order order;
  if (link_.is_driven() && is_by_torque()) {
    const MotionState is = told_state(instant);
    stay(is.position, instant);
    order.mode = DriveMode::torque;
    order.torque = order_.torque;
  }
  const MotionState then = wanted(instant + cycle);
  order.place = std::llround(then.position.to_double());
  order.speed = std::llround(then.speed);
  link_.put(lines, at, order);
  put_until_ = instant;
}

void BusDriveMover::look_whether_over(Lines& lines) {
  const Tick now = lines.now();
  if (!log().is_on() || waits_ || follow_ || is_by_torque()) return;
  if (order_.kind == Order::Kind::arms) {
    if (link_.is_up() && link_.state() != DriveState::fault) log().end(now, MotionStatus::done);
    return;
  }
  if (!link_.is_driven()) return;
  const double arrives = ramp_.is_endless() ? ramp_.phases().back().start : ramp_.duration();
  const Tick arrived = ramp_at_ + std::llround(arrives * ticks_per_second_);
  if (now < arrived) return;
  if (ramp_.is_endless()) return log().end(now, MotionStatus::done);
  const double off = wanted(now).position.to_double() - static_cast<double>(link_.told().place);
  if (link_.told().at >= arrived && std::abs(off) <= settled_within)
    return log().end(now, MotionStatus::done);
  if (settles_until_ == never) {
    settles_until_ = now + std::llround(settles_within * ticks_per_second_);
  } else if (now > settles_until_) {
    settles_until_ = never;
    fail(lines, fmt::format("drive {} stands {:.3g} {} from where it was told to be", link_.id(),
                            display_units_per_base(output_kind(mechanism_.train)) * off / counts_per_base(),
                            display_unit(output_kind(mechanism_.train), 0)));
  }
}

void BusDriveMover::fail(Lines& lines, const std::string& why) {
  const std::string words = fmt::format("{}: {}", mechanism_.name, why);
  follow_.reset();
  waits_ = false;
  order_ = {};
  log().fail(lines.now(), words);
}

void BusDriveMover::tell_news(Lines& lines) {
  for (const std::string& news : link_.take_news()) log().note(lines.now(), MotionNote::Kind::told, news);
  if (const std::optional<std::string> fault = link_.take_fault()) {
    stay(wanted(lines.now()).position, lines.now());
    fail(lines, *fault);
  }
}

void BusDriveMover::act(Lines& lines, std::span<const Reading> readings) {
  const Tick now = lines.now();
  for (const Reading& reading : readings)
    if (reading.source == bus_source(the_bus)) link_.hear(frame_of(reading), reading.at);
  link_.serve(lines);
  link_.watch(now);
  tell_news(lines);
  if (!link_.is_up()) return;
  if (zero_of_ != link_.times_up()) {  // it has forgotten where it stood before
    zero_of_ = link_.times_up();
    zero_ = link_.told().place;
    stay({zero_, 0.0}, now);
  }
  const DriveLink::Told& told = link_.told();
  most_lag_ = std::max(most_lag_, std::abs(static_cast<double>(told.lag)));
  most_current_ = std::max(most_current_, std::abs(told.current));
  least_supply_ = std::min(least_supply_, told.supply > 0.0 ? told.supply : least_supply_);
  if (told.supply_current) most_supply_current_ = std::max(most_supply_current_, *told.supply_current);
  if (told.celsius) highest_celsius_ = std::max(highest_celsius_, *told.celsius);
  if (waits_ && link_.is_driven()) start(lines);
  look_at_leaders(lines, readings);
  look_whether_over(lines);
  if (now + lines.lead() >= put_until_ + link_.cycle() - frames_before(link_.cycle())) put(lines);
}

bool BusDriveMover::is_driven(Tick now) const {
  return link_.is_driven() && (wanted(now).speed != 0.0 || (is_by_torque() && order_.torque != 0.0));
}

std::vector<TracedSignal> BusDriveMover::signals() const {
  const OutputKind kind = output_kind(mechanism_.train);
  const std::string place(display_unit(kind, 0));
  const std::string speed(speed_unit(kind));
  return with_lag({{"asked", place},
                   {"wanted_speed", speed},
                   {"measured", place},
                   {"measured_speed", speed},
                   {"measured_current", "A"},
                   {"measured_torque", "N m"},
                   {"measured_supply", "V"},
                   {"supply_current", "A"},
                   {"applied_voltage", "V"},
                   {"temperature", "degC"},
                   {"drive_lag", place}});
}

void BusDriveMover::sample(Tick now, std::span<double> values) const {
  const OutputKind kind = output_kind(mechanism_.train);
  const double place = display_units_per_base(kind);
  const double speed = speed_units_per_base(kind) / counts_per_base();
  constexpr double not_known = std::numeric_limits<double>::quiet_NaN();
  std::fill(values.begin(), values.end(), not_known);
  if (zero_of_ != 0) {
    const MotionState is = wanted(now);
    values[0] = place * base_of(is.position.to_double());
    values[1] = speed * is.speed;
  }
  if (link_.has_told()) {
    const DriveLink::Told& told = link_.told();
    values[2] = place * base_of(static_cast<double>(told.place));
    values[3] = speed * static_cast<double>(told.speed);
    values[4] = told.current;
    values[5] = told.torque;
    values[6] = told.supply;
    values[7] = told.supply_current.value_or(not_known);
    values[8] = told.applied.value_or(not_known);
    values[9] = told.celsius.value_or(not_known);
    values[10] = place * static_cast<double>(told.lag) / counts_per_base();
  }
  sample_lag(follow_.get(), values);
}

std::optional<std::int64_t> BusDriveMover::counted(Tick) const {
  if (!link_.has_told()) return std::nullopt;
  return link_.told().place - zero_;
}

std::string BusDriveMover::asked(Tick now) const {
  const OutputKind kind = output_kind(mechanism_.train);
  if (!link_.is_up()) return link_.fault().empty() ? "is brought up" : "cannot be driven";
  const MotionState is = wanted(now);
  const std::string state = link_.state() ? to_text(*link_.state()) : "";
  return fmt::format("{:.4g} {}, {:.3g} {}; drive {}",
                     display_units_per_base(kind) * base_of(is.position.to_double()), display_unit(kind, 0),
                     speed_units_per_base(kind) * is.speed / counts_per_base(), speed_unit(kind), state);
}

std::optional<double> BusDriveMover::asked_speed(Tick now) const {
  return wanted(now).speed / counts_per_base();
}

MoverVerdict BusDriveMover::came_to(Tick now) const {
  const OutputKind kind = output_kind(mechanism_.train);
  MoverVerdict verdict = began_verdict();
  const double asked = display_units_per_base(kind) * base_of(wanted(now).position.to_double());
  verdict.add("asked", asked, std::string(display_unit(kind, 0)));
  if (link_.has_told()) {
    const DriveLink::Told& told = link_.told();
    verdict.add("told", display_units_per_base(kind) * base_of(static_cast<double>(told.place)),
                std::string(display_unit(kind, 0)));
    verdict.add("told_current_at_most", most_current_, "A");
    if (told.supply_current) verdict.add("told_supply_current_at_most", most_supply_current_, "A");
    if (told.supply > 0.0) verdict.add("told_supply_at_least", least_supply_, "V");
    verdict.add("told_lag_at_most", most_lag_, "counts");
    if (told.celsius) verdict.add("told_temperature_at_most", highest_celsius_, "degC");
  }
  verdict.sum =
      fmt::format("drive {} is {}", link_.id(), link_.state() ? to_text(*link_.state()) : "not heard");
  if (followed_) followed_->add_to(verdict);
  return verdict;
}

}  // namespace cogstride
