#include "cogstride/plant/bus/drive_loops.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double drawn_along = 1.0 / 16.0;
constexpr double idle_current = 0.05;    // A, of its electronics
constexpr double blocked_speed = 20.0;   // counts/s
constexpr double blocked_at_most = 0.5;  // s
constexpr double rests_below = 50.0;     // counts/s
constexpr double reached_within = 4.0;   // counts
constexpr double reached_speed_within = 0.02;

}  // namespace

void DriveLoops::begin(const DriveSense& sense) {
  wanted_ = cyclic_to_ = sense.place;
  speed_ = sense.speed;
  acceleration_ = integral_ = cyclic_left_ = cycle_ = lags_for_ = blocked_for_ = 0.0;
  brakes_ = has_rested_ = has_reached_ = false;
}

void DriveLoops::take_place(double place, double cycle) {
  // It goes by a clock of its own, which the common instants draw along: they come a little early or late.
  const double early = std::abs(cyclic_left_) < 0.5 * cycle ? cyclic_left_ : 0.0;
  cyclic_to_ = place;
  cycle_ = cycle;
  cyclic_left_ = cycle + (1.0 - drawn_along) * early;
  const double speed = (cyclic_to_ - wanted_) / cyclic_left_;
  acceleration_ = (speed - speed_) / cycle;
  speed_ = speed;
}

void DriveLoops::brake() {
  brakes_ = true;
  has_rested_ = false;
}

void DriveLoops::let_go() {
  current_ = applied_ = 0.0;
  brakes_ = false;
  is_limited_ = has_reached_ = false;
  speed_ = acceleration_ = integral_ = lag_ = 0.0;
}

void DriveLoops::to_speed(double speed, double acceleration, double seconds) {
  const double before = speed_;
  const double change = acceleration * seconds;
  speed_ += std::clamp(speed - speed_, -change, change);
  acceleration_ = (speed_ - before) / seconds;
  wanted_ += 0.5 * (before + speed_) * seconds;
}

void DriveLoops::to_place(const DriveOrders& orders, double seconds) {
  const double way = orders.place - wanted_;
  const double stops = std::sqrt(2.0 * orders.deceleration * std::abs(way));
  const double most = std::min(orders.profile_speed, stops);
  if (std::abs(way) <= std::abs(speed_) * seconds + 0.5 * orders.deceleration * seconds * seconds &&
      std::abs(speed_) <= 2.0 * orders.deceleration * seconds) {
    wanted_ = orders.place;
    speed_ = acceleration_ = 0.0;
    return;
  }
  const double to = std::copysign(most, way);
  const bool slows = std::abs(to) < std::abs(speed_) || to * speed_ < 0.0;
  to_speed(to, slows ? 1.05 * orders.deceleration : orders.acceleration, seconds);
}

void DriveLoops::want(const DriveOrders& orders, const DriveSense& sense, double seconds) {
  if (brakes_) return to_speed(0.0, orders.quick_deceleration, seconds);
  if (orders.halts) return to_speed(0.0, orders.deceleration, seconds);
  switch (orders.mode) {
    case DriveMode::profile_position:
      return to_place(orders, seconds);
    case DriveMode::profile_velocity:
    case DriveMode::cyclic_velocity: {
      const bool slows = std::abs(orders.speed) < std::abs(speed_) || orders.speed * speed_ < 0.0;
      return to_speed(orders.speed, slows ? orders.deceleration : orders.acceleration, seconds);
    }
    case DriveMode::cyclic_position:
      if (cyclic_left_ > seconds) {
        wanted_ += (cyclic_to_ - wanted_) * seconds / cyclic_left_;
      } else if (cyclic_left_ > -cycle_) {  // the next one is late: evenly on for as long again
        wanted_ = cyclic_to_ + speed_ * (seconds - cyclic_left_);
        acceleration_ = 0.0;
      } else {  // nothing new comes: it stays there
        speed_ = acceleration_ = 0.0;
        return;
      }
      cyclic_left_ -= seconds;
      return;
    default:  // by torque it is wherever it is
      wanted_ = sense.place;
      speed_ = sense.speed;
      acceleration_ = 0.0;
  }
}

