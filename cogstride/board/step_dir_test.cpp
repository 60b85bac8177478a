#include "cogstride/board/step_dir.hpp"

#include <gtest/gtest.h>

#include "cogstride/quantity/literals.hpp"

namespace cogstride::step_dir_test {
namespace {

using namespace literals;

constexpr ExactFrequency clock_48 = 48_MHz;
constexpr Tick us = 48;

StepDirBoard board() {
  StepDirBoard values;
  values.shortest_high = 2.2_us;
  values.shortest_low = 2.2_us;
  values.dir_steady_before = 5_us;
  values.dir_steady_after = 5_us;
  values.wake = 1_ms;
  return values;
}

StepDirWiring wiring() {
  StepDirWiring values;
  values.step = {0, ActiveLevel::high};
  values.dir = {1, ActiveLevel::high};
  values.enable = DrivenLine{2, ActiveLevel::low};
  return values;
}

/// A board that has been awake for long, going forwards.
StepDirReceiver awake(const StepDirBoard& values = board()) {
  StepDirReceiver receiver(values, wiring(), clock_48);
  receiver.set_enable(0, false);
  receiver.set_dir(0, true);
  return receiver;
}

void pulse(StepDirReceiver& receiver, Tick at, Tick width = 3 * us) {
  receiver.set_step(at, true);
  receiver.set_step(at + width, false);
}

TEST(StepDirReceiver, StepsOnTheRisingEdge) {
  StepDirReceiver receiver = awake();
  receiver.set_step(2000 * us, true);
  EXPECT_EQ(receiver.microstep(), 1);
  receiver.set_step(2003 * us, false);
  EXPECT_EQ(receiver.microstep(), 1);
  receiver.set_dir(2020 * us, false);
  pulse(receiver, 2030 * us);
  pulse(receiver, 2040 * us);
  EXPECT_EQ(receiver.microstep(), -1);
  EXPECT_EQ(receiver.counts().pulses, 3);
  EXPECT_EQ(receiver.counts().missed(), 0);
  EXPECT_DOUBLE_EQ(receiver.step_rate(), 100'000);
}

TEST(StepDirReceiver, StepsOnTheFallingEdgeWhenItIsSuchABoard) {
  StepDirBoard values = board();
  values.step_edge = StepEdge::falling;
  StepDirReceiver receiver = awake(values);
  receiver.set_step(2000 * us, true);
  EXPECT_EQ(receiver.microstep(), 0);
  receiver.set_step(2003 * us, false);
  EXPECT_EQ(receiver.microstep(), 1);
}

TEST(StepDirReceiver, MissesPulsesShorterThanItsInputsNeed) {
  StepDirReceiver receiver = awake();
  pulse(receiver, 2000 * us, 105);  // 2.19 us
  EXPECT_EQ(receiver.microstep(), 0);
  pulse(receiver, 3000 * us, 106);  // 2.21 us
  EXPECT_EQ(receiver.microstep(), 1);
  pulse(receiver, 3000 * us + 106 + 100);  // low for 2.08 us only
  EXPECT_EQ(receiver.microstep(), 1);
  EXPECT_EQ(receiver.counts().missed_short, 2);
  EXPECT_EQ(receiver.counts().shortest, 100);
}

TEST(StepDirReceiver, IgnoresStepsWhileOffAndWhileWaking) {
  StepDirReceiver receiver(board(), wiring(), clock_48);
  EXPECT_FALSE(receiver.is_on());
  pulse(receiver, 100 * us);
  receiver.set_enable(200 * us, false);
  EXPECT_TRUE(receiver.is_on());
  pulse(receiver, 1199 * us);
  pulse(receiver, 1300 * us);
  EXPECT_EQ(receiver.microstep(), -1) << "DIR rests backwards; one step counted";
  EXPECT_EQ(receiver.counts().missed_off, 1);
  EXPECT_EQ(receiver.counts().missed_waking, 1);
}

TEST(StepDirReceiver, GoesTheOldWayWhenDirHasNotSettled) {
  StepDirReceiver receiver = awake();
  receiver.set_dir(2000 * us, false);
  pulse(receiver, 2004 * us);
  EXPECT_EQ(receiver.microstep(), 1);
  EXPECT_EQ(receiver.counts().wrong_direction, 1);
  pulse(receiver, 2010 * us);
  EXPECT_EQ(receiver.microstep(), 0);
}

TEST(StepDirReceiver, TakesTheNewWayWhenDirIsNotHeld) {
  StepDirReceiver receiver = awake();
  pulse(receiver, 2000 * us);
  receiver.set_dir(2004 * us, false);
  EXPECT_EQ(receiver.microstep(), -1);
  EXPECT_EQ(receiver.counts().wrong_direction, 1);
}

TEST(StepDirReceiver, IsAlwaysOnWhenEnableIsTied) {
  StepDirWiring tied = wiring();
  tied.enable.reset();
  StepDirReceiver receiver(board(), tied, clock_48);
  EXPECT_TRUE(receiver.is_on());
  pulse(receiver, 5000 * us);
  EXPECT_EQ(receiver.microstep(), -1);
}

TEST(StepDirReceiver, DoesWithAnOpenEnableWhatTheBoardDoes) {
  StepDirWiring open = wiring();
  open.enable.reset();
  StepDirBoard some = board();
  some.enable_open = OpenEnable::off;
  StepDirReceiver off(some, open, clock_48, EnableUse::open);
  EXPECT_FALSE(off.is_on());
  pulse(off, 5000 * us);
  EXPECT_EQ(off.microstep(), 0);
  EXPECT_EQ(off.counts().missed_off, 1);
  some.enable_open = OpenEnable::on;
  EXPECT_TRUE(StepDirReceiver(some, open, clock_48, EnableUse::open).is_on());
}

TEST(StepDirDriver, HoldsSelectSleepAndResetLinesWhereTheBoardRuns) {
  Mechanism mechanism{.name = "reel"};
  mechanism.step_dir() = board();
  mechanism.step_dir().microsteps = 8;
  mechanism.step_dir().microsteps_by_switch = {{"00", 1}, {"10", 4}, {"01", 8}, {"11", 16}};
  mechanism.step_dir_lines() = wiring();
  mechanism.step_dir_lines().sleep = DrivenLine{20, ActiveLevel::low, {}};
  mechanism.step_dir_lines().reset = DrivenLine{21, ActiveLevel::high, {}};
  mechanism.step_dir_lines().microstep_select = {{22, ActiveLevel::high, {}}, {23, ActiveLevel::high, {}}};
  const std::vector<LineSetup> lines = StepDirDriver(mechanism, MechanismId{0}, clock_48).line_setups();
  ASSERT_EQ(lines.size(), 7u);
  EXPECT_EQ(lines[3].name, "reel.sleep");
  EXPECT_TRUE(lines[3].rest_high) << "awake";
  EXPECT_FALSE(lines[4].rest_high) << "out of reset";
  EXPECT_FALSE(lines[5].rest_high) << "select 1 of \"01\"";
  EXPECT_TRUE(lines[6].rest_high) << "select 2 of \"01\"";
  mechanism.step_dir_lines().microstep_select[1].active = ActiveLevel::low;
  EXPECT_FALSE(StepDirDriver(mechanism, MechanismId{0}, clock_48).line_setups()[6].rest_high)
      << "through an inverting part";
}

TEST(StepDirDriver, RestsWithTheBoardOff) {
  Mechanism mechanism{.name = "traverse"};
  mechanism.step_dir() = board();
  mechanism.step_dir_lines() = wiring();
  mechanism.step_dir_lines().pulse_width = 2.2_us;
  const StepDirDriver driver(mechanism, MechanismId{3}, clock_48);
  const std::vector<LineSetup> lines = driver.line_setups();
  ASSERT_EQ(lines.size(), 3u);
  EXPECT_EQ(lines[0].name, "traverse.step");
  EXPECT_FALSE(lines[0].rest_high);
  EXPECT_EQ(lines[0].pulse_width, 106);
  EXPECT_EQ(lines[0].owner, MechanismId{3});
  EXPECT_TRUE(lines[2].rest_high) << "ENABLE is active low";
  EXPECT_EQ(driver.wake(), 48'000);
}

}  // namespace
}  // namespace cogstride::step_dir_test
