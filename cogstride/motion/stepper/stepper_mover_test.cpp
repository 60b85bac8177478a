// A stepper's orders alone on scripted lines: what is queued, redirected, taken back, and where it then
// stands.
#include "cogstride/motion/stepper/stepper_mover.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::stepper_mover_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::OnScript;

constexpr LineId step{0};
constexpr LineId enable{2};
constexpr Tick second = 48'000'000;
constexpr double steps_per_mm = 800.0 / 3.0;

struct Traverse {
  Rig rig = demo_rig_without_gate();
  StepperMover mover{rig.mechanisms[0], MechanismId{0}, rig.controller};
  OnScript on{mover};
  Traverse() { on.loop.add(mover); }

  void serve(double seconds) { on.run_to(on.now() + std::llround(seconds * 48e6)); }
  void to_rest() {
    ASSERT_TRUE(on.run_until([&] { return mover.has_ended(); }));
    on.run_to(on.now() + second / 100);
  }
  Lines& lines() { return on.front(); }
  [[nodiscard]] double millimetres() { return 1e3 * mover.position(on.now())->base.to_double(); }
  /// Steps that went out, by the lines alone.
  [[nodiscard]] std::int64_t steps() { return on.lines.player.steps[step]; }
};

/// Endless, and turned directly.
struct Drum {
  static Mechanism parts() {
    Mechanism drum = demo_rig_without_gate().mechanisms[0];
    drum.name = "drum";
    drum.train = {};
    drum.limits = {};
    drum.limits.speed = OutputSpeed{OutputKind::rotary, Ratio(2)};
    drum.limits.acceleration = OutputAcceleration{OutputKind::rotary, Ratio(10)};
    drum.limits.start_speed = OutputSpeed{OutputKind::rotary, Ratio(0)};
    drum.hard_ends.reset();
    return drum;
  }
  StepperMover mover{parts(), MechanismId{0}, demo_rig_without_gate().controller};
  OnScript on{mover};
  Drum() { on.loop.add(mover); }
  void serve(double seconds) { on.run_to(on.now() + std::llround(seconds * 48e6)); }
};

OutputPosition turns(Ratio count) {
  return {OutputKind::rotary, count};
}
OutputSpeed turns_per_second(Ratio count) {
  return {OutputKind::rotary, count};
}

TEST(StepperMover, AMoveTakesTheTimeThatIsAsked) {
  Traverse it;
  auto slow = it.mover.move(it.lines(), {.to = 60_mm, .in = 3_s});
  it.to_rest();
  EXPECT_EQ(slow->status, MotionStatus::done);
  const auto& pulses = it.on.lines.player.pulses[step];
  EXPECT_EQ(pulses.size(), 16'000u);
  EXPECT_NEAR(static_cast<double>(pulses.back() - pulses.front()) / 48e6, 3.0, 0.01);
  EXPECT_THROW((void)it.mover.move(it.lines(), {.to = 0_mm, .in = 0.5_s}), RangeError);
}

TEST(StepperMover, ATargetCanBeChangedWhileItMoves) {
  Traverse it;
  auto first = it.mover.move(it.lines(), {.to = 100_mm});
  it.serve(0.8);
  auto second_one = it.mover.redirect(it.lines(), MoveOrder{.to = 10_mm});
  EXPECT_EQ(first->status, MotionStatus::cancelled);
  it.to_rest();
  EXPECT_EQ(second_one->status, MotionStatus::done);
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(10_mm));
  EXPECT_EQ(it.steps(), std::llround(10 * steps_per_mm));
}

// A way or an acceleration alone is of the move that is on: only an order that names a speed is a spin.
TEST(StepperMover, AWayOrALimitAloneIsOfTheMoveThatIsOn) {
  Traverse it;
  it.mover.move(it.lines(), {.to = 60_mm});
  it.serve(0.5);
  auto gentler = it.mover.redirect(it.lines(), MoveOrder{.acceleration = 200_mm_per_s2});
  it.serve(0.1);
  EXPECT_EQ(gentler->status, MotionStatus::running);
  it.mover.redirect(it.lines(), MoveOrder{.by = 20_mm});
  it.to_rest();
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(80_mm)) << "counted from where it was to end";
}

