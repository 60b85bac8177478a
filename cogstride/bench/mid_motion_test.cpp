// Orders that change a motion while it is on, and motions that begin and end together, on the whole bench:
// what the plant did is what counts.
#include <gtest/gtest.h>

#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::mid_motion_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;

/// The traverse, and a warping drum of the same parts turned directly, endless.
Rig traverse_with_drum() {
  Rig rig = demo_rig_without_gate();
  rig = only_with(rig, {"traverse"});
  Mechanism drum = rig.mechanisms[0];
  drum.name = "drum";
  drum.train = {};
  StepDirWiring wiring = drum.step_dir_lines();
  wiring.step.number = 40;
  wiring.dir.number = 41;
  wiring.enable->number = 42;
  drum.wiring = wiring;
  drum.limits = {};
  drum.limits.speed = OutputSpeed{OutputKind::rotary, Ratio(2)};                 // turns a second
  drum.limits.acceleration = OutputAcceleration{OutputKind::rotary, Ratio(10)};  // and a second more
  drum.limits.start_speed = OutputSpeed{OutputKind::rotary, Ratio(0)};
  drum.hard_ends.reset();
  rig.mechanisms.push_back(drum);
  return rig;
}

OutputPosition turns(Ratio count) {
  return {OutputKind::rotary, count};
}
OutputSpeed turns_per_second(Ratio count) {
  return {OutputKind::rotary, count};
}

TEST(MidMotion, MovesOfTwoMechanismsArriveTogether) {
  SimulatedBench bench(traverse_with_drum());
  // The drum stands switched off and has to wake up; the traverse is awake.
  bench.stepper("traverse").move({.to = 1_mm}).wait();
  bench.serve(0.2_s);
  auto motions = bench.move_together({{"traverse", {.to = 90_mm}}, {"drum", {.to = turns(Ratio(3, 2))}}});
  EXPECT_EQ(motions[0].status(), MotionStatus::queued);
  bench.wait_for_all();
  const StepperMover& traverse = bench.mover_as<StepperMover>("traverse");
  const StepperMover& drum = bench.mover_as<StepperMover>("drum");
  EXPECT_EQ(traverse.stream().began_at(), drum.stream().began_at());
  EXPECT_NEAR(static_cast<double>(traverse.stream().ends_at() - drum.stream().ends_at()), 0.0, 2.0)
      << "ticks";
  EXPECT_NEAR(motions[0].duration()->in(units::s), motions[1].duration()->in(units::s), 1e-6);
  EXPECT_EQ(bench.stepper("drum").position(), turns(Ratio(3, 2)));
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
}

TEST(MidMotion, AMoveTogetherWaitsUntilEachQueueHasComeToIt) {
  SimulatedBench bench(traverse_with_drum());
  auto first = bench.stepper("traverse").move({.to = 20_mm});
  auto motions = bench.move_together({{"traverse", {.to = 30_mm}}, {"drum", {.by = turns(Ratio(1, 4))}}});
  first.wait();
  EXPECT_EQ(motions[1].status(), MotionStatus::queued);
  bench.wait_for_all();
  EXPECT_NEAR(static_cast<double>(bench.mover_as<StepperMover>("traverse").stream().ends_at()),
              static_cast<double>(bench.mover_as<StepperMover>("drum").stream().ends_at()), 2.0);
}

TEST(MidMotion, AMoveTogetherThatIsRefusedQueuesNothing) {
  SimulatedBench bench(traverse_with_drum());
  EXPECT_THROW(bench.move_together({{"drum", {.to = turns(1)}}, {"traverse", {.to = 500_mm}}}), RangeError);
  EXPECT_THROW(bench.move_together({{"drum", {.to = turns(1)}}, {"drum", {.to = turns(2)}}}), RangeError);
  EXPECT_TRUE(bench.mover("drum").has_ended());
  bench.stepper("drum").move({.by = turns(Ratio(1, 4))}).wait();
  EXPECT_EQ(bench.stepper("drum").position(), turns(Ratio(1, 4))) << "nothing is left of the refused order";
}

