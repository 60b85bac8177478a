#include "cogstride/plan/jerk_limited.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/jerk_phases.hpp"

namespace cogstride::jerk_limited {
namespace {

/// Where a motion towards `direction` begins when the start speed may be jumped to.
State jumped(const State& start, int direction, const RampLimits& limits) {
  const double free = limits.free_speed();
  State state = start;
  if (free > 0.0 && std::abs(state.speed) <= free) {
    state.speed = direction * free;
    if (state.acceleration * direction < 0.0) state.acceleration = 0.0;
  }
  return state;
}

/// From rest over `way` > 0: both ramps alike, with the start speed u at their feet.
double peak_from_rest(double way, const RampLimits& limits) {
  const double u = limits.free_speed();
  const double a = limits.acceleration;
  const double j = limits.jerk;
  const double room = limits.speed - u;
  const double rise = room >= a * a / j ? room / a + a / j : 2.0 * std::sqrt(room / j);
  if ((u + limits.speed) * rise <= way) return limits.speed;
  // (u + p) (p - u + a^2 / j) / a = way, while the ramps reach the acceleration limit.
  const double half = a * a / (2.0 * j);
  if ((2.0 * u + 2.0 * half) * 2.0 * a / j <= way) {
    return -half + std::sqrt((half - u) * (half - u) + a * way);
  }
  // Else, with q^2 = p - u:  q^3 + 2 u q = way sqrt(j) / 2, by Cardano's formula; one real root.
  const double right = 0.25 * way * std::sqrt(j);
  double q = std::cbrt(2.0 * right);
  if (u > 0.0) {
    const double third = 2.0 * u / 3.0;
    const double c = std::cbrt(right + std::sqrt(right * right + third * third * third));
    q = c - third / c;
    q -= (q * (q * q + 2.0 * u) - 2.0 * right) / (3.0 * q * q + 2.0 * u);
  }
  return std::min(u + q * q, limits.speed);
}

/// Seven phases at the most, the last three the first ones mirrored.
void append_from_rest(Ramp& ramp, StepPosition target, int direction, const RampLimits& limits) {
  const StepPosition origin = ramp.end();
  const double way = direction * way_between(origin, target);
  const double foot = limits.free_speed();
  const double peak = peak_from_rest(way, limits);
  const double rise = peak - foot;
  const double rate = std::min(limits.acceleration, std::sqrt(limits.jerk * rise));
  const double bend = rate / limits.jerk;  // s
  const double even = rate < limits.acceleration ? 0.0 : rise / rate - bend;
  const double low = foot + 0.5 * rate * bend;
  const double high = peak - 0.5 * rate * bend;
  const double way_low = bend * (foot + rate * bend / 6.0);
  const double way_even = even > 0.0 ? 0.5 * (low + high) * even : 0.0;
  const double way_high = bend * (peak - rate * bend / 6.0);
  const double ramp_way = way_low + way_even + way_high;
  const double cruise = 2.0 * ramp_way < way * (1.0 - 1e-9) ? way - 2.0 * ramp_way : 0.0;

  RampPhase phase;
  phase.direction = direction;
  const auto add = [&](StepPosition to, double from_speed, double to_speed, double duration, double jerk) {
    phase.to = to;
    phase.from_speed = from_speed;
    phase.to_speed = to_speed;
    phase.duration = duration;
    phase.jerk = jerk;
    ramp.append(phase);
  };
  const auto from_origin = [&](double distance) { return origin.moved(direction * distance); };
  const auto before_target = [&](double distance) { return target.moved(-direction * distance); };
  if (rise > 0.0) {
    add(from_origin(way_low), foot, low, bend, limits.jerk);
    phase.acceleration = rate;
    if (even > 0.0) add(from_origin(way_low + way_even), low, high, even, 0.0);
    add(cruise > 0.0 ? from_origin(ramp_way) : before_target(ramp_way), high, peak, bend, -limits.jerk);
  }
  phase.acceleration = 0.0;
  if (cruise > 0.0) add(before_target(ramp_way), peak, peak, cruise / peak, 0.0);
  if (rise > 0.0) {
    phase.acceleration = rate;
    add(before_target(way_low + way_even), peak, high, bend, -limits.jerk);
    if (even > 0.0) add(before_target(way_low), high, low, even, 0.0);
    phase.acceleration = 0.0;
    add(target, low, foot, bend, limits.jerk);
  }
}

/// A motion that first changes its speed towards the limit and turns to `end_speed` at some instant.
class Turn {
 public:
  Turn(const State& start, int direction, double end_speed, double way, const RampLimits& limits)
      : limits_(limits),
        start_(start),
        direction_(direction),
        end_speed_(end_speed),
        way_(way),
        up_(SpeedChange(start, direction * limits.speed, limits).pieces()),
        duration_(up_.duration()) {}

  /// Steps beyond the target at which it ends when it turns at `instant`, and what a second later would add.
  struct End {
    double beyond;
    double slope;
  };
  [[nodiscard]] End end(double instant) const {
    State state = start_;
    double jerk = 0.0;
    for (const Piece& piece : up_) {
      jerk = piece.jerk;
      state = after(state, std::min(piece.duration, instant), jerk);
      if (instant <= piece.duration) break;
      instant -= piece.duration;
    }
    const SpeedChange change(state, end_speed_, limits_);
    return {direction_ * (change.end_way() - way_),
            direction_ * (jerk - change.first_jerk()) * change.way_for_acceleration()};
  }

