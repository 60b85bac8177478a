#include "cogstride/motion/gearing/follow.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/motion/gearing/index_check.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr double joined_within = 1.0;  // grains
// What is not worth a word: a leader is never quite even.
constexpr double slack_in_grains = 8.0;
constexpr double slack_in_counts = 2.0;
constexpr double slack_in_time = 0.02;  // s of its way

}  // namespace

Follow::Follow(std::unique_ptr<Gear> gear, FollowHow how, Follower follower, std::string leaders)
    : gear_(std::move(gear)),
      how_(std::move(how)),
      follower_(std::move(follower)),
      leaders_(std::move(leaders)) {}

std::string Follow::text(double grains, int per) const {
  const double base = grains / follower_.grains_per_base.to_double();
  return fmt::format("{:.4g} {}", base * display_units_per_base(follower_.kind),
                     display_unit(follower_.kind, per));
}

void Follow::add_to(MoverVerdict& verdict) const {
  verdict.rows.push_back(
      {"follows", goes_along_ ? fmt::format("{}; held up by its limits by {:.2g} {} ({}) at the most",
                                            leaders_, most_held_up_, follower_.grain, text(most_held_up_, 0))
                              : fmt::format("{}; it never came to go along", leaders_)});
  verdict.add("held_up_at_most", most_held_up_, follower_.grain);
  for (const IndexCheck* const index : gear_->indexes()) {
    const std::int64_t off = index->most_off();
    verdict.rows.push_back(
        {"index", index->looked() == 0 ? "its leader's was not seen twice, so nothing tells of missed edges"
                  : off == 0
                      ? fmt::format("its leader's, seen {} times: its count was not off by two or more",
                                    index->looked() + 1)
                      : fmt::format("its leader's, seen {} times: the count was off by {} counts at the most",
                                    index->looked() + 1, std::abs(off))});
    if (index->looked() == 0) continue;
    verdict.looked_at.push_back("the count of its leader against its index");
    if (off != 0)
      verdict.complaints.push_back(fmt::format(
          "the count that it follows was off by {} counts ({}) by its index: edges are missed or counted "
          "twice, and it goes along with them",
          std::abs(off), text(std::abs(static_cast<double>(off) * gear_->per_count().to_double()), 0)));
  }
}

std::string Follow::figures() const {
  if (!gear_->is_engaged())
    return fmt::format("{} {}", matches_speed_ ? "comes to the speed of" : "waits for", leaders_);
  const bool is_round = how_.leaders_kind == OutputKind::rotary;
  const double on = followed().to_double() * (is_round ? 1.0 : display_units_per_base(how_.leaders_kind));
  const double off = std::abs(behind_.all);
  return fmt::format("{} {:.2f} {} on, off by {:.1f} {} ({})", leaders_, on,
                     is_round ? "turns" : display_unit(how_.leaders_kind, 0), off, follower_.grain,
                     text(off, 0));
}

bool Follow::has_followed(Ratio way) const {
  if (!gear_->is_engaged()) return false;
  const Ratio counted = Ratio(gear_->counted());
  const Ratio wanted = way * how_.counts_per_base;
  const auto size = [](const Ratio& value) { return value < Ratio(0) ? -value : value; };
  return size(wanted) <= size(counted);
}

/// At once, or when the first leader passes a place; then it belongs where it stands, at just that place.
bool Follow::sets_off(Tick now, const MotionState& is) {
  if (!how_.from_count) {
    if (how_.catches_up) {
      gear_->engage(now, is.position);
    } else {
      matches_speed_ = true;
    }
    return true;
  }
  const std::int64_t count = gear_->first().count(now);
  const std::optional<std::int64_t> before = std::exchange(count_before_, count);
  if (!before || *before == count) return false;
  // The passing that lies between the two counts, the first where there are several.
  Ratio place = *how_.from_count;
  if (how_.counts_round) {
    const Ratio round = *how_.counts_round;
    const Ratio turns = (Ratio(*before) - place) / round;
    place += round * Ratio(count > *before ? turns.floor() + 1 : turns.ceil() - 1);
  }
  const bool passed = count > *before ? Ratio(*before) < place && place <= Ratio(count)
                                      : Ratio(count) <= place && place < Ratio(*before);
  if (!passed) return false;
  gear_->engage(now, is.position);
  if (how_.catches_up) gear_->advance((Ratio(count) - place) * gear_->per_count());
  return true;
}

