// Homing as a state machine: asked of a walker that is no stream of steps, on scripted lines.
#include "cogstride/motion/stepper/homing_sequence.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <random>
#include <string>

#include "cogstride/motion/walker.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::homing_sequence_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::OnScript;

constexpr LineId gate{3};

/// Walks a step each so many ticks, whatever the limits say but their speed, and makes a gate act: below
/// `acts_below`, seen from where the walker counts.
class PlainWalker final : public Walker {
 public:
  PlainWalker(OnScript& on, std::int64_t acts_below, double ticks_per_second)
      : on_(on), acts_below_(acts_below), ticks_per_second_(ticks_per_second) {
    on_.lines.player.says(static_cast<SourceId>(gate), acts() ? 1 : 0);
  }
  [[nodiscard]] bool is_on() const override { return is_on_; }
  void switch_on(Lines&) override { is_on_ = true; }
  void start(Lines& lines, std::int64_t target, const RampLimits& limits,
             std::optional<StopOn> stop) override {
    ++ways;
    target_ = target;
    stride_ = std::max<Tick>(1, std::llround(ticks_per_second_ / limits.speed));
    stop_ = stop && stop->ramp ? std::nullopt : stop;  // it is braked as planned
    next_ = lines.now() + stride_;
    if (target == made_) next_ = never;
  }
  void brake(Lines&, const RampLimits&) override { target_ = made_ + (target_ > made_ ? 3 : -3); }
  void end_here(Lines&) override { next_ = never; }
  [[nodiscard]] bool is_busy() const override { return next_ != never; }
  [[nodiscard]] std::int64_t step_at(Tick) const override { return made_; }
  [[nodiscard]] std::int64_t made() const override { return made_; }
  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines) override {
    if (lines.now() < next_) return;
    const bool acted = acts();
    made_ += target_ > made_ ? 1 : -1;
    next_ = made_ == target_ ? never : lines.now() + stride_;
    if (acts() == acted) return;
    on_.lines.player.edge(lines.now(), gate, acts());
    if (stop_ && (stop_->edge == Edge::rising) == acts()) target_ = made_;
  }
  int ways = 0;

 private:
  [[nodiscard]] bool acts() const { return made_ < acts_below_; }

  OnScript& on_;
  std::int64_t acts_below_;
  double ticks_per_second_;
  bool is_on_ = false;
  std::int64_t made_ = 0;
  std::int64_t target_ = 0;
  Tick stride_ = 1;
  Tick next_ = never;
  std::optional<StopOn> stop_{};
};

/// The sequence with its walker as one who takes part.
class Homing final : public Participant {
 public:
  Homing(OnScript& on, std::int64_t acts_below)
      : mechanism_(rig_.mechanisms[0]),
        walker(on, acts_below, rig_.controller.timer_clock.base().to_double()),
        sequence(homing_goal(mechanism_, rig_.controller), mechanism_, rig_.controller.timer_clock) {}
  void begin(Lines& lines) { sequence.begin(walker, lines); }
  [[nodiscard]] bool is_over() const {
    return sequence.state() == HomingSequence::State::found ||
           sequence.state() == HomingSequence::State::failed;
  }
  [[nodiscard]] Tick next_act() const override { return is_over() ? never : sequence.next_act(walker); }
  void act(Lines& lines, std::span<const Reading> readings) override {
    if (!is_over()) sequence.act(walker, lines, readings);
  }

 private:
  Rig rig_ = demo_rig();
  const Mechanism& mechanism_;

 public:
  PlainWalker walker;
  HomingSequence sequence;
};

std::vector<LineSetup> gate_alone() {
  LineSetup setup{gate, "traverse.gate", {}, LineSetup::Use::input};
  setup.source = static_cast<SourceId>(gate);
  return {setup};
}

TEST(HomingSequence, FindsTheSameEdgeFromWhereverItBegins) {
  std::mt19937_64 random(5);
  std::uniform_int_distribution<std::int64_t> places(-30'000, 1'500);
  for (int i = 0; i < 60; ++i) {
    const std::int64_t edge = i < 20 ? i - 10 : places(random);  // on the gate, at its edge, anywhere
    OnScript on(gate_alone());
    Homing homing(on, edge);
    on.loop.add(homing);
    homing.begin(on.front());
    ASSERT_TRUE(on.run_until([&] { return homing.is_over(); })) << edge;
    ASSERT_EQ(homing.sequence.state(), HomingSequence::State::found)
        << edge << ": " << homing.sequence.failure();
    EXPECT_EQ(homing.sequence.edge_step(), edge - 1) << "the first step on which it acts, going towards it";
    const HomingGoal& goal = homing.sequence.goal();
    const double back = (goal.ends_at.base - goal.edge_at.base).to_double() * goal.steps_per_base;
    EXPECT_EQ(homing.walker.made(), edge - 1 + std::llround(back));
  }
}

TEST(HomingSequence, SaysThatTheGateNeverActs) {
  OnScript on(gate_alone());
  Homing homing(on, -1'000'000);
  on.loop.add(homing);
  homing.begin(on.front());
  ASSERT_TRUE(on.run_until([&] { return homing.is_over(); }));
  EXPECT_EQ(homing.sequence.state(), HomingSequence::State::failed);
  EXPECT_NE(homing.sequence.failure().find("the gate (line 3) did not act within"), std::string::npos)
      << homing.sequence.failure();
  EXPECT_LT(homing.walker.ways, 5);
}

TEST(HomingSequence, SaysThatTheGateNeverLetsGo) {
  OnScript on(gate_alone());
  Homing homing(on, 1'000'000);
  on.loop.add(homing);
  homing.begin(on.front());
  ASSERT_TRUE(on.run_until([&] { return homing.is_over(); }));
  EXPECT_EQ(homing.sequence.state(), HomingSequence::State::failed);
  EXPECT_NE(homing.sequence.failure().find("still acts after"), std::string::npos)
      << homing.sequence.failure();
}

}  // namespace
}  // namespace cogstride::homing_sequence_test
