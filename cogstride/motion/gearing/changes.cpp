#include "cogstride/motion/gearing/changes.hpp"

#include <fmt/format.h>

#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

Ratio grains(const Mover& its, const Follow& follow, const OutputPosition& amount) {
  if (amount.kind != follow.follower().kind)
    throw RangeError(fmt::format("{}: cannot go {}", its.name(), to_text(amount)));
  return amount.base * follow.follower().grains_per_base;
}

}  // namespace

Follow& followed_by(Mover& follower) {
  Follow* const follow = able(follower.name(), follower.follows(), "follow another").following();
  if (follow == nullptr) throw RangeError(follower.name() + ": follows nothing");
  return *follow;
}

void nudge(Mover& follower, const OutputPosition& by, Tick now) {
  Follow& follow = followed_by(follower);
  follow.shift(grains(follower, follow, by));
  follower.log().note(now, MotionNote::Kind::told, "nudged by " + to_text(by));
}

void change_ends(Mover& follower, const OutputPosition& from, const OutputPosition& to, Tick now) {
  Follow& follow = followed_by(follower);
  const Ratio zero(follow.follower().zero);
  follow.change_ends(now, zero + grains(follower, follow, from), zero + grains(follower, follow, to));
  follower.log().note(now, MotionNote::Kind::told,
                      fmt::format("from here on between {} and {}", to_text(from), to_text(to)));
}

}  // namespace cogstride
