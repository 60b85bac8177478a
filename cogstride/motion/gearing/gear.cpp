#include "cogstride/motion/gearing/gear.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr double least_bend = 1e-3;  // of the acceleration that the follower may have
constexpr double bends_for = 20.0;   // half periods, that it is taken to last

}  // namespace

Gear::Gear(std::vector<GearTerm> terms, const Timing& timing, const RampLimits& limits, bool is_compensated,
           const std::optional<Lay>& lay)
    : terms_(std::move(terms)),
      parts_(terms_.size()),
      counts_(terms_.size()),
      timing_(timing),
      limits_(limits),
      is_compensated_(is_compensated) {
  settle_grain();
  for (const GearTerm& term : terms_)
    if (IndexCheck* const index = term.source->index()) indexes_.push_back(index);
  if (lay) lay_.emplace(*lay);
}

/// A grain that all ratios are whole parts of.
void Gear::settle_grain() {
  Ratio::Wide grain = place_.grain();
  for (const GearTerm& term : terms_) {
    const std::int64_t denominator = term.per_count.denominator();
    grain = grain / std::gcd(static_cast<std::int64_t>(grain), denominator) * denominator;
    if (grain > chip::GearedPlace::finest)
      throw RangeError("these ratios have no common step that is coarse enough to be kept exactly");
  }
  place_.set_grain(static_cast<std::int64_t>(grain));
  for (std::size_t i = 0; i < terms_.size(); ++i)
    parts_[i] = (terms_[i].per_count * Ratio(place_.grain())).rounded();
}

void Gear::begin(Lines& lines) {
  next_look_ = lines.now();
  for (const GearTerm& term : terms_) term.source->begin(lines);
}

bool Gear::is_known() const {
  for (const GearTerm& term : terms_)
    if (!term.source->is_known()) return false;
  return true;
}

/// Counts are looked at when they come; what is planned, each period.
bool Gear::take(Tick now, std::span<const Reading> readings) {
  bool has_news = false;
  bool any_is_planned = false;
  for (const GearTerm& term : terms_) {
    has_news |= term.source->take(now, readings);
    any_is_planned |= term.source->is_planned();
  }
  if (any_is_planned && now >= next_look_) {
    // One that is told seldom where to be is told at once when its leaders do something else.
    if (is_engaged_ && is_known()) go_on(now);
    if (now >= next_told_ || has_turned_out_otherwise(now)) {
      has_news = true;
      next_told_ = now + timing_.period;
    }
  }
  const Tick glance =
      is_looked_at_seldom() ? static_cast<Tick>(1e-3 * timing_.ticks_per_second) : timing_.period;
  if (now >= next_look_) next_look_ = any_is_planned ? now + glance : never;
  if (!has_news || !is_known()) return false;
  if (is_engaged_) go_on(now);
  return true;
}

void Gear::go_on(Tick now) {
  std::int64_t parts = 0;
  for (std::size_t i = 0; i < terms_.size(); ++i) {
    const std::int64_t count = terms_[i].source->count(now);
    parts += (count - counts_[i]) * parts_[i];
    counts_[i] = count;
  }
  place_.go_on(parts);
}

void Gear::engage(Tick now, StepPosition at) {
  const auto part = std::llround(at.part * static_cast<double>(place_.grain()));
  if (lay_) lay_->begin(Ratio(at.whole) + Ratio(part, place_.grain()));
  is_engaged_ = true;
  ++revision_;
  for (std::size_t i = 0; i < terms_.size(); ++i) counts_[i] = terms_[i].source->count(now);
  engaged_at_ = counts_.front();
  place_.stand_at(lay_ ? 0 : at.whole);
  place_.forget_rest();
  if (!lay_) place_.go_on(part);
}

