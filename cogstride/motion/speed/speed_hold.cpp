#include "cogstride/motion/speed/speed_hold.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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
}

void SpeedHold::spin(chip::Tick now, double speed, std::optional<double> acceleration) {
  course_.go_at(now, speed * range_.counts_per_base(), range_.acceleration_of(acceleration),
                range_.highest());
  holds_speed_ = true;
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
void SpeedHold::stay_at_place(chip::Tick now, double looked) {
  if (holds_speed_ || course_.arrived_for(now) < 0.0 || is_at_target() || (goes_along_ && asked_ != 0.0))
    return;
  course_.take_back((shaft_.place() - course_.end()) * looked / press_on_time);
  if (course_.arrived_for(now) > settles_in)
    fault_ = fmt::format("{}: stands {} counts of {} off the place it was sent to: something holds it", name_,
                         std::abs(target_ - shaft_.count()), source_);
}

double SpeedHold::look(chip::Tick now, const Counted& counted, std::optional<double> amperes) {
  const double looked = seconds(now - shaft_.looked_at());
  shaft_.look(now, counted, duty_);
  stay_at_place(now, looked);
  const double speed = shaft_.speed();
  const SpeedWanted want = course_.at(now);
  DutyRange may = duty_range(answer_, range_.current_limit(), speed, range_.most_duty());
  if (!can_brake_) may = {std::min(0.0, may.least), std::max(0.0, may.most)};
  const double between = 1.0 / std::max(range_.lowest(), std::abs(want.speed));
  const SpeedGains gains = speed_gains(answer_, bandwidth_for(delay_ + lines_delay_ + of_a_count * between));
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
