// Moves that arrive together, of movers alone on scripted lines.
#include "cogstride/motion/arriving_together.hpp"

#include <gtest/gtest.h>

#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::arriving_together_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::OnScript;

constexpr LineId step_of_a{0};
constexpr LineId step_of_b{20};

/// Two of the demo's traverses on one set of lines.
struct Two {
  static Mechanism second(Mechanism from) {
    from.name = "other";
    auto& lines = std::get<StepDirWiring>(from.wiring);
    lines.step.number = 20;
    lines.dir.number = 21;
    lines.enable->number = 22;
    return from;
  }
  static std::vector<LineSetup> lines_of(const Mover& a, const Mover& b) {
    std::vector<LineSetup> all = a.line_setups();
    for (LineSetup& line : b.line_setups()) all.push_back(line);
    return all;
  }

  Rig rig = demo_rig_without_gate();
  StepperMover a{rig.mechanisms[0], MechanismId{0}, rig.controller};
  StepperMover b{second(rig.mechanisms[0]), MechanismId{1}, rig.controller};
  OnScript on{lines_of(a, b)};
  Two() {
    on.loop.add(a);
    on.loop.add(b);
  }
};

TEST(ArrivingTogether, BeginsAtOneTickAndEndsWithin) {
  Two two;
  ArrivingTogether both(two.on.front(), {{&two.a, {.to = 80_mm}}, {&two.b, {.to = 10_mm}}});
  two.on.loop.add(both);
  EXPECT_FALSE(both.is_over());
  EXPECT_TRUE(two.on.run_until([&] { return two.a.has_ended() && two.b.has_ended(); }));
  EXPECT_TRUE(both.is_over());
  for (const auto& record : both.records()) EXPECT_EQ(record->status, MotionStatus::done);
  const auto& pulses = two.on.lines.player.pulses;
  EXPECT_EQ(pulses.at(step_of_a).size(), 21'333u);
  EXPECT_EQ(pulses.at(step_of_b).size(), 2'667u);
  EXPECT_EQ(two.a.stream().began_at(), two.b.stream().began_at());
  EXPECT_NEAR(static_cast<double>(pulses.at(step_of_a).back() - pulses.at(step_of_b).back()) / 48e6, 0.0,
              2e-3);
}

TEST(ArrivingTogether, WaitsForAllAndForNobodyWhoWasTakenBack) {
  Two two;
  auto before = two.a.move(two.on.front(), {.to = 20_mm});
  ArrivingTogether both(two.on.front(), {{&two.a, {.to = 30_mm}}, {&two.b, {.to = 5_mm}}});
  two.on.loop.add(both);
  two.on.run_until([&] { return before->has_ended(); });
  EXPECT_TRUE(two.on.lines.player.pulses[step_of_b].empty()) << "it waits";
  ArrivingTogether later(two.on.front(), {{&two.a, {.to = 0_mm}}, {&two.b, {.to = 0_mm}}});
  two.on.loop.add(later);
  two.a.cancel(two.on.front(), *later.records()[0], Braking::on_a_ramp);
  EXPECT_TRUE(two.on.run_until([&] { return two.a.has_ended() && two.b.has_ended(); }));
  EXPECT_EQ(two.a.position(two.on.now()), OutputPosition(30_mm));
  EXPECT_EQ(two.b.position(two.on.now()), OutputPosition(0_mm));
}

TEST(ArrivingTogether, OfARefusedOneNothingIsQueued) {
  Two two;
  const auto orders = [&](MoveOrder of_b) {
    return std::vector<std::pair<Mover*, MoveOrder>>{{&two.a, {.to = 10_mm}}, {&two.b, of_b}};
  };
  EXPECT_THROW((void)ArrivingTogether(two.on.front(), orders({.to = 500_mm})), RangeError);
  EXPECT_TRUE(two.a.has_ended());
  EXPECT_THROW((void)ArrivingTogether(two.on.front(), {{&two.a, {.to = 1_mm}}, {&two.a, {.to = 2_mm}}}),
               RangeError);
  two.a.move(two.on.front(), {.by = 1_mm});
  two.on.run_until([&] { return two.a.has_ended(); });
  EXPECT_EQ(two.a.position(two.on.now()), OutputPosition(1_mm)) << "nothing is left of what was refused";
}

}  // namespace
}  // namespace cogstride::arriving_together_test
