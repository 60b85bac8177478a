#include "cogstride/motion/cart/pair_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

constexpr ExactTime between_wheel_looks = ExactTime::from_base({1, 1000});
// Counts that a wheel may lag before both are slowed, and at which both wait for it.
constexpr double lag_allowed = 3.0;
constexpr double lag_waited_for = 12.0;
constexpr double hardly_moving = 0.1;  // of its speed ...
constexpr double longest_slow = 1.0;   // ... for so many seconds: it will not come there
constexpr double least_turns = 1e-4;   // of a wheel that stands, and is held there

/// The most of a way a second (or a second squared) that leaves each wheel at so many turns, times its
/// length.
double within(const CartWheels& wheels, const CartWay& way, double left_turns, double right_turns) {
  const WheelWays ways = wheel_ways(way, wheels.track);
  double share = std::numeric_limits<double>::infinity();
  if (ways.left != 0.0) share = std::min(share, left_turns * wheels.left_rolls / std::abs(ways.left));
  if (ways.right != 0.0) share = std::min(share, right_turns * wheels.right_rolls / std::abs(ways.right));
  return share * length_of(way);
}

}  // namespace

double CartWheels::top_speed(const CartWay& way) const {
  return within(*this, way, left.highest_speed(), right.highest_speed());
}

double CartWheels::top_acceleration(const CartWay& way) const {
  return within(*this, way, left.highest_acceleration(), right.highest_acceleration());
}

double CartWheels::required(const std::string& name, const CartWay& way, OutputSpeed speed) const {
  const bool on_the_spot = way.turns && !way.radius;
  if (speed.kind != (on_the_spot ? OutputKind::rotary : OutputKind::linear))
    throw RangeError(
        fmt::format("{}: the speed of a turn on the spot is an angle a second, of any other way a length "
                    "a second",
                    name));
  const double asked = speed.base.to_double() * (on_the_spot ? 2.0 * pi : 1.0);
  if (!(asked > 0.0)) throw RangeError(fmt::format("{}: a speed is above 0; the way says which way", name));
  const double top = top_speed(way);
  if (asked > top * (1.0 + 1e-9))
    throw RangeError(fmt::format(
        "{}: {} is over what its wheels can be held to here, {}", name, to_text(speed),
        on_the_spot ? fmt::format("{:.4g} deg/s", top * 180.0 / pi) : fmt::format("{:.4g} mm/s", 1e3 * top)));
  return asked;
}

CartWheels cart_wheels(const WheeledPair& pair, const Mechanism& left, const Mechanism& right) {
  return {held_speeds(left), held_speeds(right), rolled_per_turn(pair.left_wheel),
          rolled_per_turn(pair.right_wheel), pair.track.base()};
}

const MoverKind PairMover::its_kind{"is no wheeled pair", "wheeled pair"};

PairMover::PairMover(const WheeledPair& pair, MechanismId id, DutyMover& left, DutyMover& right,
                     const Controller& controller)
    : Mover(id, pair.name),
      pair_(pair),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      stride_(ticks_at_least(between_wheel_looks, controller.timer_clock)),
      wheels_(cart_wheels(pair, left.mechanism(), right.mechanism())) {
  const auto wheel = [](DutyMover& mover, Length diameter) {
    Wheel made;
    made.mover = &mover;
    made.rolled_per_turn = rolled_per_turn(diameter);
    made.counts_per_metre = mover.feedback_counts_per_base() / made.rolled_per_turn;
    return made;
  };
  left_ = wheel(left, pair.left_wheel);
  right_ = wheel(right, pair.right_wheel);
}

