#include "cogstride/bench/gearing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/gearing/changes.hpp"
#include "cogstride/motion/gearing/counted_place.hpp"
#include "cogstride/plan/gearing.hpp"

namespace cogstride {
namespace {

LeaderPlace place_of(const Leading& leading, Mover& leader) {
  if (leading.place) return *leading.place;
  return leader.commanded() != nullptr ? LeaderPlace::commanded : LeaderPlace::counted;
}

const Mechanism& parts_of(Mover& leader) {
  if (leader.sensed() == nullptr)
    throw RangeError(fmt::format("{}: is no mechanism of the rig, so nothing can follow it", leader.name()));
  return *leader.sensed();
}

/// Counts, or steps, of a turn or a metre of the leader's output.
Ratio counts_of(const Leading& leading, Mover& leader) {
  const Mechanism& parts = parts_of(leader);
  const OutputKind kind = output_kind(parts.train);
  if (leading.for_each.kind != kind || !(Ratio(0) < leading.for_each.base))
    throw RangeError(fmt::format("{}: follows by {} for each {} of {}, which moves {}", leading.leader,
                                 to_text(leading.by), to_text(leading.for_each), leading.leader,
                                 kind == OutputKind::linear ? "along a line" : "round"));
  if (place_of(leading, leader) == LeaderPlace::commanded) {
    if (leader.commanded() == nullptr)
      throw RangeError(fmt::format(
          "{}: takes no steps, so it has no commanded place to follow: follow its encoder", leader.name()));
    return leader.commanded()->commanded_per_base();
  }
  const Encoder* const encoder = sensor_of<Encoder>(parts);
  if (encoder == nullptr)
    throw RangeError(
        fmt::format("{}: has no encoder and takes no steps, so nothing tells where it is", leader.name()));
  return counts_per_base(parts, *encoder);
}

std::unique_ptr<PlaceSource> source_of(const Leading& leading, Mover& leader, const GearSetting& setting) {
  if (place_of(leading, leader) == LeaderPlace::commanded)
    return std::make_unique<CommandedPlace>(*leader.commanded());
  const Encoder& encoder = *sensor_of<Encoder>(parts_of(leader));
  const auto counts_it = [&](const CounterSetup& counter) {
    return counter.source == counter_source(encoder.line_a);
  };
  if (std::none_of(setting.counters.begin(), setting.counters.end(), counts_it))
    throw RangeError(
        fmt::format("{0}.{1}: no quadrature counter (controller.counters) is left for it, and {0} is to be "
                    "followed by it",
                    leader.name(), encoder.name));
  const ExactFrequency clock = setting.controller.timer_clock;
  return std::make_unique<CountedPlace>(encoder, clock.base().to_double(),
                                        ticks_between_looks(setting.controller),
                                        setting.is_checked(leader) || leader.reads(encoder),
                                        setting.edges_come_late, setting.edges_known_within(encoder));
}

/// In grains of the follower. @throws RangeError when it cannot be laid so
Lay lay_of(const GearOrder& order, const Follower& follower) {
  const LayOrder& wanted = *order.lay;
  const auto grains = [&](const OutputPosition& amount) { return amount.base * follower.grains_per_base; };
  for (const OutputPosition& end : {wanted.from, wanted.to}) {
    if (end.kind != follower.kind)
      throw RangeError(fmt::format("{}: cannot be laid from {} to {}", follower.name, to_text(wanted.from),
                                   to_text(wanted.to)));
    const double at = static_cast<double>(follower.zero) + grains(end).to_double();
    if (follower.travel && (at < follower.travel->first - 0.5 || follower.travel->second + 0.5 < at))
      throw RangeError(fmt::format("{}: {} lies outside its travel", follower.name, to_text(end)));
  }
  if (!(Ratio(0) < order.to.first.by.base) || order.to.also)
    throw RangeError(
        fmt::format("{}: is laid to and fro behind one leader, by a way above 0", follower.name));
  Lay lay{Ratio(follower.zero) + grains(wanted.from), Ratio(follower.zero) + grains(wanted.to)};
  lay.low_moves = grains(wanted.from_moves);
  lay.high_moves = grains(wanted.to_moves);
  lay.dwell = wanted.dwells.base * way_per_base(order.to.first) * follower.grains_per_base;
  lay.layers = wanted.layers;
  return lay;
}

std::string names_of(const Following& to) {
  return to.also ? fmt::format("{} and {}", to.first.leader, to.also->leader) : to.first.leader;
}

/// Grains of the follower for a count of each leader, as an order says.
std::vector<Ratio> grains_per_count(Mover& follower, const Following& to, std::span<Mover* const> leaders) {
  const Follower its = able(follower.name(), follower.follows(), "follow another").follower();
  std::vector<Ratio> ratios;
  for (std::size_t i = 0; i < leaders.size(); ++i) {
    const Leading& leading = i == 0 ? to.first : *to.also;
    if (leading.by.kind != its.kind)
      throw RangeError(fmt::format("{}: cannot go by {}", follower.name(), to_text(leading.by)));
    ratios.push_back(way_per_base(leading) * its.grains_per_base / counts_of(leading, *leaders[i]));
  }
  return ratios;
}

}  // namespace

std::unique_ptr<Follow> make_follow(Mover& follower, const GearOrder& order, std::span<Mover* const> leaders,
                                    const GearSetting& setting) {
  const Follower its = able(follower.name(), follower.follows(), "follow another").follower();
  const std::vector<Ratio> ratios = grains_per_count(follower, order.to, leaders);
  std::vector<GearTerm> terms;
  for (std::size_t i = 0; i < leaders.size(); ++i) {
    if (leaders[i] == &follower)
      throw RangeError(fmt::format("{}: a mechanism cannot follow itself", follower.name()));
    terms.push_back({source_of(i == 0 ? order.to.first : *order.to.also, *leaders[i], setting), ratios[i]});
  }
  FollowHow how;
  how.counts_per_base = counts_of(order.to.first, *leaders[0]);
  how.catches_up = order.catches_up;
  how.ends_with_leader = order.ends_with_leader;
  const Ratio counts = counts_of(order.to.first, *leaders[0]);
  const Mechanism& first = parts_of(*leaders[0]);
  how.leaders_kind = output_kind(first.train);
  if (order.when_passes) {
    if (order.when_passes->kind != output_kind(first.train))
      throw RangeError(fmt::format("{}: cannot pass {}", first.name, to_text(*order.when_passes)));
    how.from_count = Ratio(terms[0].source->zero()) + order.when_passes->base * counts;
    if (output_kind(first.train) == OutputKind::rotary && !first.limits.travel_from)
      how.counts_round = counts < Ratio(0) ? -counts : counts;
  }
  if (order.to.may_fall_behind) {
    const Ratio grains = order.to.may_fall_behind->base * its.grains_per_base;
    how.may_fall_behind = std::abs(grains.to_double());
  }
  const ExactFrequency clock = setting.controller.timer_clock;
  Gear::Timing timing;
  timing.ticks_per_second = clock.base().to_double();
  timing.period = std::max(its.looks_each, ticks_between_looks(setting.controller));
  std::optional<Lay> lay;
  if (order.lay) lay = lay_of(order, its);
  auto gear = std::make_unique<Gear>(std::move(terms), timing, its.limits, order.to.compensated, lay);
  return std::make_unique<Follow>(std::move(gear), std::move(how), its, names_of(order.to));
}

void change_gear(Mover& follower, const Following& to, std::span<Mover* const> leaders, Tick now) {
  Follow& follow = followed_by(follower);
  if (follow.leaders() != names_of(to))
    throw RangeError(
        fmt::format("{}: follows {}, and not {}", follower.name(), follow.leaders(), names_of(to)));
  follow.change(now, grains_per_count(follower, to, leaders));
  const bool is_turn = to.first.for_each == OutputPosition{OutputKind::rotary, Ratio(1)};
  follower.log().note(now, MotionNote::Kind::told,
                      fmt::format("from here on by {} for each {}", to_text(to.first.by),
                                  is_turn ? "turn" : to_text(to.first.for_each)));
}

}  // namespace cogstride
