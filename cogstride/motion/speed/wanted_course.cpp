#include "cogstride/motion/speed/wanted_course.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {

void WantedCourse::begin_ramp(chip::Tick now, double arrives) {
  done_ = 0.0;
  paced_at_ = now;
  pace_ = 1.0;
  arrives_ = arrives;
}

void WantedCourse::begin(chip::Tick now, std::int64_t place, double speed) {
  shift_ = 0.0;
  ramp_ = Ramp({place, 0.0});
  if (speed != 0.0) ramp_.append_cruise(speed);
  begin_ramp(now, 0.0);
}

MotionState WantedCourse::state(chip::Tick now) const {
  MotionState state = ramp_.state_at(time(now));
  state.speed *= pace_;
  state.acceleration *= pace_ * pace_;
  return state;
}

SpeedWanted WantedCourse::at(chip::Tick now) const {
  const MotionState own = state(now);
  return {own.position.to_double() - shift_, own.speed, own.acceleration};
}

void WantedCourse::go_at(chip::Tick now, double speed, double acceleration, double highest) {
  const MotionState from = state(now);
  RampLimits limits;
  limits.speed = std::max({highest, std::abs(from.speed), std::abs(speed)});
  limits.acceleration = acceleration;
  if (speed != 0.0) {
    ramp_ = plan_speed(from, speed, limits);
    begin_ramp(now, ramp_.phases().back().start);
    return;
  }
  // A shaft may rest between two counts: going on to the next one slower than a crawl would take seconds.
  ramp_ = Ramp(from.position);
  const StepPosition rest = from.position.moved(from.speed * std::abs(from.speed) / (2.0 * acceleration));
  if (way_between(from.position, rest) != 0.0) ramp_.append(rest, std::abs(from.speed), 0.0);
  begin_ramp(now, ramp_.duration());
}

void WantedCourse::go_to(chip::Tick now, std::int64_t place, double most, double acceleration) {
  MotionState from = state(now);
  from.position = from.position.moved(-shift_);
  shift_ = -0.5;  // a ramp goes from whole count to whole count: half a one further lies its middle
  ramp_ = plan_ramp(from, place, {most, acceleration});
  begin_ramp(now, ramp_.duration());
}

MotionState WantedCourse::wanted(chip::Tick now) const {
  MotionState own = state(now);
  own.position = own.position.moved(-shift_ - middle);
  return own;
}

void WantedCourse::go_along(chip::Tick now, const Course& course, double most, double acceleration) {
  const MotionState from = wanted(now);
  shift_ = -middle;
  ramp_ = plan_pursuit(from, course, {std::max(most, std::abs(from.speed)), acceleration});
  begin_ramp(now, ramp_.is_endless() ? ramp_.phases().back().start : ramp_.duration());
}

void WantedCourse::set_pace(chip::Tick now, double pace) {
  done_ = time(now);
  paced_at_ = now;
  pace_ = pace;
}

}  // namespace cogstride
