#include "cogstride/plan/gearing.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

#include "cogstride/chip/step_follow.hpp"
#include "cogstride/plan/link_figures.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr double looks_on_lines = 1e-3;  // s

std::int64_t sum_of(const std::vector<std::int64_t>& teeth) {
  return std::accumulate(teeth.begin(), teeth.end(), std::int64_t{0});
}

}  // namespace

Gearing gearing_of(const Mechanism& follower, const Mechanism& leader) {
  if (!follower.follows)
    throw RangeError(fmt::format("{}: follows nothing: its rig has no table mechanism.{}.follows",
                                 follower.name, follower.name));
  if (output_kind(leader.train) != follower.follows->first.for_each.kind)
    throw RangeError(fmt::format("{}: follows {} by {}, and that moves {}", follower.name, leader.name,
                                 to_text(follower.follows->first.for_each),
                                 output_kind(leader.train) == OutputKind::linear ? "along a line" : "round"));
  Gearing gearing;
  gearing.per_turn = way_per_base(follower.follows->first);
  const double way = std::abs(gearing.per_turn.to_double());
  gearing.top_speed = way * leader.limits.speed.base.to_double();
  if (way > 0.0) gearing.leader_top = follower.limits.speed.base.to_double() / way;
  if (const Ratio steps = steps_per_base(follower); steps != Ratio(0)) {
    gearing.steps_per_turn = gearing.per_turn * steps;
    gearing.whole_after = gearing.steps_per_turn->denominator();
    gearing.top_rate = gearing.top_speed * std::abs(steps.to_double());
  }
  if (const Encoder* const encoder = sensor_of<Encoder>(leader)) {
    gearing.encoder = encoder->name;
    gearing.counts_per_turn = counts_per_base(leader, *encoder);
    if (gearing.steps_per_turn) gearing.steps_per_count = *gearing.steps_per_turn / *gearing.counts_per_turn;
  }
  return gearing;
}

double between_follow_looks(const Controller& controller) {
  constexpr double bits_of_a_look = 9000.0;  // what is told each time takes a third of the line
  constexpr double over_any = 20e-3;         // and the chip takes no more than that
  if (!controller.small_chip || !controller.link) return looks_on_lines;
  return std::max(over_any, bits_of_a_look / static_cast<double>(controller.small_chip->serial_baud));
}

chip::Tick ticks_between_looks(const Controller& controller) {
  const double ticks = between_follow_looks(controller) * controller.timer_clock.base().to_double();
  return std::max<chip::Tick>(1, static_cast<chip::Tick>(std::ceil(ticks - 1e-6)));
}

ExpectedLag expected_lag(const Mechanism& follower, const Mechanism& leader, double looks, double lead) {
  const Gearing gearing = gearing_of(follower, leader);
  ExpectedLag lag;
  lag.lead = lead;
  if (!gearing.counts_per_turn) return lag;  // where it is told to be is known ahead
  const double way = std::abs(gearing.per_turn.to_double());
  const double speed = std::min(gearing.top_speed, follower.limits.speed.base.to_double());
  lag.count = way / std::abs(gearing.counts_per_turn->to_double());
  lag.sampling = looks * speed;
  lag.delay = lead * speed;
  if (const double steps = std::abs(steps_per_base(follower).to_double()); steps > 0.0)
    lag.limits = way_to_rest(own_limits(follower), speed * steps) / steps;
  return lag;
}

std::vector<FollowTiming> follow_timings(const Gearing& gearing, const Controller& controller,
                                         bool is_compensated) {
  constexpr double rehearsed_lead = 1e-5;
  constexpr double live_lead = 5e-3;
  if (!controller.link || !controller.small_chip)
    return {{"lag", looks_on_lines, rehearsed_lead}, {"lag, live", looks_on_lines, live_lead}};
  // The chip gears it by itself, where it can (chip/step_follow.hpp).
  constexpr double chip_looks = 1.0 / int{chip::StepFollow::looks_per_second};
  const std::optional<Ratio>& steps = gearing.steps_per_count;
  if (is_compensated && steps && *steps <= Ratio(1) && Ratio(-1) <= *steps)
    return {{"lag, by chip", chip_looks, 1.25 * chip_looks}};
  return {{"lag, by link", between_follow_looks(controller), link_answers_in(controller)}};
}

std::vector<ChangeGears> nearest_trains(const Ratio& wanted, std::span<const std::int64_t> teeth,
                                        std::size_t most) {
  constexpr std::size_t most_gears = 64;
  if (!(wanted > Ratio(0))) throw RangeError("a ratio of gears is above 0");
  if (teeth.size() > most_gears)
    throw RangeError(fmt::format("{} gears: {} at the most are tried", teeth.size(), most_gears));
  for (const std::int64_t each : teeth)
    if (each < 5 || each > 1000) throw RangeError(fmt::format("a gear of {} teeth: 5 to 1000", each));
  std::vector<ChangeGears> found;
  const double asked = wanted.to_double();
  const auto take = [&](std::vector<std::int64_t> used, const Ratio& ratio) {
    found.push_back({std::move(used), ratio, ratio == wanted ? 0.0 : ratio.to_double() / asked - 1.0});
  };
  const auto is_nearer = [](const ChangeGears& a, const ChangeGears& b) {
    const double far_a = std::abs(a.error);
    const double far_b = std::abs(b.error);
    if (far_a != far_b) return far_a < far_b;
    if (a.teeth.size() != b.teeth.size()) return a.teeth.size() < b.teeth.size();
    if (sum_of(a.teeth) != sum_of(b.teeth)) return sum_of(a.teeth) < sum_of(b.teeth);
    return a.teeth < b.teeth;
  };
  const auto keep_nearest = [&] {
    std::sort(found.begin(), found.end(), is_nearer);
    found.erase(std::unique(found.begin(), found.end(),
                            [](const ChangeGears& a, const ChangeGears& b) { return a.teeth == b.teeth; }),
                found.end());
    if (found.size() > most) found.resize(most);
  };
  const std::size_t n = teeth.size();
  for (std::size_t a = 0; a < n; ++a)
    for (std::size_t b = 0; b < n; ++b)
      if (a != b && teeth[a] != teeth[b]) take({teeth[a], teeth[b]}, Ratio(teeth[a], teeth[b]));
  keep_nearest();
  // Two pairs: the order of driving gears is all one, so is that of driven ones.
  for (std::size_t a = 0; a < n; ++a)
    for (std::size_t c = a + 1; c < n; ++c)
      for (std::size_t b = 0; b < n; ++b) {
        if (b == a || b == c) continue;
        for (std::size_t d = b + 1; d < n; ++d) {
          if (d == a || d == c) continue;
          // A gear that drives one like itself is no pair.
          const bool cancels =
              teeth[a] == teeth[b] || teeth[a] == teeth[d] || teeth[c] == teeth[b] || teeth[c] == teeth[d];
          if (cancels) continue;
          std::vector<std::int64_t> used{std::min(teeth[a], teeth[c]), std::min(teeth[b], teeth[d]),
                                         std::max(teeth[a], teeth[c]), std::max(teeth[b], teeth[d])};
          take(std::move(used), Ratio(teeth[a] * teeth[c], teeth[b] * teeth[d]));
        }
        if (found.size() > 4096) keep_nearest();
      }
  keep_nearest();
  return found;
}

}  // namespace cogstride