TEST(MidMotion, OneOfThoseThatArriveTogetherMayBeTakenBack) {
  SimulatedBench bench(traverse_with_drum());
  auto first = bench.stepper("traverse").move({.to = 20_mm});
  auto motions = bench.move_together({{"traverse", {.to = 30_mm}}, {"drum", {.by = turns(Ratio(1, 4))}}});
  bench.serve(0.1_s);
  motions[0].cancel();
  bench.wait_for_all();
  EXPECT_EQ(motions[1].status(), MotionStatus::done);
  EXPECT_EQ(bench.stepper("traverse").position(), OutputPosition(20_mm));
}

// What stops one of them does not leave the others waiting.
TEST(MidMotion, AFaultOfOneStopsThoseThatWereToArriveWithIt) {
  Rig rig = testing_support::demo_rig();
  rig = only_with(rig, {"traverse"});
  rig.mechanisms.push_back(traverse_with_drum().mechanisms[1]);
  Mechanism& traverse = rig.mechanisms[0];
  traverse.step_dir_lines().enable->active = ActiveLevel::high;  // never really on: homing will fail
  SimulatedBench bench(rig);
  auto home = bench.stepper("traverse").home();
  auto motions = bench.move_together({{"traverse", {.to = 30_mm}}, {"drum", {.to = turns(Ratio(1, 4))}}});
  EXPECT_NE(home.result(), "");
  bench.wait_for_all();
  EXPECT_EQ(motions[0].status(), MotionStatus::cancelled);
  EXPECT_EQ(motions[1].status(), MotionStatus::faulted);
  const std::optional<OutputPosition> drum = bench.stepper("drum").position();
  ASSERT_TRUE(drum) << "it stopped on a ramp: its position is still true";
  EXPECT_LT(drum->base, Ratio(1, 4));
  bench.stepper("drum").move({.to = turns(Ratio(1, 4))}).wait();
}

TEST(MidMotion, AMoveTakesTheTimeThatIsAsked) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  auto slow = traverse.move({.to = 60_mm, .in = 3_s});
  slow.wait();
  EXPECT_NEAR(slow.duration()->in(units::s), 3.0, 0.002) << "with the board's waking";
  EXPECT_THROW((void)traverse.move({.to = 0_mm, .in = 0.5_s}), RangeError);
}

TEST(MidMotion, ATargetCanBeChangedWhileItMoves) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  auto first = traverse.move({.to = 100_mm});
  bench.serve(0.8_s);
  auto second = traverse.redirect({.to = 10_mm});
  EXPECT_EQ(first.status(), MotionStatus::cancelled);
  second.wait();
  EXPECT_EQ(traverse.position(), OutputPosition(10_mm));
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_NEAR(bench.plant("traverse").position(), 0.010, 3e-6);
}

// A way or an acceleration alone is of the move that is on: only an order that names a speed is a spin.
TEST(MidMotion, AWayOrALimitAloneIsOfTheMoveThatIsOn) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 60_mm});
  bench.serve(0.5_s);
  auto gentler = traverse.redirect({.acceleration = 200_mm_per_s2});
  bench.serve(0.1_s);
  EXPECT_EQ(gentler.status(), MotionStatus::running);
  traverse.redirect({.by = 20_mm}).wait();
  EXPECT_EQ(traverse.position(), OutputPosition(80_mm)) << "counted from where it was to end";
}

TEST(MidMotion, SpeedAndLimitsCanBeChangedWhileItMoves) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 100_mm});
  bench.serve(0.5_s);
  auto slower = traverse.redirect({.speed = 10_mm_per_s, .acceleration = 200_mm_per_s2});
  bench.serve(0.6_s);
  EXPECT_NEAR(bench.mover_as<StepperMover>("traverse").stream().speed_at(48'000 * 1'100), 10 * 800.0 / 3,
              1e-6)
      << "steps/s";
  EXPECT_EQ(slower.status(), MotionStatus::running) << "on to the same target";
  traverse.redirect({.speed = 60_mm_per_s}).wait();
  EXPECT_EQ(traverse.position(), OutputPosition(100_mm));
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
}