/// @return whether its gear is engaged now @throws RangeError when it cannot be where it is
bool Follow::comes_to_engage(Tick now, Tick from, const MotionState& is) {
  if (!matches_speed_ && !sets_off(now, is)) return false;
  if (!matches_speed_) return true;
  const double speed = gear_->leader(now, from).speed;
  const double near =
      follower_.limits.acceleration * static_cast<double>(gear_->period()) / gear_->ticks_per_second();
  if (std::abs(is.speed - speed) > near) return false;
  matches_speed_ = false;
  gear_->engage(now, is.position);
  const Course off = gear_->course(now, from);
  gear_->engage(now, is.position.moved(way_between(off.place, is.position)));
  return true;
}

/// What is a little off is met smoothly. What is more than half a step and half a count off comes of a leader
/// that changes its speed: that is met in as few looks as the limits let it be.
Course Follow::course_soon_met(Tick now, Tick from, const MotionState& is) const {
  const Course smooth = gear_->course(now, from);
  const double little = 0.5 * std::max(1.0, std::abs(gear_->per_count().to_double()));
  if (smooth.meets_in <= 0.0 || std::abs(way_between(is.position, smooth.place)) <= little) return smooth;
  for (const double looks : {2.0, 3.0, 5.0}) {
    const Course soon = gear_->course(now, from, looks);
    if (plan_meeting(is, soon.meets, soon.meets_in, follower_.limits)) return soon;
  }
  return smooth;
}

/// One that keeps itself behind goes no faster than it can stop from where its leader was counted, should
/// that turn out to stand at the next look. The way that it keeps grows with the speed alone: catching up as
/// a leader slows down, it would be too fast for it.
Course Follow::never_beyond(Course course, const MotionState& is) const {
  if (gear_->is_compensated() || gear_->lay() || course.speed == 0.0 || gear_->first().is_planned())
    return course;
  const double towards = course.speed > 0.0 ? 1.0 : -1.0;
  const double counted = static_cast<double>(gear_->way().rest()) / static_cast<double>(gear_->way().grain());
  const StepPosition wall = StepPosition{gear_->way().position(), 0.0}.moved(counted);
  const double left = towards * way_between(is.position, wall);
  if (left < 0.0) return course;  // its leader has turned round, and comes by
  const double look = static_cast<double>(gear_->period()) / gear_->ticks_per_second();
  double safe = 0.0;
  double too_fast = follower_.limits.speed;
  if (way_to_rest(follower_.limits, too_fast) + too_fast * look <= left) return course;
  for (int i = 0; i < 24; ++i) {
    const double middle = 0.5 * (safe + too_fast);
    (way_to_rest(follower_.limits, middle) + middle * look <= left ? safe : too_fast) = middle;
  }
  // Too slow to be worth while: it waits where it is.
  constexpr double least_share = 1e-4;
  if (safe < least_share * follower_.limits.speed) return {is.position, 0.0};
  course.most_speed = safe;
  return course;
}

std::optional<Course> Follow::look(Tick now, std::span<const Reading> readings, Tick from,
                                   const MotionState& is) {
  if (!gear_->take(now, readings)) return std::nullopt;
  for (IndexCheck* const index : gear_->indexes())
    if (std::string off = index->take_news(); !off.empty()) news_ = std::move(off);
  try {
    if (!gear_->is_engaged() && !comes_to_engage(now, from, is)) {
      if (!matches_speed_) return std::nullopt;
      return Course{is.position, gear_->leader(now, from).speed};
    }
  } catch (const RangeError& outside) {
    fault_ = fmt::format("{}: {}", follower_.name, outside.what());
    return std::nullopt;
  }
  Course course = never_beyond(course_soon_met(now, from, is), is);
  gear_->was_told(now, from);
  course.looks_each = static_cast<double>(gear_->period()) / gear_->ticks_per_second();
  const Tick known = gear_->first().known_at(now);
  told_late_ =
      known < now ? static_cast<double>(from - known + gear_->period()) / gear_->ticks_per_second() : 0.0;
  watch(course, is, gear_->leaders_stand(now));
  const double lead = static_cast<double>(from - known) / gear_->ticks_per_second();
  behind_.all = way_between(is.position, gear_->there(now, from).place);
  behind_.kept = gear_->leaders_stand(now) ? Lag{} : gear_->lag(gear_->leader(now, from).speed, lead);
  behind_.held_up = held_up_;
  return course;
}

