#include "cogstride/motion/gearing/held_follow.hpp"

#include <string>

namespace cogstride {

Follower HeldFollow::follower(const Mechanism& mechanism, const SpeedHold& hold, Ratio counts_per_base) {
  Follower follower;
  follower.name = mechanism.name;
  follower.kind = output_kind(mechanism.train);
  follower.grains_per_base = counts_per_base < Ratio(0) ? -counts_per_base : counts_per_base;
  follower.grain = "counts";
  follower.limits = hold.own_limits();
  if (const Limits& limits = mechanism.limits; limits.travel_from) {
    const auto counts = [&](const OutputPosition& place) {
      return (place.base * follower.grains_per_base).to_double();
    };
    follower.travel = {counts(*limits.travel_from), counts(*limits.travel_to)};
  }
  return follower;
}

void HeldFollow::look(Lines& lines, std::span<const Reading> readings, Tick from, SpeedHold& hold,
                      Mover& its) {
  const Tick now = lines.now();
  const auto course = follow_->look(now, readings, from, hold.wanted(from));
  if (const std::string news = follow_->take_news(); !news.empty())
    its.log().note(now, MotionNote::Kind::told, news);
  if (!follow_->fault().empty()) {
    const std::string why = follow_->fault();
    end();
    its.log().fail(now, why);
    its.halt(lines, {FaultCode::failed, why});
    return;
  }
  if (course) hold.go_along(from, *course);
  if (follow_->is_over()) its.follows()->let_go(lines);
}

}  // namespace cogstride
