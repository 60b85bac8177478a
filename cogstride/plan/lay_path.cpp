#include "cogstride/plan/lay_path.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace cogstride {
namespace {

/// A change of slope from 0 to 1 over a span of 1, its acceleration a trapezoid that rises over `rise` of it.
/// @return its integral from 0 to q; 1/2 at 1
double eased(double q, double rise) {
  if (q > 0.5) return q - 0.5 + eased(1.0 - q, rise);
  const double peak = 1.0 / (1.0 - rise);
  if (q < rise) return peak * q * q * q / (6.0 * rise);
  const double even = q - 0.5 * rise;
  return peak * (0.5 * even * even + rise * rise / 24.0);
}

/// How long a change of speed takes, and which share of that its acceleration rises.
struct Easing {
  double seconds;
  double rise;
};
Easing easing(const RampLimits& limits, double change) {
  const double acceleration = LayPath::used_share * limits.acceleration;
  const double even = change / acceleration;
  if (limits.jerk <= 0.0) return {even, 0.0};
  const double jerk = LayPath::used_jerk * limits.jerk;
  const double rise = acceleration / jerk;
  if (even < rise) return {2.0 * std::sqrt(change / jerk), 0.5};
  return {even + rise, rise / (even + rise)};
}

}  // namespace

TurnRound turn_round(const RampLimits& limits, double speed, double changes) {
  const Easing ease = easing(limits, changes * speed);
  const double way = speed * ease.seconds;
  return {ease.seconds, way, changes * way * eased(0.5, ease.rise)};
}

LayPath::LayPath(const Lay& lay) : lay_(lay) {
  if (!(lay.low < lay.high)) throw RangeError("it is laid between two ends, the lower one first");
  if (lay.dwell < Ratio(0)) throw RangeError("a dwell at the ends is not below 0");
  if (lay.layers && *lay.layers < 1) throw RangeError("at least one layer is laid");
}

Ratio LayPath::turning_point(std::int64_t layer) const {
  const Ratio since(layer - first_);
  return layer % 2 == 0 ? lay_.high + since * lay_.high_moves : lay_.low + since * lay_.low_moves;
}

/// Where it stays: after its last layer, or where its ends would pass each other.
bool LayPath::is_last(std::int64_t layer) const {
  if (lay_.layers && layer + 1 >= *lay_.layers) return true;
  const Ratio next = turning_point(layer + 1) - turning_point(layer);
  return layer % 2 == 0 ? next >= Ratio(0) : next <= Ratio(0);
}

void LayPath::begin(Ratio at) {
  if (at < lay_.low || lay_.high < at)
    throw RangeError("it stands outside the ends between which it is to lay: move it there first");
  start_ = at;
  first_ = 0;
  now_ = layer_of(0, Ratio(0), at, turning_point(0));
  floor_ = now_;
}

LayPath::Layer LayPath::layer_of(std::int64_t number, Ratio begins, Ratio from, Ratio to) const {
  Layer layer{number, begins, from, to, magnitude(to - from), {}, {}};
  layer.ends = begins + layer.length;
  layer.is_over = layer.ends + lay_.dwell;
  return layer;
}

LayPath::Layer LayPath::next_of(const Layer& layer) const {
  return layer_of(layer.number + 1, layer.is_over, layer.to, turning_point(layer.number + 1));
}

std::optional<LayPath::Layer> LayPath::before(const Layer& layer) const {
  if (!floor_ || layer.number <= floor_->number) return std::nullopt;
  if (layer.number == floor_->number + 1) return floor_;
  const std::int64_t number = layer.number - 1;
  const Ratio from = number == floor_->number + 1 ? floor_->to : turning_point(number - 1);
  return layer_of(number, layer.begins - lay_.dwell - magnitude(layer.from - from), from, layer.from);
}

void LayPath::find(Ratio way) {
  while (way < now_.begins) {
    const std::optional<Layer> earlier = before(now_);
    if (!earlier) return;
    now_ = *earlier;
  }
  while (now_.is_over <= way && !is_last(now_.number)) now_ = next_of(now_);
}

Ratio LayPath::place(Ratio way) {
  find(way);
  const Ratio into = way - now_.begins;
  if (into <= Ratio(0)) return now_.from;
  if (now_.length <= into) return now_.to;
  return now_.direction() > 0 ? now_.from + into : now_.from - into;
}

std::int64_t LayPath::step(Ratio way) {
  const Ratio at = place(way);
  return now_.direction() > 0 ? at.floor() : at.ceil();
}

