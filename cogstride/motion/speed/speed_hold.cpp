#include "cogstride/motion/speed/speed_hold.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace cogstride {
namespace {

constexpr double of_a_count = 0.5;      // of the time between two counts, that what is done comes later
constexpr double press_on_time = 0.05;  // s

}  // namespace

SpeedHold::SpeedHold(const Mechanism& mechanism, const CountSource& source, double ticks_per_second,
                     double looks, double lead)
    : name_(mechanism.name),
      source_(source.name),
      ticks_per_second_(ticks_per_second),
      sign_(source.counts_per_base < 0.0 ? -1.0 : 1.0),
      can_brake_(source.can_brake),
      // A count is seen half a look late on average, and what follows works through the winding.
      delay_(0.5 * looks + lead + source.winding),
      answer_(duty_answer(source.model, mechanism.load.slackens, counts_per_rad(mechanism, source))),
      range_(mechanism, source),
      course_(ticks_per_second),
      shaft_(answer_, sign_, ticks_per_second),
      watch_(mechanism, source, range_, answer_, ticks_per_second) {}

void SpeedHold::begin(chip::Tick now, std::int64_t count, double counts_per_second) {
  fault_.clear();
  shaft_.begin(now, count, counts_per_second);
  course_.begin(now, static_cast<std::int64_t>(sign_) * count, sign_ * counts_per_second);
  watch_.begin(now);
  yielded_ = 0.0;
  has_changed_ = true;
}

void SpeedHold::spin(chip::Tick now, double speed, std::optional<double> acceleration) {
  course_.go_at(now, speed * range_.counts_per_base(), range_.acceleration_of(acceleration),
                range_.highest());
  holds_speed_ = has_changed_ = true;
  goes_along_ = false;
  asked_ = speed;
  watch_.order(now);
}

void SpeedHold::move(chip::Tick now, std::int64_t target, std::optional<double> speed,
                     std::optional<double> acceleration) {
  const double most =
      speed ? std::min(*speed * range_.counts_per_base(), range_.highest()) : range_.highest();
  const auto forwards = static_cast<std::int64_t>(sign_) * target;
  course_.go_to(now, sign_ > 0.0 ? forwards : forwards - 1, most, range_.acceleration_of(acceleration));
  holds_speed_ = false;
  has_changed_ = true;
  goes_along_ = false;
  asked_ = 0.0;
  target_ = target;
  watch_.order(now);
}

void SpeedHold::go_along(chip::Tick now, const Course& course) {
  const RampLimits limits = own_limits();
  const double most = course.most_speed > 0.0 ? std::min(limits.speed, course.most_speed) : limits.speed;
  course_.go_along(now, course, most, limits.acceleration);
  if (!goes_along_) watch_.order(now);
  holds_speed_ = false;
  has_changed_ = true;
  goes_along_ = true;
  asked_ = course.speed / range_.counts_per_base();
  const std::int64_t forwards = course.place.whole + (course.place.part >= 0.5 ? 1 : 0);
  target_ = sign_ > 0.0 ? forwards : -forwards - 1;
}

bool SpeedHold::has_arrived(chip::Tick now) const {
  if (course_.arrived_for(now) < 0.0 || (goes_along_ && asked_ != 0.0)) return false;
  if (!holds_speed_) return is_at_target() && seconds(now - shaft_.counted_at()) > stands_for;
  const double asked = asked_ * range_.counts_per_base();
  return asked == 0.0 || std::abs(shaft_.speed() - asked) <= (1.0 - HoldWatch::far_below) * std::abs(asked);
}

/// At the end of a move friction may hold it a count or two off: it is pressed on until its count is there.
void SpeedHold::stay_at_place(chip::Tick now, double pressed_for) {
  if (holds_speed_ || course_.arrived_for(now) < 0.0 || is_at_target() || (goes_along_ && asked_ != 0.0))
    return;
  course_.take_back((shaft_.place() - course_.end()) * pressed_for / press_on_time);
  if (course_.arrived_for(now) > settles_in)
    fault_ = fmt::format("{}: stands {} counts of {} off the place it was sent to: something holds it", name_,
                         std::abs(target_ - shaft_.count()), source_);
}

SpeedGains SpeedHold::gains_at(double speed) const {
  const double between = 1.0 / std::max(range_.lowest(), std::abs(speed));
  return speed_gains(answer_, bandwidth_for(delay_ + lines_delay_ + of_a_count * between));
}

namespace {

/// To the nearest that an integer holds.
template <class Integer>
Integer held_in(double value) {
  constexpr double least = std::numeric_limits<Integer>::lowest();
  constexpr double most = std::numeric_limits<Integer>::max();
  return static_cast<Integer>(std::llround(std::clamp(value, least, most)));
}

constexpr double duty_units = 32768.0;
constexpr double place_units = 65536.0;
constexpr double gain_units = 1048576.0;

/// Of a duty a count/s: for a speed of 1/4096 count a period. @param period  s
std::int32_t speed_gain(double gain, double period) {
  return held_in<std::int32_t>(gain * duty_units * gain_units / (4096.0 * period));
}

}  // namespace