std::shared_ptr<MotionRecord> PairMover::drive(Lines& lines, const CartOrder& order) {
  const WheelWays ways = wheel_ways(order.way, wheels_.track);
  const double length = length_of(order.way);
  if (!(length > 0.0)) throw RangeError(fmt::format("{}: a way of nothing", pair_.name));
  if (!has_ended())
    throw RangeError(fmt::format("{}: is on its way; wait for it, or stop it first", pair_.name));
  const double speed =
      order.speed ? wheels_.required(pair_.name, order.way, *order.speed) : wheels_.top_speed(order.way);
  const double acceleration = wheels_.top_acceleration(order.way);
  for (Mover* const wheel : moves()) wheel->log().require_no_obstacle(name());
  for (Mover* const wheel : moves()) wheel->hold_for(*this);
  const auto send = [&](Wheel& wheel, double rolls) {
    if (!wheel.from) wheel.from = wheel.mover->feedback().count().value_or(0);
    if (!wheel.wanted) wheel.wanted = wheel.rolled;  // from where it stands
    *wheel.wanted += rolls;
    const auto target = *wheel.from + std::llround(*wheel.wanted * wheel.counts_per_metre);
    // Both ramps have the shape of the cart's own, scaled by the wheel's part in it.
    const double turns = std::max(least_turns, std::abs(rolls) / wheel.rolled_per_turn) / length;
    wheel.record = wheel.mover->move_as_wheel(lines, target, speed * turns, acceleration * turns);
  };
  try {
    send(left_, ways.left);
    send(right_, ways.right);
  } catch (...) {  // alone, the first would turn it round
    stop(lines, Braking::steepest);
    throw;
  }
  pace_ = 1.0;
  slow_since_ = -1;
  const Tick now = lines.now();
  next_act_ = now;
  return log().begin(now, "drive " + way_text(order.way));
}

std::shared_ptr<MotionRecord> PairMover::roll(Lines& lines, double speed, double turn) {
  require_finite(speed, "a speed in m/s");
  require_finite(turn, "a turn in rad/s");
  if (!rolls_ && !has_ended())
    throw RangeError(fmt::format("{}: is on its way; wait for it, or stop it first", pair_.name));
  const double half_track = 0.5 * wheels_.track;
  struct Wanted {
    Wheel& wheel;
    const HeldRange& range;
    double turns;  // a second
    double change = 0.0;
  };
  std::array<Wanted, 2> wanted{
      {{left_, wheels_.left, (speed - turn * half_track) / left_.rolled_per_turn},
       {right_, wheels_.right, (speed + turn * half_track) / right_.rolled_per_turn}}};
  double seconds = 0.0;
  for (Wanted& each : wanted) {
    if (std::abs(each.turns) > each.range.highest_speed() * (1.0 + 1e-9))
      throw RangeError(fmt::format(
          "{}: its {} wheel would have to roll at {:.4g} mm/s, and can be held to {:.4g}", pair_.name,
          &each.wheel == &left_ ? "left" : "right", 1e3 * std::abs(each.turns) * each.wheel.rolled_per_turn,
          1e3 * each.range.highest_speed() * each.wheel.rolled_per_turn));
    // Slower than it can be held to it stands, or goes as slowly as it can.
    const double lowest = each.range.lowest_speed();
    if (std::abs(each.turns) < lowest)
      each.turns = 2.0 * std::abs(each.turns) < lowest ? 0.0 : std::copysign(lowest, each.turns);
    // From what it has come to, which on a ramp is not what it was asked for.
    const DutyMover& mover = *each.wheel.mover;
    const double now = mover.holds_speed() ? mover.speed_hold().wanted_speed(lines.now()) : 0.0;
    each.change = std::abs(each.turns - now);
    seconds = std::max(seconds, each.change / each.range.highest_acceleration());
  }
  for (Mover* const wheel : moves()) wheel->log().require_no_obstacle(name());
  if (!rolls_) {
    for (Mover* const wheel : moves()) wheel->hold_for(*this);
    rolls_ = log().begin(lines.now(), "roll");
  }
  for (Wanted& each : wanted) {
    const double acceleration =
        each.change > 0.0 && seconds > 0.0 ? each.change / seconds : each.range.highest_acceleration();
    each.wheel.record = each.wheel.mover->roll_as_wheel(lines, each.turns, acceleration);
    each.wheel.wanted.reset();
  }
  pace_ = 1.0;
  next_act_ = lines.now();
  return rolls_;
}

void PairMover::look_at_wheels() {
  const auto look = [](Wheel& wheel) {
    const auto count = wheel.mover->feedback().count();
    if (!count) return 0.0;
    if (!wheel.from) wheel.from = *count;
    const double before = wheel.rolled;
    wheel.rolled = static_cast<double>(*count - *wheel.from) / wheel.counts_per_metre;
    return wheel.rolled - before;
  };
  const double left = look(left_);
  const double right = look(right_);
  if (left != 0.0 || right != 0.0) pose_ = pose_.rolled(left, right, wheels_.track);
}