TEST(MidMotion, AnEndlessTurnIsRedirectedAndStopped) {
  SimulatedBench bench(traverse_with_drum());
  auto drum = bench.stepper("drum");
  auto turning = drum.spin({.at = turns_per_second(Ratio(3, 2))});
  bench.serve(30_s);
  EXPECT_EQ(turning.status(), MotionStatus::running);
  EXPECT_NEAR(drum.position()->base.to_double(), (30.0 - 0.001 - 0.075) * 1.5, 1e-3)
      << "awake after 1 ms, 0.15 s of ramp";
  EXPECT_THROW((void)drum.move({.to = turns(1)}), RangeError) << "it would never begin";
  auto backwards = drum.redirect({.at = turns_per_second(Ratio(-1, 2))});
  bench.serve(1_s);
  auto home = drum.redirect({.to = turns(44)});
  home.wait();
  EXPECT_EQ(backwards.status(), MotionStatus::cancelled);
  EXPECT_EQ(drum.position(), turns(44));
  auto last = drum.spin({.at = turns_per_second(Ratio(1))});
  bench.serve(0.5_s);
  last.cancel();
  bench.wait_for_all();
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_NEAR(bench.plant("drum").position(), drum.position()->base.to_double(), 1e-3) << "turns";
}

TEST(MidMotion, ARunStopsAtTheEndOfTheTravel) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  traverse.spin({.at = 50_mm_per_s}).wait();
  EXPECT_EQ(traverse.position(), OutputPosition(118_mm));
}

TEST(MidMotion, RefusesARedirectOfNothing) {
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  EXPECT_THROW(traverse.redirect({.to = 10_mm}), RangeError);
  auto move = traverse.move({.to = 50_mm});
  bench.serve(0.3_s);
  EXPECT_THROW(traverse.redirect({.to = 500_mm}), RangeError);
  EXPECT_EQ(move.status(), MotionStatus::running) << "it goes on as it was";
  traverse.move({.to = 60_mm});
  EXPECT_THROW(traverse.redirect({.to = 10_mm}), RangeError) << "another is queued";
  bench.wait_for_all();
  EXPECT_EQ(traverse.position(), OutputPosition(60_mm));
}

TEST(MidMotion, TheHardestStopIsShorterAndLosesNothing) {
  double way[2];
  for (const Braking how : {Braking::on_a_ramp, Braking::steepest}) {
    SimulatedBench bench(traverse_with_drum());
    auto traverse = bench.stepper("traverse");
    auto move = traverse.move({.to = 110_mm});
    bench.serve(1_s);
    const double at = bench.plant("traverse").position();
    move.cancel(how);
    bench.wait_for_all();
    bench.serve(0.3_s);
    EXPECT_TRUE(bench.verdict().is_sound());
    way[how == Braking::steepest] = traverse.position()->base.to_double() - at;
    EXPECT_NEAR(bench.plant("traverse").position(), traverse.position()->base.to_double(), 3e-6);
  }
  const double hardest = usable_deceleration(traverse_with_drum().mechanisms[0], 0.06);
  EXPECT_NEAR(way[1], 0.06 * 0.06 / (2 * 0.9 * hardest), 2e-5) << "m";
  EXPECT_LT(way[1], 0.4 * way[0]);
}

// A line of pulses for each direction: the same moves, the same places.
TEST(MidMotion, OnATwoPulseBoardGoesThereAndBack) {
  Rig rig = traverse_with_drum();
  StepDirBoard board = rig.mechanisms[0].step_dir();
  board.form = StepDirBoard::Form::two_pulse;
  rig.mechanisms[0].board = board;
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 60_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("traverse").position(), 0.060, 3e-6);
  traverse.move({.to = 20_mm});
  bench.serve(0.5_s);
  traverse.redirect({.to = 50_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("traverse").position(), 0.050, 3e-6);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_GT(bench.simulated_lines().steps_made(LineId{0}), 16'000 + 2'000);
  EXPECT_LT(bench.simulated_lines().steps_made(LineId{1}), -5'000);
}

// Released, it is held by detent and friction alone; energised again, its field stands where it stood.
TEST(MidMotion, IsReleasedAndEnergisedAgainWithoutAJump) {
  Rig rig = traverse_with_drum();
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 37_mm}).wait();
  bench.serve(0.3_s);
  const double before = bench.plant("traverse").position();
  traverse.release();
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("traverse").current_a(), 0.0, 1e-6);
  EXPECT_NEAR(bench.plant("traverse").position(), before, 4e-6) << "by friction";
  traverse.move({.by = 0.1_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("traverse").position(), 0.0371, 3e-6);
  EXPECT_TRUE(bench.verdict().is_sound());
  traverse.move({.to = 40_mm});
  bench.serve(0.01_s);
  EXPECT_THROW(traverse.release(), RangeError) << "while it moves";
}

