#include "cogstride/plan/knob.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double sure = 5.0;            // deviations of the noise that count as none
constexpr double least_band = 0.005;    // of the range, at each end: what a hand cannot feel
constexpr double least_change = 0.002;  // of the range
}  // namespace

KnobScale::KnobScale(const HandControl& hand, const AnalogueInputs& analogue)
    : low_(hand.lowest ? hand.lowest->base() : 0.0),
      high_(hand.highest ? hand.highest->base() : analogue.full_scale.base()),
      reversed_(hand.reversed) {
  if (!(high_ > low_))
    throw RangeError(fmt::format("{}: goes from {:.4g} V to {:.4g} V: the first must be the lower", hand.name,
                                 low_, high_));
  const double range = high_ - low_;
  const double code = analogue.volts_per_code();
  const double noise = analogue.noise.base() / std::sqrt(static_cast<double>(codes_per_mean)) + 0.5 * code;
  end_band_ = std::max(sure * noise, least_band * range);
  still_ = std::max(sure * noise / range, least_change);
  centre_band_ = std::max(hand.dead_band.base(), sure * noise);
  if (!hand.centre) return;
  has_centre_ = true;
  centre_ = hand.centre->base();
  still_ *= 2.0;  // of a range from -1 to 1
  if (centre_ - centre_band_ <= low_ + end_band_ || centre_ + centre_band_ >= high_ - end_band_)
    throw RangeError(
        fmt::format("{}: its centre {:.4g} V with its dead band does not lie inside {:.4g} V to {:.4g} V",
                    hand.name, centre_, low_, high_));
}

double KnobScale::share(double volts, double last) const {
  const auto part = [](double value, double from, double to) {
    return std::clamp((value - from) / (to - from), 0.0, 1.0);
  };
  double share = 0.0;
  if (!has_centre_) {
    share = part(volts, low_ + end_band_, high_ - end_band_);
    if (reversed_) share = 1.0 - share;
  } else {
    share = part(volts, centre_ + centre_band_, high_ - end_band_) -
            part(-volts, -(centre_ - centre_band_), -(low_ + end_band_));
    if (reversed_) share = -share;
  }
  const bool is_a_stop = share == 0.0 || std::abs(share) == 1.0;
  return is_a_stop || std::abs(share - last) > still_ ? share : last;
}

double KnobScale::volts(double share) const {
  const double turned = reversed_ ? (has_centre_ ? -share : 1.0 - share) : share;
  if (!has_centre_) return low_ + turned * (high_ - low_);
  return turned >= 0.0 ? centre_ + turned * (high_ - centre_) : centre_ + turned * (centre_ - low_);
}

}  // namespace cogstride
