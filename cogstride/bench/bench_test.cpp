// The public face, end to end: motions on the simulated bench, with real physics behind the lines.
#include "cogstride/bench/bench.hpp"

#include <gtest/gtest.h>

#include <random>
#include <set>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/fastest.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::bench_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::demo_rig_without_gate;

/// Remembers the rising edges of one line.
class EdgeTimes final : public TraceSink {
 public:
  explicit EdgeTimes(LineId line) : line_(line) {}
  void begin(const TraceLayout&) override {}
  void edge(Tick at, LineId line, bool high) override {
    if (line == line_ && high) times.push_back(at);
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent& event) override { events.push_back(event.text); }
  void end(Tick) override {}
  std::vector<Tick> times;
  std::vector<std::string> events;

 private:
  LineId line_;
};

TEST(Bench, TurnsSevenTwelfthsAtAConstantSpeedAsLongAsTheSumSays) {
  Rig rig = demo_rig_without_gate();
  Mechanism& reel = rig.mechanisms[0];
  reel.name = "reel";
  reel.follows.reset();
  reel.train = {};
  reel.hard_ends.reset();
  reel.stepper().full_steps = 48;
  reel.step_dir().microsteps = 8;  // 384 steps a turn: 7/12 of it are 224
  reel.limits = {.speed = 4.5_rpm, .acceleration = 360_deg_per_s2, .start_speed = 4.5_rpm};
  EdgeTimes steps(LineId{0});
  SimulatedBench bench(rig, {.trace = &steps});
  bench.stepper("reel").move({.by = OutputPosition(OutputKind::rotary, Ratio(225, 384))}).wait();
  ASSERT_EQ(steps.times.size(), 225u) << "the last is one interval after the 7/12 turn";
  const double sum = 7.0 / 12.0 / (4.5 / 60.0) * 48e6;
  EXPECT_NEAR(static_cast<double>(steps.times.back() - steps.times.front()), sum, 1.0) << "ticks";
}

// Friction and detent hold a rotor up to 0.54 microsteps from its place: 0.020 + 0.012 N m on 0.0605 N m a
// microstep.
constexpr double held_within = 0.0021;  // mm

TEST(Bench, AThousandMovesOf70MicrometresEndAtExactly70Millimetres) {
  Rig rig = demo_rig_without_gate();
  rig.mechanisms[0].limits.acceleration = 300_mm_per_s2;
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  for (int i = 0; i < 1000; ++i) traverse.move({.by = 0.07_mm});
  bench.wait_for_all();
  EXPECT_EQ(traverse.position(), OutputPosition(70_mm));
  bench.serve(0.3_s);
  const MoverVerdict verdict = bench.verdict().movers[0];
  EXPECT_EQ(verdict.figure("net_steps"), static_cast<double>(step_at(rig.mechanisms[0], 70_mm)));
  EXPECT_EQ(verdict.figure("pulses"), verdict.figure("net_steps")) << "no step more than the way";
  EXPECT_EQ(verdict.figure("lost_microsteps"), 0.0);
  EXPECT_NEAR(verdict.figure("made"), 70.0, held_within);
}

