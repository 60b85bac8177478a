// Orders that change a motion while it is on, and motions that begin and end together, on the whole bench:
// what the plant did is what counts.
#include <gtest/gtest.h>

#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
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
