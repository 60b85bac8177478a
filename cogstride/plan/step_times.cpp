#include "cogstride/plan/step_times.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr double hardly_changes = 1e-7;  // of a speed, in a phase

/// Steps that are left in a phase when `made` has been reached.
std::int64_t steps_left(const RampPhase& phase, std::int64_t made) {
  if (phase.direction > 0) return std::max<std::int64_t>(0, phase.to.whole - made);
  const std::int64_t last = phase.to.part > 0.0 ? phase.to.whole + 1 : phase.to.whole;
  return std::max<std::int64_t>(0, made - last);
}

/// Times of steps at ways `first`, `first + change`, ... (steps) from a phase's slower end. The loops run
/// over plain arrays without a branch, so that the compiler can do several steps at once.
void write_even_times(const RampPhase& phase, double first, double change, std::span<double> out) {
  const std::size_t count = out.size();
  double* const times = out.data();
  if (phase.acceleration == 0.0) {
    const double seconds_per_step = 1.0 / phase.from_speed;
    for (std::size_t i = 0; i < count; ++i) {
      times[i] = phase.start +
                 (first + change * static_cast<double>(static_cast<std::int32_t>(i))) * seconds_per_step;
    }
    return;
  }
  const bool speeds_up = phase.to_speed > phase.from_speed;
  const double slow_speed = speeds_up ? phase.from_speed : phase.to_speed;
  if (std::abs(phase.to_speed - phase.from_speed) <= hardly_changes * slow_speed) {
    // The difference of two squares would have no digits left.
    const double seconds_per_step = (speeds_up ? 2.0 : -2.0) / (phase.from_speed + phase.to_speed);
    const double slower_end = speeds_up ? phase.start : phase.end();
    for (std::size_t i = 0; i < count; ++i)
      times[i] = slower_end +
                 (first + change * static_cast<double>(static_cast<std::int32_t>(i))) * seconds_per_step;
    return;
  }
  const double square = slow_speed * slow_speed;
  const double twice = 2.0 * phase.acceleration;
  const double inverse = (speeds_up ? 1.0 : -1.0) / phase.acceleration;
  const double origin = (speeds_up ? phase.start : phase.end()) - slow_speed * inverse;
  for (std::size_t i = 0; i < count; ++i) {
    const double way = first + change * static_cast<double>(static_cast<std::int32_t>(i));
    times[i] = origin + std::sqrt(square + twice * std::max(way, 0.0)) * inverse;
  }
}

/// Time and way from the slower end of a phase of constant jerk. The way is convex in time.
struct CubicWay {
  double speed;
  double acceleration;
  double jerk;
  double longest;  // s

  [[nodiscard]] double way(double t) const { return t * (speed + t * (acceleration / 2.0 + t * jerk / 6.0)); }
  [[nodiscard]] double speed_at(double t) const { return speed + t * (acceleration + t * jerk / 2.0); }

  /// The time of `wanted`, by Newton's method from `late`, a time that is not too early: on a convex curve it
  /// never steps beyond the root.
  [[nodiscard]] double time_of(double wanted, double late) const {
    if (wanted <= 0.0) return 0.0;
    double t = late;
    for (int i = 0; i < 60; ++i) {
      const double step = (way(t) - wanted) / speed_at(t);
      t -= step;
      if (step <= 4e-16 * t) break;
    }
    return t;
  }

  /// A time that is not too early: the longest there is, or what each part of the speed would take alone.
  [[nodiscard]] double late_time(double wanted) const {
    double late = longest;
    if (speed > 0.0) late = std::min(late, wanted / speed);
    if (jerk >= 0.0 && acceleration > 0.0) late = std::min(late, std::sqrt(2.0 * wanted / acceleration));
    if (jerk > 0.0) late = std::min(late, std::cbrt(6.0 * wanted / jerk));
    return late;
  }

  /// Steps over which the speed changes so little that a cubic through both ends is within 1e-7 of the times.
  [[nodiscard]] double steps_alike(double t) const {
    const double v = speed_at(t);
    const double a = acceleration + jerk * t;
    return 0.045 * v * std::min(v / std::max(a, 1e-300), std::sqrt(v / std::max(std::abs(jerk), 1e-300)));
  }
};