// Lines with nothing behind them: only what goes out counts.
TEST(StepperMover, TenThousandRandomMovesThereAndBackEndOnTheStartingStep) {
  const Rig rig = demo_rig_without_gate();
  StepperMover mover(rig.mechanisms[0], MechanismId{}, rig.controller);
  SimulatedLines::Setup setup;
  setup.lines = mover.stream().driver().line_setups();
  setup.lead = 480;
  SimulatedLines lines(std::move(setup));
  CheckedLines checked({mover.stream().driver().line_setups(), {}, {}}, lines);
  // The board's rules, checked at the lines.
  StepDirReceiver board(rig.mechanisms[0].step_dir(), rig.mechanisms[0].step_dir_lines(),
                        rig.controller.timer_clock);
  lines.on_edge([&](Tick at, LineId line, bool high) {
    if (line == LineId{0}) board.set_step(at, high);
    if (line == LineId{1}) board.set_dir(at, high);
    if (line == LineId{2}) board.set_enable(at, high);
  });
  BenchLoop loop(checked);
  loop.add(mover);
  std::mt19937_64 random(7);
  std::uniform_int_distribution<std::int64_t> nanometres(0, 2'000'000);
  std::vector<ExactLength> way_back;
  for (int i = 0; i < 10'000; ++i) {
    const ExactLength way(Ratio(nanometres(random), 1'000'000), units::mm);
    way_back.push_back(way);
    mover.move(checked, {.by = way});
    mover.move(checked, {.by = -way});
    if (i % 100 == 0) loop.run(never, [&] { return mover.has_ended(); });
  }
  loop.run(never, [&] { return mover.has_ended(); });
  EXPECT_EQ(mover.position(lines.now()), OutputPosition(0_mm));
  EXPECT_EQ(lines.steps_made(LineId{0}), 0);
  EXPECT_EQ(board.microstep(), 0);
  EXPECT_EQ(board.counts().missed(), 0);
  EXPECT_EQ(board.counts().wrong_direction, 0);
  EXPECT_GT(board.counts().pulses, 4'000'000);
}

TEST(Bench, HomesToTheSameStepFromAHundredPlacesTheGateIncluded) {
  const Rig rig = demo_rig();
  std::mt19937_64 random(8);
  std::uniform_int_distribution<std::int64_t> micrometres(-3'400, 122'400);
  for (int i = 0; i < 100; i += testing_support::one_in(9)) {
    // Every fourth start is on the gate or at its edges.
    const std::int64_t place = i % 4 == 0 ? -900 - 25 * i : micrometres(random);
    const ExactLength start(Ratio(place), units::um);
    SimulatedBench bench(
        rig, {.seed = static_cast<std::uint64_t>(i + 1), .start_positions = {{"traverse", start}}});
    auto traverse = bench.stepper("traverse");
    ASSERT_EQ(traverse.home().result(), "") << place << " um";
    EXPECT_EQ(traverse.position(), OutputPosition(0_mm));
    bench.serve(0.2_s);
    ASSERT_EQ(bench.verdict().movers[0].figure("lost_microsteps"), 0) << place << " um";
    EXPECT_NEAR(bench.plant("traverse").rotor_microsteps(), 0.0, held_within / 0.00375) << place << " um";
  }
}

TEST(Bench, SaysThatHomingFailedAndWhy) {
  Rig rig = demo_rig();
  rig.mechanisms[0].step_dir_lines().enable->active = ActiveLevel::high;  // the board wants low
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  auto home = traverse.home();
  auto move = traverse.move({.to = 10_mm});
  EXPECT_NE(home.result().find("the gate (line 3) did not act within"), std::string::npos);
  EXPECT_THROW(home.wait(), MotionFault);
  EXPECT_EQ(home.status(), MotionStatus::faulted);
  EXPECT_EQ(move.status(), MotionStatus::cancelled) << "what was queued behind a fault does not begin";
  EXPECT_FALSE(traverse.position()) << "nobody knows where it stands";
  const MoverVerdict verdict = bench.verdict().movers[0];
  EXPECT_EQ(verdict.figure("missed_switched_off"), verdict.figure("pulses"));
  EXPECT_NE(verdict.causes.at(0).words.find("ENABLE, which it wants low (lines.enable.active"),
            std::string::npos)
      << verdict.complaints[0];
}

TEST(Bench, SaysThatTheGateIsStuck) {
  Rig rig = demo_rig();
  rig.mechanisms[0].home_switch()->active = ActiveLevel::low;  // clear looks like blocked
  rig.mechanisms[0].home_switch()->acts_at = 300_mm;           // and no edge ever comes
  rig.mechanisms[0].home_switch()->releases_at = 301_mm;
  SimulatedBench bench(rig);
  EXPECT_NE(bench.stepper("traverse").home().result().find("still acts after"), std::string::npos);
}

