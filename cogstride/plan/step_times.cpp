#include "cogstride/plan/step_times.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

/// Steps that are left in a phase when `made` has been reached.
std::int64_t steps_left(const RampPhase& phase, std::int64_t made) {
  if (phase.direction > 0) return std::max<std::int64_t>(0, phase.to.whole - made);
  const std::int64_t last = phase.to.part > 0.0 ? phase.to.whole + 1 : phase.to.whole;
  return std::max<std::int64_t>(0, made - last);
}

/// Times of steps at ways `first`, `first + change`, ... (steps) from a phase's slower end. The loops run
/// over plain arrays without a branch, so that the compiler can do several steps at once.
void write_times(const RampPhase& phase, double first, double change, std::span<double> out) {
  const std::size_t count = out.size();
  double* const times = out.data();
  if (phase.acceleration == 0.0) {
    const double seconds_a_step = 1.0 / phase.from_speed;
    for (std::size_t i = 0; i < count; ++i) {
      times[i] =
          phase.start + (first + change * static_cast<double>(static_cast<std::int32_t>(i))) * seconds_a_step;
    }
    return;
  }
  const bool speeds_up = phase.to_speed > phase.from_speed;
  const double slow_speed = speeds_up ? phase.from_speed : phase.to_speed;
  const double square = slow_speed * slow_speed;
  const double twice = 2.0 * phase.acceleration;
  const double inverse = (speeds_up ? 1.0 : -1.0) / phase.acceleration;
  const double origin = (speeds_up ? phase.start : phase.end()) - slow_speed * inverse;
  for (std::size_t i = 0; i < count; ++i) {
    const double way = first + change * static_cast<double>(static_cast<std::int32_t>(i));
    times[i] = origin + std::sqrt(square + twice * std::max(way, 0.0)) * inverse;
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
    const bool from_start = phase.to_speed >= phase.from_speed;
    const double first =
        direction_ * (from_start ? way_between(phase.from, next) : way_between(next, phase.to));
    write_times(phase, first, from_start ? 1.0 : -1.0, out.subspan(written, static_cast<std::size_t>(count)));
    written += static_cast<std::size_t>(count);
    made_ += direction_ * count;
  }
  return written;
}

}  // namespace cogstride