void Follow::watch(const Course& course, const MotionState& is, bool leaders_stand) {
  held_up_ = way_between(is.position, course.place);
  double behind = std::abs(held_up_);
  if (!leaders_stand) has_moved_ = true;
  const double same_speed =
      follower_.limits.acceleration * static_cast<double>(gear_->period()) / gear_->ticks_per_second();
  if (behind <= joined_within && std::abs(is.speed - course.speed) <= same_speed) {
    goes_along_ = true;
    told_behind_ = false;
    if (leaders_stand && is.speed == 0.0 && has_moved_ && how_.ends_with_leader) is_over_ = true;
  }
  const double asked = std::abs(course.speed);
  fast_.push_back(std::max(asked, std::abs(is.speed)));
  // Where its leader is told of late, what was expected of it meanwhile was by the speed that it had then.
  while (static_cast<double>(fast_.size() - 1) * course.looks_each > told_late_) fast_.pop_front();
  const bool is_too_fast = asked > follower_.limits.speed * (1.0 + 1e-6);
  if (follower_.travel && !gear_->lay() && fault_.empty()) {
    const double at = course.place.to_double();
    const double stops =
        std::copysign(way_to_rest(follower_.limits, std::min(asked, follower_.limits.speed)), course.speed);
    const auto [low, high] = *follower_.travel;
    if ((course.speed > 0.0 && at + stops > high + joined_within) ||
        (course.speed < 0.0 && at + stops < low - joined_within))
      fault_ = fmt::format("{}: {} takes it beyond the end of its travel", follower_.name, leaders_);
  }
  if (is_too_fast && !told_too_fast_) {
    told_too_fast_ = true;
    news_ = fmt::format("{} asks for {}, and {} may go {}", leaders_, text(asked, 1), follower_.name,
                        text(follower_.limits.speed, 1));
  }
  if (is_too_fast && !how_.may_fall_behind && fault_.empty())
    fault_ = fmt::format("{}: {}", follower_.name, std::exchange(news_, {}));
  if (!is_too_fast) told_too_fast_ = false;
  if (!goes_along_ || !fault_.empty()) return;
  // One that keeps behind its leader comes up to it when that slows down, on its own way to rest.
  if (!gear_->is_compensated())
    behind = std::max(
        0.0, behind - way_to_rest(follower_.limits, std::min(std::abs(is.speed), follower_.limits.speed)));
  most_held_up_ = std::max(most_held_up_, behind);
  const double slack = std::max(slack_in_grains, slack_in_counts * std::abs(gear_->per_count().to_double())) +
                       slack_in_time * fast_.back() +
                       told_late_ * *std::max_element(fast_.begin(), fast_.end());
  if (behind <= std::min(slack, how_.may_fall_behind.value_or(slack))) return;
  const std::string why =
      is_too_fast ? fmt::format("{} asks for {}, and it may go {}", leaders_, text(asked, 1),
                                text(follower_.limits.speed, 1))
                  : fmt::format("{} changes its speed faster than its limits let it follow", leaders_);
  if (!how_.may_fall_behind) {
    fault_ = fmt::format("{}: falls behind: {}", follower_.name, why);
  } else if (behind > *how_.may_fall_behind) {
    fault_ = fmt::format("{}: is {} behind and may be {} (follows.may_fall_behind): {}", follower_.name,
                         text(behind, 0), text(*how_.may_fall_behind, 0), why);
  } else if (!told_behind_) {
    told_behind_ = true;
    news_ = fmt::format("falls behind, and catches up: {}", why);
  }
}

}  // namespace cogstride
