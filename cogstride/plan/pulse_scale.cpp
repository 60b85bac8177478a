#include "cogstride/plan/pulse_scale.hpp"

#include <fmt/format.h>

namespace cogstride {

PulseScale::PulseScale(const Mechanism& mechanism) {
  const auto* const input = std::get_if<PulseWidthInput>(&mechanism.board);
  if (input == nullptr || !mechanism.takes_pulse_width())
    throw RangeError(fmt::format("{}: a {} on a {} takes no pulse width", mechanism.name,
                                 kind_name(mechanism.motor), kind_name(mechanism.board)));
  const double shortest = input->shortest_pulse.base();
  const double longest = input->longest_pulse.base();
  const double centre = input->centre_pulse ? input->centre_pulse->base() : 0.5 * (shortest + longest);
  const double least = mechanism.is_throttled() && input->centre_pulse ? -1.0 : 0.0;
  points_[0] = {least, shortest};
  points_[1] = {0.5 * (least + 1.0), centre};
  points_[2] = {1.0, longest};
  if (mechanism.reversed) std::swap(points_[0].pulse, points_[2].pulse);
}

double PulseScale::seconds_per_share(double share) const {
  const Point& from = share < points_[1].share ? points_[0] : points_[1];
  const Point& to = share < points_[1].share ? points_[1] : points_[2];
  return (to.pulse - from.pulse) / (to.share - from.share);
}

double PulseScale::pulse_at(double share) const {
  return points_[1].pulse + (share - points_[1].share) * seconds_per_share(share);
}

double PulseScale::share_at(double pulse_seconds) const {
  const double off = pulse_seconds - points_[1].pulse;
  const bool is_below = (off < 0.0) == (points_[0].pulse < points_[2].pulse);
  const Point& end = points_[is_below ? 0 : 2];
  return points_[1].share + off * (end.share - points_[1].share) / (end.pulse - points_[1].pulse);
}

OutputPosition range_of(const Mechanism& mechanism) {
  const auto* const servo = std::get_if<HobbyServo>(&mechanism.motor);
  if (servo == nullptr)
    throw RangeError(
        fmt::format("{}: a {} motor does not swing", mechanism.name, kind_name(mechanism.motor)));
  return {output_kind(mechanism.train), servo->range.base() / motor_turns_per_base(mechanism.train)};
}

}  // namespace cogstride