TEST(Bench, RefusesMovesBeforeAnythingIsQueued) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.stepper("traverse");
  EXPECT_THROW(traverse.move({.to = 10_mm}), RangeError) << "not homed";
  traverse.home();
  EXPECT_NO_THROW(traverse.move({.to = 118_mm}));
  EXPECT_THROW(traverse.move({.by = 0.001_mm}), RangeError) << "beyond the travel after what is queued";
  EXPECT_THROW(traverse.move({.to = 10_mm, .speed = 61_mm_per_s}), RangeError);
  EXPECT_THROW(traverse.move({.to = 10_mm, .speed = 0_mm_per_s}), RangeError);
  EXPECT_THROW(traverse.move({.to = 10_mm, .acceleration = 1501_mm_per_s2}), RangeError);
  EXPECT_THROW(traverse.move({.to = 90_deg}), RangeError);
  EXPECT_THROW(traverse.move({}), RangeError);
  EXPECT_THROW((void)bench.stepper("travers"), RangeError);
  Rig slow = demo_rig();
  slow.controller.top_step_rate = 12_kHz;
  SimulatedBench slow_bench(slow);
  try {
    (void)plan_move(slow.mechanisms[0], slow.controller, 0_mm, {.to = 10_mm});
    FAIL();
  } catch (const RangeError& error) {
    EXPECT_STREQ(
        error.what(),
        "traverse: 60 mm/s takes 16000 steps/s, and this controller makes 12000: 45 mm/s can be had");
  }
}

TEST(Bench, CancelBrakesOnARampAndKeepsATruePosition) {
  SimulatedBench bench(demo_rig_without_gate());
  auto traverse = bench.stepper("traverse");
  auto there = traverse.move({.to = 100_mm});
  auto next = traverse.move({.to = 50_mm, .speed = 20_mm_per_s});
  bench.serve(0.5_s);
  there.cancel();
  EXPECT_EQ(there.result(), "");
  EXPECT_EQ(there.status(), MotionStatus::cancelled);
  const double stop = traverse.position()->base.to_double();
  const double way_at_cancel = 0.0012 + 0.060 * (0.5 - 0.0373);
  EXPECT_NEAR(stop, way_at_cancel + 0.0012, 0.0004) << "one ramp further";
  next.wait();
  EXPECT_EQ(traverse.position(), OutputPosition(50_mm)) << "what was queued behind goes on";
  auto later = traverse.move({.to = 0_mm});
  later.cancel();
  EXPECT_EQ(later.status(), MotionStatus::cancelled);
  EXPECT_FALSE(later.duration());
  bench.serve(0.3_s);
  EXPECT_NEAR(bench.plant("traverse").position(), 0.05, 3e-6);
}

TEST(Bench, CancelAtAnyInstantLeavesLinesAndPositionTrue) {
  std::mt19937_64 random(9);
  std::uniform_real_distribution<double> seconds(0.0, 0.3);
  Rig rig = demo_rig_without_gate();
  rig.mechanisms[0].limits.acceleration = 500_mm_per_s2;
  SimulatedBench bench(rig);
  auto traverse = bench.stepper("traverse");
  for (int i = 0; i < 60; ++i) {
    auto motion = traverse.move({.to = i % 2 == 0 ? 110_mm : 5_mm});
    bench.serve(Time(i == 0 ? 0.0 : seconds(random), units::s));
    motion.cancel();
    motion.wait();
    const auto expected = (traverse.position()->base * steps_per_base(rig.mechanisms[0])).rounded();
    ASSERT_EQ(bench.simulated_lines().steps_made(LineId{0}), expected);
    bench.serve(0.2_s);
  }
  EXPECT_TRUE(bench.verdict().is_sound());
}

