#include "cogstride/study/results/duty_sweep.hpp"

namespace cogstride {
namespace {

DutyPoint between(const DutyPoint& a, const DutyPoint& b, double share) {
  const auto mix = [share](double from, double to) { return from + share * (to - from); };
  return {mix(a.duty, b.duty), mix(a.speed, b.speed), mix(a.current, b.current), mix(a.loss, b.loss)};
}

}  // namespace

std::optional<double> DutyCurve::start() const {
  for (const DutyPoint& point : up)
    if (point.speed > 0.0) return point.duty;
  return std::nullopt;
}

std::optional<double> DutyCurve::drop_out() const {
  std::optional<double> lowest;
  for (const DutyPoint& point : down) {
    if (!(point.speed > 0.0)) break;
    lowest = point.duty;
  }
  return lowest;
}

std::optional<DutyPoint> DutyCurve::at_speed(double speed) const {
  for (std::size_t i = 1; i < up.size(); ++i) {
    if (up[i].speed < speed || up[i - 1].speed >= speed) continue;
    return between(up[i - 1], up[i], (speed - up[i - 1].speed) / (up[i].speed - up[i - 1].speed));
  }
  return std::nullopt;
}

DutyPoint DutyCurve::at_duty(double duty) const {
  for (std::size_t i = 1; i < up.size(); ++i)
    if (up[i].duty >= duty)
      return between(up[i - 1], up[i], (duty - up[i - 1].duty) / (up[i].duty - up[i - 1].duty));
  return up.empty() ? DutyPoint{} : up.back();
}

}  // namespace cogstride