/// The same over a phase of constant jerk. Its steps are done in blocks: both ends by Newton's method, those
/// between from a cubic through the ends (Hermite's), corrected once by how far its place is off, at the pace
/// of the cubic itself: Newton's step without a division.
void write_cubic_times(const RampPhase& phase, double first, double change, std::span<double> out) {
  constexpr std::size_t longest_block = 256;
  const bool speeds_up = phase.speeds_up();
  const CubicWay cubic{speeds_up ? phase.from_speed : phase.to_speed, phase.acceleration, phase.jerk,
                       phase.duration};
  const double origin = speeds_up ? phase.start : phase.end();
  const double sign = speeds_up ? 1.0 : -1.0;
  const double half_acceleration = cubic.acceleration / 2.0;
  const double sixth_jerk = cubic.jerk / 6.0;

  double t = cubic.time_of(first, cubic.late_time(first));
  out[0] = origin + sign * t;
  std::size_t done = 1;
  while (done < out.size()) {
    const double from = first + change * static_cast<double>(done - 1);
    const double alike = cubic.steps_alike(t);
    const std::size_t count =
        std::min({out.size() - done, longest_block, static_cast<std::size_t>(std::max(1.0, alike))});
    const double to = from + change * static_cast<double>(count);
    // The tangent is never too early either; from 0 speed there is none.
    const double v = cubic.speed_at(t);
    const double tangent = v > 0.0 ? t + (to - from) / v : 0.0;
    const bool is_near = tangent > 0.5 * t && tangent < cubic.longest;
    const double t_end = cubic.time_of(to, is_near ? tangent : cubic.late_time(to));
    if (count > 1) {
      const double n = static_cast<double>(count);
      const double mean = (t_end - t) / n;
      const double slope = change / v;
      const double slope_end = change / cubic.speed_at(t_end);
      const double c2 = (3.0 * mean - 2.0 * slope - slope_end) / n;
      const double c3 = (slope + slope_end - 2.0 * mean) / (n * n);
      const double turn = sign * change;  // seconds a step, in the direction of time
      const double pace = turn * slope;
      const double pace_2 = turn * 2.0 * c2;
      const double pace_3 = turn * 3.0 * c3;
      double* const times = out.data() + done;
      for (std::size_t i = 0; i + 1 < count; ++i) {
        const double u = static_cast<double>(static_cast<std::int32_t>(i)) + 1.0;
        const double guess = t + u * (slope + u * (c2 + u * c3));
        const double f =
            guess * (cubic.speed + guess * (half_acceleration + guess * sixth_jerk)) - (from + change * u);
        times[i] = origin + sign * guess - f * (pace + u * (pace_2 + u * pace_3));
      }
    }
    out[done + count - 1] = origin + sign * t_end;
    done += count;
    t = t_end;
  }
}

void write_times(const RampPhase& phase, double first, double change, std::span<double> out) {
  if (phase.jerk == 0.0) {
    write_even_times(phase, first, change, out);
  } else {
    write_cubic_times(phase, first, change, out);
  }
}

}  // namespace

std::size_t StepTimes::fill(std::span<double> out) {
  const std::span<const RampPhase> phases = ramp_.phases();
  std::size_t written = 0;
  while (written < out.size() && phase_ < phases.size()) {
    const RampPhase& phase = phases[phase_];
    const std::int64_t left = steps_left(phase, made_);
    if (left == 0) {
      ++phase_;
      continue;
    }
    if (written > 0 && phase.direction != direction_) break;
    direction_ = phase.direction;
    const std::int64_t count = std::min<std::int64_t>(left, static_cast<std::int64_t>(out.size() - written));
    const StepPosition next{made_ + direction_, 0.0};
    // Ways are measured from the slower end, and grow towards the faster one.
    const bool from_start = phase.speeds_up();
    const double first =
        direction_ * (from_start ? way_between(phase.from, next) : way_between(next, phase.to));
    write_times(phase, first, from_start ? 1.0 : -1.0, out.subspan(written, static_cast<std::size_t>(count)));
    written += static_cast<std::size_t>(count);
    made_ += direction_ * count;
  }
  return written;
}

}  // namespace cogstride