TEST(Bench, StopPutsEverythingAtRestAndDoubtsThePosition) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  auto move = traverse.move({.to = 100_mm});
  bench.serve(0.4_s);
  bench.stop();
  EXPECT_EQ(move.status(), MotionStatus::faulted);
  EXPECT_FALSE(traverse.position());
  EXPECT_TRUE(bench.simulated_lines().level(LineId{2})) << "ENABLE at rest: off";
  EXPECT_FALSE(bench.simulated_lines().level(LineId{0}));
  EXPECT_THROW(traverse.move({.to = 10_mm}), RangeError);
  const std::int64_t steps = bench.simulated_lines().steps_made(LineId{0});
  bench.serve(0.1_s);
  EXPECT_EQ(bench.simulated_lines().steps_made(LineId{0}), steps);
  traverse.home().wait();
  EXPECT_EQ(traverse.position(), OutputPosition(0_mm)) << "homed again, it is believed again";
}

TEST(Bench, AHomingThatIsCancelledLeavesNoPosition) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.stepper("traverse");
  auto home = traverse.home();
  auto move = traverse.move({.to = 10_mm});
  bench.serve(1_s);
  home.cancel();
  EXPECT_NE(move.result().find("nobody knows where it stands"), std::string::npos);
  EXPECT_EQ(home.status(), MotionStatus::cancelled);
  EXPECT_EQ(move.status(), MotionStatus::faulted);
  EXPECT_FALSE(traverse.position());
  traverse.home().wait();
  traverse.move({.to = 10_mm}).wait();
  bench.serve(0.2_s);
  EXPECT_NEAR(bench.plant("traverse").position(), 0.010, 4e-6);
}

TEST(Bench, TakesNothingOnceItIsClosed) {
  EdgeTimes steps(LineId{0});
  SimulatedBench bench(demo_rig_without_gate(), {.trace = &steps});
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 1_mm}).wait();
  bench.close();
  bench.close();
  const std::size_t seen = steps.times.size();
  EXPECT_EQ(seen, 267u);
  EXPECT_THROW((void)traverse.move({.to = 2_mm}), RangeError);
  EXPECT_EQ(steps.times.size(), seen);
  EXPECT_EQ(traverse.position(), OutputPosition(1_mm));
}

TEST(Bench, TwoMechanismsMoveSideBySide) {
  Rig rig = demo_rig_without_gate();
  Mechanism second = rig.mechanisms[0];
  second.name = "takeup";
  second.step_dir_lines().step.number = 50;
  second.step_dir_lines().dir.number = 51;
  second.step_dir_lines().enable->number = 52;
  rig.mechanisms.push_back(second);
  SimulatedBench bench(rig);
  auto a = bench.stepper("traverse").move({.to = 60_mm});
  auto b = bench.stepper("takeup").move({.to = 60_mm, .speed = 30_mm_per_s});
  a.wait();
  EXPECT_FALSE(b.has_ended());
  b.wait();
  EXPECT_NEAR(bench.now().in(units::s), 2.02, 0.03);
  bench.serve(0.2_s);
  EXPECT_NEAR(bench.plant("traverse").position(), bench.plant("takeup").position(), 4e-6);
}