std::optional<Gear::Plain> Gear::plain() const {
  constexpr std::int64_t most = 65'535;
  const std::optional<LineId> counted = terms_.front().source->counted_at();
  if (terms_.size() != 1 || lay_ || !is_engaged_ || !is_compensated_ || !counted) return std::nullopt;
  const Ratio per_count = terms_.front().per_count;
  const std::int64_t counts = per_count.denominator();
  if (counts > most || std::abs(per_count.numerator()) > counts || place_.grain() % counts != 0)
    return std::nullopt;
  const std::int64_t part = place_.grain() / counts;
  if (place_.rest() % part != 0) return std::nullopt;
  Plain plain;
  plain.counts_at = *counted;
  plain.what.steps = static_cast<std::int32_t>(per_count.numerator());
  plain.what.counts = static_cast<std::int32_t>(counts);
  plain.what.count = static_cast<std::uint16_t>(counts_.front());
  plain.what.place = static_cast<std::int32_t>(place_.position());
  plain.what.rest = static_cast<std::int32_t>(place_.rest() / part);
  return plain;
}

std::int64_t Gear::belongs_on() const {
  return lay_ ? lay_->step(way_exactly()) : place_.position();
}

std::int64_t Gear::layers_done() const {
  return lay_ && is_engaged_ ? lay_->layers_done(way_exactly()) : 0;
}

void Gear::change_ends(Tick now, Ratio low, Ratio high) {
  if (!lay_) throw RangeError("it does not go to and fro, so it has no ends to change");
  if (is_engaged_) go_on(now);
  lay_->change_ends(way_exactly(), low, high);
}

void Gear::shift(Ratio grains) {
  if (lay_) {
    lay_->shift(grains);
  } else {
    advance(grains);
  }
}

void Gear::advance(Ratio grains) {
  ++revision_;
  const std::int64_t before = place_.grain();
  const Ratio::Wide grain =
      Ratio::Wide(before) / std::gcd(before, grains.denominator()) * grains.denominator();
  if (grain > chip::GearedPlace::finest)
    throw RangeError("the ratio and the shift have no common step that is coarse enough to be kept exactly");
  place_.set_grain(static_cast<std::int64_t>(grain));
  settle_grain();
  place_.go_on((grains * Ratio(place_.grain())).rounded());
}

void Gear::change(Tick now, const std::vector<Ratio>& per_count) {
  if (is_engaged_) go_on(now);
  ++revision_;
  std::vector<Ratio> before;
  for (const GearTerm& term : terms_) before.push_back(term.per_count);
  for (std::size_t i = 0; i < terms_.size(); ++i) terms_[i].per_count = per_count[i];
  const chip::GearedPlace kept = place_;
  place_.set_grain(1);  // what is left of a step is kept as far as the new grain has it
  try {
    settle_grain();
  } catch (const RangeError&) {
    for (std::size_t i = 0; i < terms_.size(); ++i) terms_[i].per_count = before[i];
    place_ = kept;
    throw;
  }
  const std::int64_t grain = place_.grain();
  place_ = kept;
  place_.set_grain(grain);
}

Course Gear::leader(Tick now, Tick at) const {
  double beyond = static_cast<double>(place_.rest()) / static_cast<double>(place_.grain());
  double speed = 0.0;
  for (std::size_t i = 0; i < terms_.size(); ++i) {
    const double per_count = terms_[i].per_count.to_double();
    const double since = static_cast<double>(terms_[i].source->count(now) - counts_[i]);
    beyond += per_count * (since + terms_[i].source->beyond(now, at));
    speed += per_count * terms_[i].source->speed(now, at);
  }
  return {StepPosition{place_.position(), 0.0}.moved(beyond), speed};
}

/// The same, so far behind as it keeps itself.
Course Gear::way_at(Tick now, Tick at) const {
  Course way = leader(now, at);
  if (is_compensated_ || way.speed == 0.0) return way;
  const double lead = static_cast<double>(at - first().known_at(now)) / timing_.ticks_per_second;
  way.place = way.place.moved(-std::copysign(lag(way.speed, lead).sum(), way.speed));
  return way;
}

double Gear::laid_at(const Course& way) const {
  return lay_->rounded(Ratio(way.place.whole), way.place.part, std::abs(way.speed), limits_);
}

Course Gear::there(Tick now, Tick at) const {
  if (leaders_stand(now)) return {{belongs_on(), 0.0}, 0.0};
  const Course way = leader(now, at);
  return lay_ ? Course{StepPosition{}.moved(laid_at(way)), way.speed} : way;
}

