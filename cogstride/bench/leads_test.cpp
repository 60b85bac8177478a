// Lines with a long way to them: whatever the lead, each mover plans the same edges, later by the lead alone.
#include <gtest/gtest.h>

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "cogstride/bench/kinds.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/motion/capabilities.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::leads_test {
namespace {

using namespace literals;
using testing_support::OnScript;

constexpr Tick millisecond = 48'000;

/// What was put, each with its tick less the lead.
struct Planned {
  std::map<LineId, std::vector<Tick>> pulses{};
  std::vector<std::pair<Tick, std::string>> others{};
  bool operator==(const Planned&) const = default;
};

Planned planned(const Rig& rig, const std::string& name, Tick lead,
                const std::function<void(Mover&, Lines&)>& order, Tick lasts) {
  const Mechanism& mechanism = mechanism_named(rig, name);
  std::unique_ptr<Mover> mover;
  for (const KindOfMover& kind : kinds_of_movers())
    if (!mover && kind.has(mechanism)) mover = kind.mover(mechanism, MechanismId{0}, rig.controller);
  OnScript on(*mover, lead);
  on.loop.add(*mover);
  order(*mover, on.front());
  on.run_to(lead + lasts);
  Planned made;
  for (const auto& [line, ticks] : on.lines.player.pulses)
    for (const Tick tick : ticks) made.pulses[line].push_back(tick - lead);
  for (const auto& put : on.lines.player.levels)
    if (put.at < lead + lasts)
      made.others.emplace_back(put.at - lead, "level " + std::to_string(static_cast<int>(put.level.line)) +
                                                  (put.level.high ? " high" : " low"));
  for (const auto& duty : on.lines.player.duties)
    if (duty.at < lead + lasts)
      made.others.emplace_back(duty.at - lead, "duty " + std::to_string(static_cast<int>(duty.compare.line)) +
                                                   " " + std::to_string(duty.compare.on_ticks));
  std::sort(made.others.begin(), made.others.end());
  return made;
}

struct Case {
  const char* what;
  std::function<Rig()> rig;
  const char* mechanism;
  std::function<void(Mover&, Lines&)> order;
  Tick lasts;
};

Rig unsensed(const char* name) {
  Rig rig = testing_support::demo_rig();
  for (Mechanism& mechanism : rig.mechanisms) {
    if (mechanism.name != name) continue;
    mechanism.homing.reset();
    mechanism.sensors.clear();
  }
  return rig;
}

std::vector<Case> cases() {
  return {
      {"steps to a place", [] { return unsensed("traverse"); }, "traverse",
       [](Mover& m, Lines& lines) { m.places()->move(lines, {.to = 20_mm}); }, 2000 * millisecond},
      {"coils to an angle", [] { return unsensed("creel"); }, "creel",
       [](Mover& m, Lines& lines) {
         m.places()->move(lines, {.by = OutputPosition(-20_deg), .speed = OutputSpeed(30_deg_per_s)});
       },
       3000 * millisecond},
      {"a spin of coils", [] { return unsensed("creel"); }, "creel",
       [](Mover& m, Lines& lines) { m.speeds()->spin(lines, {.at = OutputSpeed(30_deg_per_s)}); },
       2000 * millisecond},
      {"a duty", [] { return unsensed("feeder"); }, "feeder",
       [](Mover& m, Lines& lines) {
         m.duties()->spin(lines, {.duty = 40_percent, .in = 500_ms, .lasts = 500_ms});
       },
       2000 * millisecond},
      {"six steps, open loop", [] { return unsensed("spindle"); }, "spindle",
       [](Mover& m, Lines& lines) { m.speeds()->spin(lines, {.at = OutputSpeed(300_rpm)}); },
       2000 * millisecond},
  };
}

TEST(Leads, EachMoverPlansTheSameEdgesWhateverTheLead) {
  for (const Case& each : cases()) {
    const Rig rig = each.rig();
    const Planned without = planned(rig, each.mechanism, 0, each.order, each.lasts);
    EXPECT_GT(without.pulses.size() + without.others.size(), 0u) << each.what;
    for (const Tick lead : {1 * millisecond, 20 * millisecond, 80 * millisecond})
      EXPECT_TRUE(planned(rig, each.mechanism, lead, each.order, each.lasts) == without)
          << each.what << ", " << lead << " ticks";
  }
}

/// Pulses come once in a frame, wherever a motion begins in it: they are of one course.
TEST(Leads, ServosAndThrottlesPlanTheSameCourseWhateverTheLead) {
  const Rig rig = testing_support::demo_rig();
  constexpr Tick frame = 20 * millisecond;
  const auto swing = [](Mover& m, Lines& lines) {
    m.places()->move(lines, {.to = OutputPosition(70_deg), .speed = OutputSpeed(100_deg_per_s)});
  };
  const auto arm = [](Mover& m, Lines& lines) { m.arming()->arm(lines); };
  for (const auto& [name, order] :
       std::map<std::string, std::function<void(Mover&, Lines&)>>{{"snips", swing}, {"fan", arm}}) {
    const Planned without = planned(rig, name, 0, order, 6000 * millisecond);
    EXPECT_GT(without.others.size(), 2u);
    for (const Tick frames : {1, 4})
      EXPECT_TRUE(planned(rig, name, frames * frame, order, 6000 * millisecond) == without) << name;
    const Planned with = planned(rig, name, 1 * millisecond, order, 6000 * millisecond);
    ASSERT_NEAR(static_cast<double>(with.others.size()), static_cast<double>(without.others.size()), 1.0);
    EXPECT_EQ(with.others.back().second, without.others.back().second) << name << " comes to the same";
    for (const auto& [at, what] : with.others)
      EXPECT_EQ((at + millisecond) % frame, 0) << name << ": " << what << " is on the grid of frames";
  }
}

TEST(Leads, LoopsRefuseLinesThatAreTooSlowForThem) {
  const Rig rig = testing_support::demo_rig();
  const auto spin = [](const OutputSpeed& at) {
    return [at](Mover& m, Lines& lines) { m.speeds()->spin(lines, {.at = at}); };
  };
  const auto refused = [&](const char* name, Tick lead, const OutputSpeed& at) -> std::string {
    try {
      (void)planned(rig, name, lead, spin(at), millisecond);
      return {};
    } catch (const RangeError& error) {
      return error.what();
    }
  };
  EXPECT_EQ(refused("feeder", 1 * millisecond, OutputSpeed(300_rpm)), "");
  EXPECT_EQ(refused("feeder", 20 * millisecond, OutputSpeed(300_rpm)),
            "feeder: the loop of its encoder bears 10 ms from command to effect, and these lines take 20 ms");
  EXPECT_EQ(refused("spindle", 1 * millisecond, OutputSpeed(300_rpm)), "");
  EXPECT_EQ(
      refused("spindle", 20 * millisecond, OutputSpeed(300_rpm)),
      "spindle: at 300 rpm its commutation bears 1.19 ms from command to effect, and these lines take 20 ms");
  EXPECT_NE(refused("spindle", 1 * millisecond, OutputSpeed(1500_rpm)), "") << "faster, sooner";
}

}  // namespace
}  // namespace cogstride::leads_test
