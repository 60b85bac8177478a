#include "cogstride/motion/stepper/step_stream.hpp"

#include <gtest/gtest.h>

#include <random>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::step_stream_test {
namespace {

/// A stream on lines whose other end is the board's own rules.
class StreamOnLines final : public Participant {
 public:
  StreamOnLines()
      : rig_(testing_support::demo_rig_without_gate()),
        stream(rig_.mechanisms[0], MechanismId{}, rig_.controller),
        board(rig_.mechanisms[0].step_dir(), rig_.mechanisms[0].step_dir_lines(),
              rig_.controller.timer_clock),
        lines({.lines = stream.driver().line_setups(), .lead = 480}),
        checked({stream.driver().line_setups(), {}, {}}, lines),
        loop_(checked) {
    lines.on_edge([this](Tick at, LineId line, bool high) {
      if (line == LineId{0}) board.set_step(at, high);
      if (line == LineId{1}) board.set_dir(at, high);
      if (line == LineId{2}) board.set_enable(at, high);
    });
    loop_.add(*this);
  }

  [[nodiscard]] Tick next_act() const override { return stream.next_act(); }
  void act(Lines& on, std::span<const Reading>) override { stream.act(on); }

  void run_to_end() {
    loop_.run(never, [this] { return !stream.is_busy(); });
    EXPECT_EQ(lines.steps_made(LineId{0}), stream.made());
    EXPECT_EQ(board.microstep(), stream.made());
    EXPECT_EQ(board.counts().missed(), 0);
    EXPECT_EQ(board.counts().wrong_direction, 0);
  }
  void run_for(Tick ticks) {
    loop_.run(lines.now() + ticks, [] { return false; });
  }

 private:
  Rig rig_;

 public:
  StepStream stream;
  StepDirReceiver board;
  SimulatedLines lines;
  CheckedLines checked;

 private:
  BenchLoop loop_;
};

constexpr RampLimits from_rest{.speed = 16'000, .acceleration = 400'000, .start_speed = 0};

// The contract of bench.hpp: half of the horizon may pass unserved.
TEST(StepStream, BearsHalfOfItsHorizonUnserved) {
  for (const bool is_too_long : {false, true}) {
    StreamOnLines on;
    on.stream.start(on.checked, 30'000, from_rest, {}, 0);
    std::vector<Reading> readings;
    const Tick away = on.lines.horizon() / 2 + (is_too_long ? on.lines.horizon() / 10 : 0);
    bool came_late = false;
    while (on.stream.is_busy() && !came_late) {
      const Tick back = on.stream.next_act() + away;
      while (on.lines.now() < back) on.checked.wait_until(back, readings);
      try {
        on.stream.act(on.checked);
      } catch (const RangeError&) {
        came_late = true;
      }
    }
    EXPECT_EQ(came_late, is_too_long);
  }
}

// The brake turns round exactly on a step, or a hair before or after it: DIR must have its time either way.
TEST(StepStream, APeakThatTurnsOnAThresholdNeverBreaksDirSetUp) {
  for (const double beyond : {-1e-6, -1e-9, 0.0, 1e-9, 1e-6}) {
    for (const double start_speed : {0.0, 1000.0, 8000.0}) {
      StreamOnLines on;
      on.stream.start(on.checked, 1000, from_rest, {}, 0);
      const Tick withdrawn_at = on.lines.now() + 48 * 30'000;  // cruising, 30 ms in
      on.run_for(48 * 30'000 - 480);
      // Braking from 12 000 steps/s over a whole number of steps from where it is then.
      const Ramp ramp = plan_ramp({}, 1000, from_rest);
      const MotionState state =
          ramp.state_at(static_cast<double>(withdrawn_at - on.stream.began_at()) / 48e6);
      const double way = std::ceil(state.position.to_double() + 150) + beyond - state.position.to_double();
      const RampLimits limits{
          .speed = 16'000,
          .acceleration = (state.speed * state.speed - start_speed * start_speed) / (2 * way),
          .start_speed = start_speed};
      on.stream.retarget(on.checked, 50, limits);
      on.run_to_end();
      EXPECT_EQ(on.stream.made(), 50);
    }
  }
}

TEST(StepStream, TakesANewTargetInMidMotion) {
  std::mt19937_64 random(11);
  std::uniform_int_distribution<std::int64_t> target(-2000, 2000);
  std::uniform_int_distribution<Tick> pause(0, 48 * 60'000);
  StreamOnLines on;
  const RampLimits limits{.speed = 16'000, .acceleration = 400'000, .start_speed = 1000};
  std::int64_t last = 0;
  for (int i = 0; i < 2000; ++i) {
    last = target(random);
    on.stream.retarget(on.checked, last, limits);
    on.run_for(pause(random));
    if (i % 50 == 49) {
      on.run_to_end();
      ASSERT_EQ(on.stream.made(), last);
    }
  }
}

TEST(StepStream, BrakesAtAnyInstantOnAWholeStep) {
  std::mt19937_64 random(12);
  std::uniform_int_distribution<Tick> pause(0, 48 * 40'000);
  StreamOnLines on;
  for (int i = 0; i < 300; ++i) {
    on.stream.start(on.checked, on.stream.made() + (i % 2 == 0 ? 3000 : -3000), from_rest, {}, 0);
    on.run_for(pause(random));
    on.stream.brake(on.checked, from_rest);
    on.run_to_end();
  }
}

}  // namespace
}  // namespace cogstride::step_stream_test