TEST(StepperMover, SpeedAndLimitsCanBeChangedWhileItMoves) {
  Traverse it;
  it.mover.move(it.lines(), {.to = 100_mm});
  it.serve(0.5);
  auto slower = it.mover.redirect(it.lines(), MoveOrder{.speed = 10_mm_per_s, .acceleration = 200_mm_per_s2});
  it.serve(0.6);
  EXPECT_NEAR(it.mover.stream().speed_at(it.on.now()), 10 * steps_per_mm, 1e-6) << "steps/s";
  EXPECT_EQ(slower->status, MotionStatus::running) << "on to the same target";
  it.mover.redirect(it.lines(), MoveOrder{.speed = 60_mm_per_s});
  it.to_rest();
  EXPECT_EQ(it.steps(), std::llround(100 * steps_per_mm));
}

TEST(StepperMover, AnEndlessTurnIsRedirectedAndStopped) {
  Drum drum;
  Lines& lines = drum.on.front();
  auto turning = drum.mover.spin(lines, {.at = turns_per_second(Ratio(3, 2))});
  drum.serve(30.0);
  EXPECT_EQ(turning->status, MotionStatus::running);
  EXPECT_NEAR(drum.mover.position(drum.on.now())->base.to_double(), (30.0 - 0.001 - 0.075) * 1.5, 1e-3)
      << "awake after 1 ms, 0.15 s of ramp";
  EXPECT_THROW((void)drum.mover.move(lines, {.to = turns(1)}), RangeError) << "it would never begin";
  EXPECT_THROW(
      (void)drum.mover.redirect(lines, MoveOrder{.acceleration = OutputAcceleration{OutputKind::rotary, 1}}),
      RangeError)
      << "it has no target that it could go on to";
  drum.mover.change_speed(lines, turns_per_second(Ratio(1, 4)));
  drum.serve(1.0);
  EXPECT_NEAR(drum.mover.stream().speed_at(drum.on.now()), 1.75 * 1600, 1e-6);
  drum.mover.reverse_speed(lines);
  drum.serve(1.0);
  EXPECT_NEAR(drum.mover.stream().speed_at(drum.on.now()), -1.75 * 1600, 1e-6);
  EXPECT_THROW((void)drum.mover.change_speed(lines, turns_per_second(Ratio(-2))), RangeError)
      << "nothing left";
  auto backwards = drum.mover.redirect(lines, SpeedOrder{.at = turns_per_second(Ratio(-1, 2))});
  drum.serve(1.0);
  auto home = drum.mover.redirect(lines, MoveOrder{.to = turns(44)});
  EXPECT_TRUE(drum.on.run_until([&] { return drum.mover.has_ended(); }));
  EXPECT_EQ(backwards->status, MotionStatus::cancelled);
  EXPECT_EQ(home->status, MotionStatus::done);
  EXPECT_EQ(drum.mover.position(drum.on.now()), turns(44));
  auto last = drum.mover.spin(lines, {.at = turns_per_second(Ratio(1))});
  drum.serve(0.5);
  drum.mover.cancel(lines, *last, Braking::on_a_ramp);
  EXPECT_TRUE(drum.on.run_until([&] { return drum.mover.has_ended(); }));
  EXPECT_EQ(drum.on.lines.player.steps[step], drum.mover.stream().made());
}

TEST(StepperMover, TurnsTheShortWayAndToStations) {
  Mechanism parts = Drum::parts();
  parts.limits.stations = 5;
  StepperMover mover(parts, MechanismId{0}, demo_rig_without_gate().controller);
  OnScript on(mover);
  on.loop.add(mover);
  const auto turn = [&](const TurnOrder& order) {
    mover.turn(on.front(), order);
    EXPECT_TRUE(on.run_until([&] { return mover.has_ended(); }));
    return mover.position(on.now())->base;
  };
  EXPECT_EQ(turn({.to = turns(Ratio(3, 4))}), Ratio(-1, 4)) << "a quarter back";
  EXPECT_EQ(turn({.to = turns(Ratio(3, 4)), .way = Way::clockwise}), Ratio(-1, 4)) << "it stands there";
  EXPECT_EQ(turn({.to_station = 1, .way = Way::counter_clockwise}), Ratio(-4, 5));
  EXPECT_THROW((void)mover.turn(on.front(), {.to_station = 9}), RangeError);
}

