#include "cogstride/motion/jogging.hpp"

#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"

namespace cogstride {
namespace {

constexpr double far = 1e4;  // m, or turns: farther than anybody holds a key

OutputSpeed in_way(const OutputSpeed& speed, int way) {
  return {speed.kind, Ratio(way) * speed.base};
}

}  // namespace

Jogging::Jogging(Mover& mover, OutputSpeed speed, bool past_limits)
    : mover_(mover), how_(How::to_its_ends), pace_{speed, {}}, past_limits_(past_limits) {
  (void)able(mover.name(), mover.zeroed(), "be jogged");
}

Jogging::Jogging(Mover& mover, const JogPace& pace, bool on_the_spot)
    : mover_(mover), how_(How::rolling), pace_(pace), on_the_spot_(on_the_spot) {
  if (mover.ways() != nullptr) {
    if (pace.steered) how_ = How::steered;
    return;
  }
  if (pace.duty) {
    (void)able(mover.name(), mover.duties(), "be driven by a share of its supply");
    how_ = How::by_duty;
  } else if (mover.zeroed() != nullptr) {
    how_ = How::to_its_ends;
  } else if (mover.speeds() != nullptr) {
    how_ = How::at_a_speed;
    if (!pace.speed) throw RangeError(mover.name() + ": how fast is not said");
  } else {
    Places& places = able(mover.name(), mover.places(), "be jogged");
    how_ = How::swinging;
    if (!places.position(0))
      throw RangeError(mover.name() +
                       ": nobody knows where it stands before its first swing, which is to an angle");
  }
}

bool Jogging::stands(Tick now) const {
  return mover_.stands() && !mover_.is_driven(now);
}

bool Jogging::would_change(int way) const {
  return way != going_ && (turns_over() || going_ != 0 || mover_.stands());
}

void Jogging::want(Lines& lines, int way) {
  if (!would_change(way)) return;  // at an end of its travel it stays as long as it is asked to go there
  if (turns_over() ? way == 0 : !mover_.stands()) {
    mover_.stop(lines, Braking::on_a_ramp);
    going_ = 0;
    return;
  }
  if (way != 0) go(lines, way);
  going_ = way;
}

void Jogging::go(Lines& lines, int way) {
  switch (how_) {
    case How::steered: {
      const JogPace::Steered& to = *pace_.steered;
      (void)mover_.ways()->roll(lines, to.speed.in(units::m_per_s), 2.0 * pi * to.turn.in(units::turn_per_s));
      return;
    }
    case How::to_its_ends: {
      const OutputSpeed speed = pace_.speed ? *pace_.speed : mover_.parts()->limits.speed;
      (void)mover_.zeroed()->jog(lines, way, speed, past_limits_);
      return;
    }
    case How::at_a_speed:
      (void)mover_.speeds()->spin(lines, {.at = in_way(*pace_.speed, way)});
      return;
    case How::by_duty:
      (void)mover_.duties()->spin(lines, {.duty = Fraction::from_base(way * pace_.duty->base())});
      return;
    case How::swinging: {
      const Limits& limits = mover_.parts()->limits;
      if (!limits.travel_from)
        throw RangeError(mover_.name() + ": its rig does not say where its travel ends");
      (void)mover_.places()->move(
          lines, {.to = way > 0 ? *limits.travel_to : *limits.travel_from, .speed = pace_.speed});
      return;
    }
    case How::rolling: {
      CartOrder order;
      if (on_the_spot_) {
        order.way.turns = Angle(way * far, units::turn);
      } else {
        order.way.by = Length(way * far, units::m);
      }
      order.speed = pace_.speed;
      (void)mover_.ways()->drive(lines, order);
      return;
    }
  }
}

/// The same of a motion that is on.
void Jogging::go_on(Redirects& redirects, Lines& lines, int way) {
  const Limits& limits = mover_.parts()->limits;
  const OutputSpeed speed = pace_.speed ? *pace_.speed : limits.speed;
  if (!limits.travel_from) {
    (void)redirects.redirect(lines, SpeedOrder{.at = in_way(speed, way)});
    return;
  }
  OutputPosition end = way > 0 ? *limits.travel_to : *limits.travel_from;
  const std::optional<HardEnds>& hard_ends = mover_.parts()->hard_ends;
  if (past_limits_ && hard_ends) end = way > 0 ? hard_ends->to : hard_ends->from;
  (void)redirects.redirect(lines, MoveOrder{.to = end, .speed = speed, .past_limits = true});
}

void Jogging::take_over(Lines& lines, int way) {
  Redirects* const redirects = mover_.redirects();
  if (redirects != nullptr && redirects->can_be_redirected()) {
    go_on(*redirects, lines, way);
  } else if (turns_over() || how_ == How::swinging || mover_.stands()) {
    go(lines, way);
  } else {
    throw RangeError(mover_.name() + " is on its way by another order: 'stop' it first");
  }
  going_ = way;
}

void Jogging::change_pace(Lines& lines, const JogPace& pace) {
  const JogPace before = pace_;
  pace_ = pace;
  const bool is_at_rest =
      mover_.stands() && !turns_over();  // at an end of its travel, or before it turns round
  if (going_ == 0 || is_at_rest) return;
  try {
    if (how_ == How::rolling) {
      mover_.stop(lines, Braking::on_a_ramp);  // and on from there
      going_ = 0;
    } else if (Redirects* const redirects = mover_.redirects();
               how_ == How::to_its_ends && redirects != nullptr) {
      if (!redirects->can_be_redirected()) return;  // it brakes
      go_on(*redirects, lines, going_);
    } else {
      go(lines, going_);
    }
  } catch (const RangeError&) {
    pace_ = before;
    throw;
  }
}

}  // namespace cogstride