/// As much of a current as its limits and its supply let through.
double DriveLoops::limited(double current, const DriveOrders& orders, const DriveMotor& motor,
                           const DriveSense& sense) {
  const double wanted = current;
  const double emf = motor.torque_constant * sense.speed * motor.rad_per_count;
  const double most = orders.most_current;
  current = std::clamp(current, -most, most);
  current =
      std::clamp(current, (-sense.supply - emf) / motor.resistance, (sense.supply - emf) / motor.resistance);
  if (orders.supply_current > 0.0 && sense.supply > 0.0) {
    // R i^2 + e i = U I: the root of the sense of the current.
    const double watts = orders.supply_current * sense.supply;
    if (current * (motor.resistance * current + emf) > watts) {
      const double root = std::sqrt(emf * emf + 4.0 * motor.resistance * watts);
      const double size = (std::copysign(root, current) - emf) / (2.0 * motor.resistance);
      current = std::abs(size) < std::abs(current) ? size : current;
    }
  }
  is_limited_ = std::abs(current - wanted) > 1e-6 + 1e-3 * std::abs(wanted);
  return current;
}

void DriveLoops::watch(const DriveOrders& orders, const DriveMotor& motor, const DriveSense& sense,
                       double seconds) {
  const auto fail = [&](std::uint16_t code) {
    if (fault_ == 0) fault_ = code;
  };
  if (sense.supply < motor.lowest_supply) fail(0x3220);
  if (sense.supply > motor.highest_supply) fail(0x3210);
  if (sense.celsius > motor.highest_celsius) fail(0x4210);
  blocked_for_ = is_limited_ && std::abs(sense.speed) < blocked_speed ? blocked_for_ + seconds : 0.0;
  if (blocked_for_ > blocked_at_most) fail(0x7121);
  lags_for_ = orders.lag_window > 0.0 && std::abs(lag_) > orders.lag_window ? lags_for_ + seconds : 0.0;
  // It lags because its shaft is held, or because too much is asked of it.
  if (lags_for_ > orders.lag_time) fail(blocked_for_ > 0.5 * orders.lag_time ? 0x7121 : 0x8611);
}

double DriveLoops::step(const DriveOrders& orders, const DriveMotor& motor, const DriveSense& sense,
                        double seconds) {
  if (!orders.is_driven) {
    let_go();
    from_supply_ = sense.supply > 0.0 ? idle_current : 0.0;
    lag_ = 0.0;
    return 0.0;
  }
  want(orders, sense, seconds);
  const bool by_torque = !brakes_ && !orders.halts &&
                         (orders.mode == DriveMode::torque || orders.mode == DriveMode::cyclic_torque);
  lag_ = wanted_ - sense.place;
  double current = orders.torque / motor.torque_constant * (motor.rad_per_count < 0.0 ? -1.0 : 1.0);
  if (!by_torque) {
    const double quarter = 0.25 * motor.bandwidth;
    const double speed_off = speed_ + quarter * lag_ - sense.speed;
    const double per = motor.inertia * motor.rad_per_count / motor.torque_constant;
    const double asked = per * (acceleration_ + motor.bandwidth * (speed_off + integral_));
    current = limited(asked, orders, motor, sense);
    // What is held back is not summed up.
    if (!is_limited_) integral_ += quarter * speed_off * seconds;
  } else {
    current = limited(current, orders, motor, sense);
  }
  current_ = current;
  applied_ = motor.resistance * current + motor.torque_constant * sense.speed * motor.rad_per_count;
  from_supply_ = idle_current + (sense.supply > 1.0 ? applied_ * current / sense.supply : 0.0);
  watch(orders, motor, sense, seconds);
  const bool stands = std::abs(sense.speed) < rests_below;
  if (brakes_ && speed_ == 0.0 && stands) has_rested_ = true;
  if (orders.mode == DriveMode::profile_velocity) {
    has_reached_ = std::abs(sense.speed - orders.speed) <=
                   std::max(rests_below, reached_speed_within * std::abs(orders.speed));
  } else {
    has_reached_ = std::abs((orders.mode == DriveMode::profile_position ? orders.place : wanted_) -
                            sense.place) <= reached_within;
  }
  return current_;
}

}  // namespace cogstride