TEST(Bench, ARampBeyondTheTorqueLosesWholePeriodsAndSaysWhen) {
  Rig rig = demo_rig_without_gate();
  rig.mechanisms[0].limits.acceleration = 4000_mm_per_s2;  // static torque ends at 3615
  rig.mechanisms[0].limits.jerk.reset();
  SimulatedBench bench(rig);
  bench.stepper("traverse").move({.to = 80_mm}).wait();
  bench.serve(0.5_s);
  const MoverVerdict verdict = bench.verdict().movers[0];
  const double lost = verdict.figure("lost_microsteps");
  EXPECT_GT(lost, 0.0);
  EXPECT_EQ(std::fmod(lost, 32.0), 0.0);
  const double rotor = bench.plant("traverse").rotor_microsteps();
  EXPECT_NEAR(verdict.figure("net_steps") - lost, rotor, 1.0);
  ASSERT_FALSE(verdict.moments.empty());
  EXPECT_LT(verdict.moments[0].at, 48'000 * 40) << "on the first ramp";
  EXPECT_GT(verdict.moments[0].figures.at(1).value, 1000.0) << "steps/s";
  ASSERT_GE(verdict.complaints.size(), 2u);
  EXPECT_NE(verdict.complaints.back().find(" microsteps short of its steps"), std::string::npos);
}

/// Whether a long move from rest, at full acceleration for five natural periods and more, loses steps.
bool loses_steps(int acceleration) {
  Rig rig = demo_rig_without_gate();
  Mechanism& traverse = rig.mechanisms[0];
  traverse.limits.acceleration = ExactAcceleration(acceleration, units::mm_per_s2);
  traverse.limits.start_speed = 0_mm_per_s;
  traverse.limits.jerk.reset();
  SimulatedBench bench(rig);
  bench.stepper("traverse").move({.to = 40_mm}).wait();
  bench.serve(0.3_s);
  return bench.verdict().movers[0].figure("lost_microsteps") != 0;
}

// A torque that is applied as a step swings the rotor past its place: by the equal-area rule about 0.725 of
// the static limit can be used. With friction and detent the static limit of the traverse is 3615 mm/s2.
TEST(Bench, LossBeginsWhereTheEqualAreaRulePutsIt) {
  int sound = 1000;
  int lossy = 3615;
  ASSERT_FALSE(loses_steps(sound));
  ASSERT_TRUE(loses_steps(lossy)) << "beyond the static torque nothing holds";
  while (lossy - sound > 10) {
    const int middle = (sound + lossy) / 2;
    (loses_steps(middle) ? lossy : sound) = middle;
  }
  EXPECT_NEAR(lossy, 0.725 * 3615, 0.1 * 0.725 * 3615);
}

// Moves chosen for a margin of torque lose nothing on the bench.
TEST(Bench, LosesNothingInsideTheMargin) {
  for (const std::size_t which : {0u, 1u}) {
    for (const double margin : {0.05, 0.3}) {
      Rig rig = demo_rig_without_gate();
      Mechanism& mechanism = rig.mechanisms[which];
      mechanism.homing.reset();
      const OutputPosition to =
          which == 0 ? OutputPosition(75_mm) : OutputPosition(OutputKind::rotary, Ratio(1, 4));
      const FastestMove fastest = fastest_move(mechanism, rig.controller, step_at(mechanism, to), margin);
      mechanism.limits.speed = fastest.speed;
      mechanism.limits.acceleration = fastest.acceleration;
      SimulatedBench bench(rig);
      bench.stepper(mechanism.name).move({.to = to}).wait();
      bench.serve(0.5_s);
      EXPECT_EQ(bench.verdict().movers[which].figure("lost_microsteps"), 0)
          << mechanism.name << " " << to_text(fastest.speed) << " " << to_text(fastest.acceleration);
    }
  }
}

TEST(Bench, LosesNothingInsideTheSwingLimit) {
  for (const int acceleration : {1000, 1500, 2000}) {
    Rig rig = demo_rig_without_gate();
    rig.mechanisms[0].limits.acceleration = ExactAcceleration(acceleration, units::mm_per_s2);
    SimulatedBench bench(rig);
    bench.stepper("traverse").move({.to = 80_mm}).wait();
    bench.serve(0.3_s);
    EXPECT_TRUE(bench.verdict().is_sound()) << acceleration;
    EXPECT_NEAR(bench.plant("traverse").position(), 0.08, 3e-6);
  }
}

}  // namespace
}  // namespace cogstride::bench_test