/// Both go more slowly the further one of them lags.
void PairMover::set_pace(Tick now) {
  const double lag =
      std::max(std::abs(left_.mover->speed_hold().lag()), std::abs(right_.mover->speed_hold().lag()));
  pace_ = std::clamp((lag_waited_for - lag) / (lag_waited_for - lag_allowed), 0.0, 1.0);
  slowest_ = std::min(slowest_, pace_);
  left_.mover->set_pace(now, pace_);
  right_.mover->set_pace(now, pace_);
  if (pace_ > hardly_moving) {
    slow_since_ = -1;
  } else if (slow_since_ < 0) {
    slow_since_ = now;
  }
}

void PairMover::act(Lines& lines, std::span<const Reading> readings) {
  const Tick now = lines.now();
  if (!readings.empty() || next_act_ <= now) look_at_wheels();
  if (next_act_ > now) return;
  next_act_ = now + stride_;
  if (has_ended()) {
    next_act_ = never;
    return;
  }
  for (const Wheel* const wheel : {&left_, &right_}) {
    if (!wheel->record->has_ended() || wheel->record->status == MotionStatus::done) continue;
    // Alone, the other would turn it round.
    for (const Wheel* const other : {&left_, &right_})
      if (!other->record->has_ended()) other->mover->come_to_rest(lines);
    const bool has_a_reason = !wheel->record->fault.empty();
    end(now, {has_a_reason ? wheel->record->code : FaultCode::failed,
              has_a_reason ? wheel->record->fault : wheel->mover->name() + " was stopped by itself"});
    return;
  }
  if (rolls_) return;  // until it is stopped
  if (left_.record->has_ended() && right_.record->has_ended()) {
    end(now, MotionStatus::done);
    return;
  }
  set_pace(now);
  if (slow_since_ < 0 || static_cast<double>(now - slow_since_) < longest_slow * ticks_per_second_) return;
  slow_since_ = -1;
  let_go();
  log().fail(now, fmt::format("{}: has hardly moved for {:.2g} s: one of its wheels is held back by more "
                              "than its motor has",
                              pair_.name, longest_slow));
}

void PairMover::let_go() {
  rolls_.reset();
  for (Mover* const wheel : moves()) wheel->let_go_for(*this);
}

void PairMover::end(Tick now, MotionStatus status) {
  let_go();
  log().end(now, status);
}

void PairMover::end(Tick now, const Why& why) {
  let_go();
  log().end(now, why);
  // Where they come to rest is where the next way begins.
  for (Wheel* const wheel : {&left_, &right_}) wheel->wanted.reset();
}

void PairMover::stop(Lines& lines, Braking how) {
  left_.mover->stop(lines, how);
  right_.mover->stop(lines, how);
  end(lines.now(), MotionStatus::cancelled);
  for (Wheel* const wheel : {&left_, &right_}) wheel->wanted.reset();
}

void PairMover::halt(Lines& lines, const Why& why) {
  end(lines.now(), why);
}

std::vector<TracedSignal> PairMover::signals() const {
  return {{"thinks_x", "mm"}, {"thinks_y", "mm"}, {"thinks_heading", "deg"}, {"pace", "%"}};
}

void PairMover::sample(Tick, std::span<double> values) const {
  values[0] = 1e3 * pose_.x;
  values[1] = 1e3 * pose_.y;
  values[2] = pose_.heading * 180.0 / pi;
  values[3] = 100.0 * pace_;
}

std::string PairMover::asked(Tick) const {
  return fmt::format("{:.0f} mm on, {:.0f} mm to the left, {:.0f} deg", 1e3 * pose_.x, 1e3 * pose_.y,
                     pose_.heading * 180.0 / pi);
}

std::string words(const CartPose& pose) {
  return fmt::format("{:.1f} mm on, {:.1f} mm to the left, turned {:.2f} deg", 1e3 * pose.x + 0.0,
                     1e3 * pose.y + 0.0, pose.heading * 180.0 / pi);
}

MoverVerdict PairMover::came_to(Tick) const {
  MoverVerdict verdict = began_verdict();
  verdict.sum = "thinks that it stands " + words(pose_);
  verdict.add("thinks_x", 1e3 * pose_.x, "mm");
  verdict.add("thinks_y", 1e3 * pose_.y, "mm");
  verdict.add("thinks_heading", pose_.heading * 180.0 / pi, "deg");
  verdict.add("slowest_pace_share", slowest_);
  return verdict;
}

}  // namespace cogstride