TEST(StepperMover, ARunStopsAtTheEndOfTheTravel) {
  Traverse it;
  it.mover.spin(it.lines(), {.at = 50_mm_per_s});
  it.to_rest();
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(118_mm));
  auto timed = it.mover.spin(it.lines(), {.at = OutputSpeed(-20_mm_per_s), .lasts = 2_s});
  it.to_rest();
  EXPECT_EQ(timed->status, MotionStatus::done);
  EXPECT_NEAR(it.millimetres(), 118.0 - 40.0 + 0.5, 0.5);
}

TEST(StepperMover, RefusesARedirectOfNothing) {
  Traverse it;
  EXPECT_THROW((void)it.mover.redirect(it.lines(), MoveOrder{.to = 10_mm}), RangeError);
  auto move = it.mover.move(it.lines(), {.to = 50_mm});
  it.serve(0.3);
  EXPECT_THROW((void)it.mover.redirect(it.lines(), MoveOrder{.to = 500_mm}), RangeError);
  EXPECT_THROW((void)it.mover.redirect(it.lines(), MoveOrder{.to = 20_mm, .in = 9_s}), RangeError);
  EXPECT_THROW((void)it.mover.redirect(it.lines(), SpeedOrder{.at = 5_mm_per_s, .lasts = 9_s}), RangeError);
  EXPECT_EQ(move->status, MotionStatus::running) << "it goes on as it was";
  it.mover.move(it.lines(), {.to = 60_mm});
  EXPECT_THROW((void)it.mover.redirect(it.lines(), MoveOrder{.to = 10_mm}), RangeError)
      << "another is queued";
  it.to_rest();
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(60_mm));
}

TEST(StepperMover, TheSteepestStopIsShorterAndCountsItsSteps) {
  double way[2];
  for (const Braking how : {Braking::on_a_ramp, Braking::steepest}) {
    Traverse it;
    auto move = it.mover.move(it.lines(), {.to = 110_mm});
    it.serve(1.0);
    const std::int64_t at = it.steps();
    it.mover.cancel(it.lines(), *move, how);
    it.to_rest();
    way[how == Braking::steepest] = static_cast<double>(it.steps() - at) / steps_per_mm;
    EXPECT_NEAR(it.millimetres(), static_cast<double>(it.steps()) / steps_per_mm, 0.6 / steps_per_mm);
  }
  const double hardest = usable_deceleration(demo_rig_without_gate().mechanisms[0], 0.06);
  EXPECT_NEAR(way[1], 1e3 * 0.06 * 0.06 / (2 * 0.9 * hardest), 0.03) << "mm";
  EXPECT_LT(way[1], 0.4 * way[0]);
}

TEST(StepperMover, AQueuedOneIsTakenBackAndTheOthersGoOn) {
  Traverse it;
  auto first = it.mover.move(it.lines(), {.to = 20_mm});
  auto second_one = it.mover.move(it.lines(), {.to = 80_mm});
  auto third = it.mover.move(it.lines(), {.by = 5_mm});
  it.serve(0.1);
  it.mover.cancel(it.lines(), *second_one, Braking::on_a_ramp);
  it.to_rest();
  EXPECT_EQ(first->status, MotionStatus::done);
  EXPECT_EQ(second_one->status, MotionStatus::cancelled);
  EXPECT_EQ(third->status, MotionStatus::done);
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(25_mm));
}

TEST(StepperMover, StopTakesBackAllThatIsQueued) {
  Traverse it;
  auto first = it.mover.move(it.lines(), {.to = 80_mm});
  auto second_one = it.mover.move(it.lines(), {.to = 0_mm});
  it.serve(0.6);
  it.mover.stop(it.lines(), Braking::on_a_ramp);
  it.to_rest();
  EXPECT_EQ(first->status, MotionStatus::cancelled);
  EXPECT_EQ(second_one->status, MotionStatus::cancelled);
  EXPECT_GT(it.millimetres(), 15.0);
  EXPECT_LT(it.millimetres(), 40.0);
}

TEST(StepperMover, IsHeldAndReleased) {
  Traverse it;
  const auto is_on = [&] { return !it.on.lines.player.level(enable).value_or(true); };
  EXPECT_FALSE(is_on());
  it.mover.hold(it.lines());
  it.serve(0.01);
  EXPECT_TRUE(is_on());
  it.mover.release(it.lines());
  it.serve(0.01);
  EXPECT_FALSE(is_on());
  it.mover.move(it.lines(), {.by = 1_mm});
  it.serve(0.05);
  EXPECT_TRUE(is_on()) << "a motion switches it on";
  EXPECT_THROW(it.mover.release(it.lines()), RangeError) << "while it moves";
  it.to_rest();
}