chip::DutyLoopSetup SpeedHold::loop_setup(chip::Tick period) const {
  chip::DutyLoopSetup setup;
  const double apart = seconds(period);
  setup.period = static_cast<std::uint32_t>(period);
  setup.for_speed = speed_gain(1.0 / answer_.full_speed, apart);
  setup.for_emf = speed_gain(answer_.emf, apart);
  setup.span = held_in<std::int16_t>(duty_units * answer_.per_ampere * range_.current_limit());
  setup.most = held_in<std::int16_t>(duty_units * range_.most_duty());
  setup.brakes = held_in<std::int32_t>(place_units * range_.acceleration_of({}) * apart * apart);
  setup.can_brake = can_brake_;
  setup.is_reversed = sign_ < 0.0;
  return setup;
}

chip::LoopWanted SpeedHold::stretch(chip::Tick from, chip::Tick to, chip::Tick period, double lets) const {
  const SpeedWanted begin = course_.at(from);
  const SpeedWanted end = course_.at(to);
  const double apart = seconds(period);
  const chip::Tick whole = (to - from) / period;
  const auto periods = static_cast<double>(whole);
  const double speed = 0.5 * (begin.speed + end.speed);
  const double change = (end.speed - begin.speed) / (periods * apart);
  const SpeedGains gains = gains_at(speed);
  chip::LoopWanted wanted;
  wanted.place = static_cast<std::uint32_t>(std::llround(place_units * begin.place));
  wanted.speed = held_in<std::int32_t>(place_units * begin.speed * apart);
  wanted.change = held_in<std::int32_t>(place_units * change * apart * apart);
  wanted.periods = wanted.change == 0 ? std::uint16_t{0} : held_in<std::uint16_t>(periods);
  const double way = speed > 0.0 ? 1.0 : speed < 0.0 ? -1.0 : 0.0;
  wanted.base = held_in<std::int16_t>(duty_units * (gains.for_change * change + way * gains.for_friction +
                                                    (way > 0.0 ? gains.for_load : gains.for_load_else)));
  wanted.gains.per_speed = speed_gain(gains.per_speed, apart);
  wanted.gains.per_place =
      std::max(1, held_in<std::int32_t>(gains.per_place * duty_units * gain_units / 256.0));
  wanted.lets = held_in<std::uint8_t>(lets * int{chip::LoopWanted::lets_all});
  wanted.flags = holds_speed_ ? chip::LoopWanted::yields : chip::LoopWanted::eases;
  return wanted;
}

bool SpeedHold::is_even(chip::Tick from, chip::Tick to) const {
  const SpeedWanted begin = course_.at(from);
  const SpeedWanted end = course_.at(to);
  return begin.change == 0.0 && end.change == 0.0 && begin.speed == end.speed;
}

void SpeedHold::see(chip::Tick at, const Counted& counted, const LoopTold& told, const SpeedWanted& wanted,
                    std::optional<double> amperes) {
  shaft_.look(at, counted, duty_);
  stay_at_place(at, 0.0);  // the loop presses on by itself
  duty_ = told.duty / duty_units;
  const double yielded = told.yielded / 256.0;
  const DutyRange may = duty_range(answer_, range_.current_limit(), shaft_.speed(), range_.most_duty());
  constexpr double nearly = 0.99;
  const bool is_held_back = yielded != yielded_ || duty_ >= nearly * may.most || duty_ <= nearly * may.least;
  yielded_ = yielded;
  lag_ = wanted.place - yielded - shaft_.place();
  if (fault_.empty()) fault_ = watch_.look(at, shaft_, {duty_, wanted, lag_, is_held_back, amperes});
}

double SpeedHold::look(chip::Tick now, const Counted& counted, std::optional<double> amperes) {
  const double looked = seconds(now - shaft_.looked_at());
  shaft_.look(now, counted, duty_);
  stay_at_place(now, looked);
  const double speed = shaft_.speed();
  const SpeedWanted want = course_.at(now);
  DutyRange may = duty_range(answer_, range_.current_limit(), speed, range_.most_duty());
  if (!can_brake_) may = {std::min(0.0, may.least), std::max(0.0, may.most)};
  const SpeedGains gains = gains_at(want.speed);
  const LoopStep step = loop_step(gains, want, shaft_.place(), speed, may);
  if (holds_speed_) course_.take_back(step.beyond);
  // Where it was sent it needs no more than what its load takes; friction holds the rest.
  duty_ = !holds_speed_ && has_arrived(now) ? std::clamp(answer_.load_else, may.least, may.most) : step.duty;
  if (!std::isfinite(duty_)) {  // a board must never see it
    duty_ = 0.0;
    fault_ = name_ + ": its loop has lost its way: the duty that it asks for is no number";
    return duty_;
  }
  lag_ = want.place - shaft_.place();
  if (fault_.empty()) fault_ = watch_.look(now, shaft_, {duty_, want, lag_, step.beyond != 0.0, amperes});
  return duty_;
}

bool has_encoder(const Mechanism& mechanism) {
  return std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(),
                     [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
}

HeldRange held_speeds(const Mechanism& mechanism) {
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor))
      return {mechanism, count_source(mechanism, *encoder)};
  throw RangeError(mechanism.name + ": has no encoder, so no speed can be held: give it a duty");
}

}  // namespace cogstride