Lag Gear::lag(double speed, double lead_seconds) const {
  Lag lag;
  const double v = std::abs(speed);
  for (const GearTerm& term : terms_)
    if (!term.source->is_planned()) lag.count += std::abs(term.per_count.to_double());
  if (lag.count == 0.0 || is_compensated_) return {};
  lag.sampling = v * static_cast<double>(timing_.period) / timing_.ticks_per_second;
  lag.delay = v * lead_seconds;
  lag.limits = way_to_rest(limits_, std::min(v, limits_.speed));
  return lag;
}

Course Gear::course(Tick now, Tick at, double looks_to_meet) const {
  if (leaders_stand(now)) return {{belongs_on(), 0.0}, 0.0};
  Course way = way_at(now, at);
  const double meets_in = looks_to_meet * static_cast<double>(timing_.period) / timing_.ticks_per_second;
  if (!lay_) {
    way.meets_in = meets_in;
    if (is_looked_at_seldom() && is_planned()) {
      // What its leaders do until the next look is known, and is more than can be made up for then.
      const double each = static_cast<double>(timing_.period) / timing_.ticks_per_second;
      const double acceleration = (way_at(now, at + timing_.period).speed - way.speed) / each;
      if (std::abs(acceleration) > least_bend * limits_.acceleration) {
        way.acceleration = acceleration;
        way.lasts = each;
      }
      const Course then =
          way_at(now, at + static_cast<Tick>(std::llround(meets_in * timing_.ticks_per_second)));
      way.meets = {then.place, then.speed};
      return way;
    }
    way.meets = {way.after(meets_in).place, way.speed};
    return way;
  }
  // Through where it is to be now, at the next look, and between the two.
  const double half = 0.5 * static_cast<double>(timing_.period) / timing_.ticks_per_second;
  const double begins = laid_at(way);
  const double middle = laid_at(way.after(half));
  const double ends = laid_at(way.after(2.0 * half));
  const double acceleration = (ends - 2.0 * middle + begins) / (half * half);
  const double speed = (middle - begins) / half - 0.5 * acceleration * half;
  Course laid{StepPosition{}.moved(begins), speed};
  if (std::abs(acceleration) < least_bend * limits_.acceleration) {
    laid.speed = (ends - begins) / (2.0 * half);
  } else {
    laid.acceleration = acceleration;
    laid.lasts = bends_for * half;
  }
  const double there = laid_at(way.after(meets_in));
  const double before = laid_at(way.after(meets_in - 0.5 * half));
  const double behind = laid_at(way.after(meets_in + 0.5 * half));
  laid.meets_in = meets_in;
  laid.meets = {StepPosition{}.moved(there), (behind - before) / half,
                (behind - 2.0 * there + before) / (0.25 * half * half)};
  return laid;
}

void Gear::was_told(Tick now, Tick from) {
  told_from_ = from;
  told_lead_ = from - now;
  told_ = course(now, from);
}

bool Gear::has_turned_out_otherwise(Tick now) const {
  if (!is_looked_at_seldom() || !is_engaged_ || lay_ || told_lead_ == 0) return false;
  constexpr double near_enough = 0.25;  // grains
  constexpr double same_speed = 0.01;   // of the limit
  const Tick at = now + told_lead_;
  const Course was = told_.after(static_cast<double>(at - told_from_) / timing_.ticks_per_second);
  const Course is = leaders_stand(now) ? Course{{belongs_on(), 0.0}, 0.0} : way_at(now, at);
  return std::abs(way_between(was.place, is.place)) > near_enough ||
         std::abs(was.speed - is.speed) > same_speed * limits_.speed;
}

bool Gear::is_looked_at_seldom() const {
  constexpr double seldom = 5e-3;  // s
  return static_cast<double>(timing_.period) >= seldom * timing_.ticks_per_second;
}

bool Gear::is_planned() const {
  return std::all_of(terms_.begin(), terms_.end(),
                     [](const GearTerm& term) { return term.source->is_planned(); });
}

bool Gear::leaders_stand(Tick now) const {
  for (const GearTerm& term : terms_)
    if (term.source->speed(now, now) != 0.0) return false;
  return true;
}

}  // namespace cogstride