TEST(StepperMover, WhatIsHaltedOrCutIsFaulted) {
  // A gentler stop on top of it does not let it up: that would swing it backwards.
  Traverse twice;
  auto going = twice.mover.move(twice.lines(), {.to = 80_mm, .speed = 20_mm_per_s});
  twice.serve(0.6);
  twice.mover.halt(twice.lines(), {FaultCode::stopped, "the lid is open"});
  twice.serve(0.001);
  twice.mover.stop(twice.lines(), Braking::on_a_ramp);
  double slowest = 1.0;
  while (!twice.mover.has_ended()) {
    slowest = std::min(slowest, *twice.mover.asked_speed(twice.lines().now()));
    twice.serve(0.0005);
  }
  EXPECT_EQ(going->status, MotionStatus::faulted);
  EXPECT_GE(slowest, 0.0);

  Traverse halted;
  auto move = halted.mover.move(halted.lines(), {.to = 80_mm});
  auto queued = halted.mover.move(halted.lines(), {.to = 0_mm});
  halted.serve(0.6);
  halted.mover.halt(halted.lines(), {FaultCode::stopped, "the lid is open"});
  halted.to_rest();
  EXPECT_EQ(move->status, MotionStatus::faulted);
  EXPECT_EQ(move->fault, "the lid is open");
  EXPECT_EQ(queued->status, MotionStatus::cancelled);
  EXPECT_TRUE(halted.mover.knows_zero()) << "it braked: its place is true";

  Traverse cut;
  auto other = cut.mover.move(cut.lines(), {.to = 80_mm});
  cut.serve(0.6);
  cut.lines().cut();
  cut.mover.lines_were_cut(cut.lines(), {FaultCode::stopped, "the lid is open"});
  EXPECT_EQ(other->status, MotionStatus::faulted);
  EXPECT_TRUE(cut.mover.has_ended());
  cut.mover.believe(OutputPosition(30_mm));
  EXPECT_EQ(cut.mover.position(cut.on.now()), OutputPosition(30_mm));
}

TEST(StepperMover, TravelsAreTaughtAndEndWhereItStands) {
  Traverse it;
  EXPECT_THROW((void)it.mover.teach_far_limit(), RangeError) << "at the begin of its travel";
  it.mover.move(it.lines(), {.to = 70_mm});
  EXPECT_THROW((void)it.mover.teach_far_limit(), RangeError) << "while it moves";
  it.to_rest();
  EXPECT_EQ(it.mover.teach_far_limit(), OutputPosition(70_mm));
  EXPECT_THROW((void)it.mover.move(it.lines(), {.to = 71_mm}), RangeError);
}

TEST(StepperMover, StandsOnAWholePeriodWhereItCanComeUp) {
  Traverse it;
  it.mover.move(it.lines(), {.to = 10.1_mm});
  it.to_rest();
  const std::optional<MoveOrder> way = it.mover.to_whole_period();
  ASSERT_TRUE(way);
  it.mover.move(it.lines(), *way);
  it.to_rest();
  EXPECT_EQ(it.steps() % 32, 0) << "an electrical turn of 8 microsteps has 32";
  EXPECT_FALSE(it.mover.to_whole_period());
}

TEST(StepperMover, SaysWhatItDoes) {
  Traverse it;
  EXPECT_EQ(it.mover.doing(), "");
  EXPECT_EQ(it.mover.signals().size(), 2u);
  it.mover.move(it.lines(), {.to = 40_mm});
  it.serve(0.5);
  EXPECT_EQ(it.mover.doing(), "move to 40 mm");
  EXPECT_NE(it.mover.asked(it.on.now()).find("mm"), std::string::npos);
  std::array<double, 2> values{};
  it.mover.sample(it.on.now(), values);
  EXPECT_NEAR(values[0], it.millimetres(), 1e-9);
  EXPECT_TRUE(std::isnan(values[1])) << "it follows nothing";
  EXPECT_FALSE(it.mover.came_to(it.on.now()).sum.empty());
  EXPECT_TRUE(it.mover.loses_place(it.on.now(), second));
  it.to_rest();
  EXPECT_EQ(it.mover.came_to(it.on.now()).figure("asked"), 40.0);
}

}  // namespace
}  // namespace cogstride::stepper_mover_test