  /// The instant at which it ends at the target, from ends on both sides of it: Newton's method, kept between
  /// them by halving.
  [[nodiscard]] double instant(double beyond_first, double beyond_last) const {
    double low = 0.0;
    double high = duration_;
    double t = high * beyond_first / (beyond_first - beyond_last);
    for (int i = 0; i < 100; ++i) {
      const End now = end(t);
      const double step = now.beyond / now.slope;
      if (std::abs(step) <= 4e-16 * duration_) break;
      (now.beyond < 0.0 ? low : high) = t;
      const double next = t - step;
      t = next > low && next < high ? next : 0.5 * (low + high);
      if (!(low < t && t < high)) break;
    }
    return t;
  }

  [[nodiscard]] const Pieces& up() const { return up_; }
  [[nodiscard]] double duration() const { return duration_; }

 private:
  const RampLimits& limits_;
  State start_;
  int direction_;
  double end_speed_;
  double way_;
  Pieces up_;
  double duration_;
};

/// From a state that has room enough, towards `direction`, to `end_speed` at `target`.
/// @return false when there is no such motion
bool append_moving(Ramp& ramp, const State& start, StepPosition target, int direction, double end_speed,
                   const RampLimits& limits) {
  const double way = way_between(ramp.end(), target);
  const Turn turn(start, direction, end_speed, way, limits);
  const double last = turn.end(turn.duration()).beyond;
  if (last <= 0.0) {
    const double top = direction * limits.speed;
    append_forwards(ramp, start, turn.up());
    append_backwards(ramp, SpeedChange({0.0, top, 0.0}, end_speed, limits).pieces(), end_speed, target, top);
    return true;
  }
  const double first = turn.end(0.0).beyond;
  if (first > 1e-12 * (std::abs(way) + 1.0)) return false;
  const Pieces up = turn.up().first(first < 0.0 ? turn.instant(first, last) : 0.0);
  State state = start;
  for (const Piece& piece : up) state = after(state, piece.duration, piece.jerk);
  append_forwards(ramp, start, up);
  append_backwards(ramp, SpeedChange(state, end_speed, limits).pieces(), end_speed, target, 0.0);
  return true;
}

/// Stops on the shortest way, wherever that ends.
void append_stop(Ramp& ramp, const MotionState& start, const RampLimits& limits) {
  const int direction = start.speed < 0.0 ? -1 : 1;
  const State moving = jumped({0.0, start.speed, start.acceleration}, direction, limits);
  const double free = direction * limits.free_speed();
  const SpeedChange stop(moving, free, limits);
  const double way = stop.end_way();
  if (way != 0.0) append_backwards(ramp, stop.pieces(), free, start.position.moved(way), 0.0);
}

/// The motion that has been begun already, on to `target`. @return false when it must stop first
bool go_on(Ramp& ramp, const MotionState& start, StepPosition target, const RampLimits& limits) {
  const State state{0.0, start.speed, start.acceleration};
  const double way = way_between(start.position, target);
  const double free = limits.free_speed();
  if (free == 0.0) {
    const double stop = SpeedChange(state, 0.0, limits).end_way();
    const int direction = way < stop ? -1 : 1;
    return append_moving(ramp, state, target, direction, 0.0, limits) ||
           append_moving(ramp, state, target, -direction, 0.0, limits);
  }
  const int direction = way < 0.0 ? -1 : 1;
  const State begun = jumped(state, direction, limits);
  return direction * begun.speed > 0.0 &&
         append_moving(ramp, begun, target, direction, direction * free, limits);
}

}  // namespace

double stopping_way(const MotionState& start, const RampLimits& limits) {
  Ramp stop(start.position);
  append_stop(stop, start, limits);
  return way_between(start.position, stop.end());
}

Ramp to_rest(const MotionState& start, StepPosition target, const RampLimits& limits) {
  Ramp ramp(start.position);
  const bool stands = std::abs(start.speed) <= limits.free_speed() && start.acceleration == 0.0;
  if (!stands) {
    if (go_on(ramp, start, target, limits)) return ramp;
    append_stop(ramp, start, limits);
  }
  const double left = way_between(ramp.end(), target);
  if (left != 0.0) append_from_rest(ramp, target, left < 0.0 ? -1 : 1, limits);
  return ramp;
}

Ramp to_speed(const MotionState& start, double speed, const RampLimits& limits) {
  Ramp ramp(start.position);
  const double free = limits.free_speed();
  State state{0.0, start.speed, start.acceleration};
  if (free > 0.0 && std::abs(state.speed) <= free) {
    state = jumped(state, speed < 0.0 ? -1 : 1, limits);
    if (std::abs(speed) <= free && state.acceleration == 0.0) state.speed = speed;
  }
  append_forwards(ramp, state, SpeedChange(state, speed, limits).pieces());
  ramp.append_cruise(speed);
  return ramp;
}

}  // namespace cogstride::jerk_limited