std::int64_t LayPath::layers_done(Ratio way) {
  find(way);
  return now_.number + (now_.ends <= way ? 1 : 0);
}

double LayPath::rounded(Ratio whole, double beyond, double speed, const RampLimits& limits) {
  // The layer that it is in, looked for by the whole way and what is nearest to what lies beyond.
  find(whole);
  Layer layer = now_;
  double into = (whole - layer.begins).to_double() + beyond;
  for (;;) {
    const double span = layer.length.to_double() + lay_.dwell.to_double();
    if (into < 0.0) {
      const std::optional<Layer> earlier = before(layer);
      if (!earlier) break;
      layer = *earlier;
      into = into + layer.length.to_double() + lay_.dwell.to_double();
    } else if (into >= span && !is_last(layer.number)) {
      layer = next_of(layer);
      into -= span;
    } else {
      break;
    }
  }
  const double length = layer.length.to_double();
  const double dwell = lay_.dwell.to_double();
  const int way = layer.direction();
  const double from = layer.from.to_double();
  const double to = layer.to.to_double();
  const std::optional<Layer> earlier = before(layer);
  const bool is_first = !earlier;
  const bool ends_here = is_last(layer.number);
  const double fold = into <= 0.0 ? from : into >= length ? to : from + way * into;
  if (speed <= 0.0) return fold;
  // Corners of this layer: where it begins, where it ends, where its dwell ends.
  struct Corner {
    double at;  // of the way into the layer
    double place;
    double before;  // slopes
    double after;
    double room_before;
    double room_after;
  };
  const double slope = way;
  const double earlier_length = earlier ? earlier->length.to_double() : 0.0;
  const double room_back = is_first ? 0.0 : dwell > 0.0 ? dwell : earlier_length;
  const double next_length = ends_here ? 0.0 : next_of(layer).length.to_double();
  std::array<Corner, 3> corners{
      Corner{0.0, from, is_first || dwell > 0.0 ? 0.0 : -slope, slope, room_back, length},
      Corner{length, to, slope, ends_here || dwell > 0.0 ? 0.0 : -slope, length,
             ends_here     ? length
             : dwell > 0.0 ? dwell
                           : next_length},
      Corner{length + dwell, to, 0.0, ends_here ? 0.0 : -slope, dwell, next_length}};
  const std::size_t count = dwell > 0.0 && !ends_here ? 3 : 2;
  for (std::size_t i = 0; i < count; ++i) {
    const Corner& corner = corners[i];
    const double change = std::abs(corner.after - corner.before);
    if (change == 0.0 || (i == 0 && is_first)) continue;
    const Easing ease = easing(limits, change * speed);
    const double half =
        std::min({0.5 * speed * ease.seconds, 0.5 * corner.room_before, 0.5 * corner.room_after});
    const double off = into - corner.at;
    if (half <= 0.0 || std::abs(off) >= half) continue;
    return corner.place + corner.before * off +
           (corner.after - corner.before) * 2.0 * half * eased(0.5 * (off / half + 1.0), ease.rise);
  }
  return fold;
}

std::optional<std::int64_t> LayPath::ends_meet_after() const {
  // Both ends come together by so much a layer; the last layer before they would pass each other.
  if (!(lay_.high_moves < lay_.low_moves)) return std::nullopt;
  std::int64_t layer = 0;
  while (!is_last(layer)) ++layer;
  if (lay_.layers && layer + 1 >= *lay_.layers) return std::nullopt;
  return layer + 1;
}

void LayPath::change_ends(Ratio way, Ratio low, Ratio high) {
  if (!(low < high)) throw RangeError("it is laid between two ends, the lower one first");
  const Ratio at = place(way);
  const int direction = now_.direction();
  const Ratio into = std::max(Ratio(0), way - now_.begins);
  const bool dwells = now_.length <= into;
  lay_.low = low;
  lay_.high = high;
  first_ = now_.number;
  floor_.reset();
  if (!dwells) {
    const Ratio to = now_.direction() > 0 ? high : low;
    now_ = layer_of(now_.number, now_.begins, now_.from, direction > 0 ? std::max(to, at) : std::min(to, at));
  }
  floor_ = now_;
}

void LayPath::shift(Ratio by) {
  lay_.low += by;
  lay_.high += by;
  start_ += by;
  now_.from += by;
  now_.to += by;
  if (floor_) {
    floor_->from += by;
    floor_->to += by;
  }
}

}  // namespace cogstride