// A weight hangs on the traverse: it is held and lifted, and falls when it is let go.
TEST(MidMotion, AWeightIsLiftedAndFallsWhenReleased) {
  Rig rig = traverse_with_drum();
  rig.mechanisms[0].load.carried_mass = Mass::from_base(6.0);
  rig.mechanisms[0].load.rise = Angle(90, units::deg);
  SimulatedBench bench(rig);
  auto lift = bench.stepper("traverse");
  lift.move({.to = 40_mm}).wait();
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_NEAR(bench.plant("traverse").position(), 0.040, 6e-6);
  EXPECT_LT(bench.plant("traverse").position(), 0.040 - 1e-6) << "it hangs a little below";
  lift.release();
  bench.serve(0.3_s);
  EXPECT_LT(bench.plant("traverse").position(), 0.035);
}

TEST(MidMotion, CoilsAreReleasedAndEnergisedAgainWithoutAJump) {
  Rig rig = testing_support::demo_rig();
  rig.mechanisms[1].homing.reset();
  SimulatedBench bench(rig);
  auto creel = bench.stepper("creel");
  const OutputPosition by{OutputKind::rotary, Ratio(33, 2576)};  // 33 steps and a little
  creel.move({.to = by}).wait();
  bench.serve(0.3_s);
  const double before = bench.plant("creel").position();
  creel.release();
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("creel").current_a(), 0.0, 0.01) << "of 0.1235 A";
  creel.move({.by = OutputPosition{OutputKind::rotary, Ratio(0)}}).wait();
  creel.move({.by = OutputPosition{OutputKind::rotary, Ratio(1, 2580)}}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(bench.plant("creel").position(), before + 1.0 / 2579.6, 0.2 / 2579.6);
  EXPECT_EQ(bench.verdict().movers[1].figure("lost_microsteps"), 0);
}

// Any order at any instant: positions stay exact, nothing is lost, nothing leaves the travel.
TEST(MidMotion, RandomRedirectsKeepThePositionTrue) {
  std::mt19937_64 random(31);
  std::uniform_int_distribution<std::int64_t> place(0, 118'000);
  std::uniform_int_distribution<int> kind(0, 3);
  std::uniform_real_distribution<double> pause(0.02, 0.5);
  SimulatedBench bench(traverse_with_drum());
  auto traverse = bench.stepper("traverse");
  auto motion = traverse.move({.to = 59_mm});
  bench.serve(0.1_s);
  for (int i = 0; i < 60; ++i) {
    const OutputPosition target{ExactLength(Ratio(place(random)), units::um)};
    if (motion.has_ended()) {
      motion = traverse.move({.to = target});
    } else if (kind(random) == 0) {
      motion.cancel();
      motion.wait();
      bench.serve(0.2_s);
    } else {
      motion = traverse.redirect({.to = target, .acceleration = 1000_mm_per_s2});
    }
    bench.serve(Time(pause(random), units::s));
    ASSERT_GT(bench.plant("traverse").position(), -0.0001);
    ASSERT_LT(bench.plant("traverse").position(), 0.1181);
  }
  bench.wait_for_all();
  bench.serve(0.3_s);
  EXPECT_TRUE(bench.verdict().is_sound());
  EXPECT_NEAR(bench.plant("traverse").position(), traverse.position()->base.to_double(), 4e-6);
}

}  // namespace
}  // namespace cogstride::mid_motion_test
