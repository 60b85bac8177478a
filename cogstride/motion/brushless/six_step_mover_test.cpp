// A bare brushless motor's orders alone on scripted lines: open loop by time, and by Hall sensors that a
// plain motor turns.
#include "cogstride/motion/brushless/six_step_mover.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/plain_motor.hpp"

namespace cogstride::six_step_mover_test {
namespace {

using namespace literals;
using testing_support::OnScript;
using testing_support::PlainMotor;

constexpr std::array halls{LineId{22}, LineId{23}, LineId{24}};

Mechanism spindle(bool has_halls) {
  Mechanism spindle = mechanism_named(testing_support::demo_rig(), "spindle");
  if (!has_halls) spindle.sensors.clear();
  return spindle;
}

std::vector<LineSetup> with_halls(const Mover& mover) {
  std::vector<LineSetup> all = mover.line_setups();
  for (const LineId line : halls) {
    LineSetup input;
    input.id = line;
    input.name = "hall";
    input.use = LineSetup::Use::input;
    input.source = static_cast<SourceId>(line);
    all.push_back(input);
  }
  return all;
}

struct Spindle {
  explicit Spindle(bool has_halls) : parts(spindle(has_halls)) {
    on.loop.add(mover);
    if (!has_halls) return;
    motor.emplace(on, plain(), [this] { return mover.duty(); });
    for (std::size_t i = 0; i < 3; ++i)
      on.lines.player.says(static_cast<SourceId>(halls[i]), (code(0.0) >> i) & 1);
    motor->on_turn = [this](double turns) { tell(turns); };
  }
  static PlainMotor::Parts plain() {
    PlainMotor::Parts parts;
    parts.constant = 0.05;
    parts.resistance = 1.0;
    parts.inertia = 2.5e-4;
    parts.friction = 0.015;
    return parts;
  }
  /// Of the sector that a place is in.
  [[nodiscard]] unsigned code(double turns) const {
    const auto rows = static_cast<std::int64_t>(std::floor(turns * mover.commutation_rows_per_base()));
    return mover_table().hall_of_sector[static_cast<std::size_t>((rows % 6 + 6) % 6)];
  }
  [[nodiscard]] const chip::SixStepTable& mover_table() const { return output.table(); }
  void tell(double turns) {
    const unsigned now = is_stuck ? told : code(turns);
    for (std::size_t i = 0; i < 3; ++i)
      if (((now ^ told) >> i & 1U) != 0) on.lines.player.edge(on.now(), halls[i], (now >> i & 1U) != 0);
    told = now;
  }
  void serve(double seconds) { on.run_to(on.now() + std::llround(seconds * 48e6)); }
  Lines& lines() { return on.front(); }
  /// Gates that carry current, by what was put last.
  [[nodiscard]] std::uint8_t gates() const { return mover.driver().gates_on(on.now()); }

  Rig rig = testing_support::demo_rig();
  Mechanism parts;
  SixStepMover mover{parts, MechanismId{0}, rig.controller};
  SixStepOutput output{parts, MechanismId{0}, rig.controller};
  OnScript on{with_halls(mover), mover.pwm_setups()};
  std::optional<PlainMotor> motor{};
  bool is_stuck = false;
  unsigned told = code(0.0);
};

TEST(SixStepMover, ByHallsHoldsChangesAndReversesASpeed) {
  Spindle it(true);
  it.serve(0.01);
  auto spin = it.mover.spin(it.lines(), {.at = OutputSpeed(600_rpm)});
  it.serve(3.0);
  EXPECT_EQ(spin->status, MotionStatus::done) << spin->fault;
  EXPECT_NEAR(it.motor->rpm(), 600.0, 15.0);
  auto more = it.mover.change_speed(it.lines(), OutputSpeed(300_rpm));
  it.serve(2.0);
  EXPECT_EQ(more->status, MotionStatus::done);
  EXPECT_NEAR(it.motor->rpm(), 900.0, 20.0);
  EXPECT_THROW((void)it.mover.change_speed(it.lines(), OutputSpeed(-2000_rpm)), RangeError);
  auto back = it.mover.reverse_speed(it.lines());
  it.serve(4.0);
  EXPECT_EQ(back->status, MotionStatus::done) << back->fault;
  EXPECT_NEAR(it.motor->rpm(), -900.0, 20.0);
  EXPECT_NE(it.mover.asked(it.on.now()), "");
  std::vector<double> values(it.mover.signals().size());
  it.mover.sample(it.on.now(), values);
  auto stop = it.mover.stop(it.lines());
  it.serve(5.0);
  EXPECT_EQ(stop->status, MotionStatus::done);
  EXPECT_EQ(it.gates(), 0);
  EXPECT_NEAR(it.motor->rpm(), 0.0, 1.0);
  EXPECT_FALSE(it.mover.came_to(it.on.now()).sum.empty());
}

TEST(SixStepMover, ByHallsTurnsForATime) {
  Spindle it(true);
  it.serve(0.01);
  auto timed = it.mover.spin(it.lines(), {.at = OutputSpeed(600_rpm), .lasts = 3_s});
  it.serve(2.0);
  EXPECT_EQ(timed->status, MotionStatus::running);
  it.serve(4.0);
  EXPECT_EQ(timed->status, MotionStatus::done) << timed->fault;
  EXPECT_NEAR(it.motor->turns(), 10.0 * 3.0, 5.0);
  EXPECT_THROW((void)it.mover.spin(it.lines(), {.at = OutputSpeed(9000_rpm)}), RangeError);
  EXPECT_THROW((void)it.mover.spin(it.lines(), {.at = OutputSpeed(600_rpm), .lasts = 1_ms}), RangeError);
}

TEST(SixStepMover, NoticesAShaftThatStandsAndCodesThatCannotBe) {
  Spindle blocked(true);
  blocked.serve(0.01);
  blocked.motor->blocked = true;
  auto spin = blocked.mover.spin(blocked.lines(), {.at = OutputSpeed(600_rpm)});
  blocked.serve(4.0);
  EXPECT_EQ(spin->status, MotionStatus::faulted);
  EXPECT_EQ(blocked.gates(), 0);

  Spindle torn(true);
  torn.serve(0.01);
  auto other = torn.mover.spin(torn.lines(), {.at = OutputSpeed(600_rpm)});
  torn.serve(2.0);
  torn.is_stuck = true;
  for (const LineId line : halls) torn.on.lines.player.edge(torn.on.now() + 100, line, false);
  torn.serve(2.0);
  EXPECT_TRUE(torn.mover.has_ended());
  EXPECT_EQ(torn.gates(), 0) << "a code of three lows is none";
  EXPECT_THROW((void)torn.mover.spin(torn.lines(), {.at = OutputSpeed(600_rpm)}), RangeError);
}

TEST(SixStepMover, OpenLoopItsRowsFollowByTime) {
  Spindle it(false);
  auto spin = it.mover.spin(it.lines(), {.at = OutputSpeed(240_rpm)});
  it.serve(6.0);
  EXPECT_EQ(spin->status, MotionStatus::done) << spin->fault;
  // Rows by what was put: each turns the field by a sixth; 7 pole pairs make 42 of a turn.
  std::vector<Tick> changes;
  std::uint8_t last = it.gates();
  const Tick from = it.on.now();
  while (it.on.now() < from + 48'000'000) {
    it.on.run_to(it.on.now() + 4'800);
    if (it.gates() != last && it.gates() != 0) {
      changes.push_back(it.on.now());
      last = it.gates();
    }
  }
  EXPECT_NEAR(static_cast<double>(changes.size()), 4.0 * 42.0, 2.0);
  EXPECT_THROW((void)it.mover.reverse_speed(it.lines()), RangeError) << "nothing tells its angle";
  it.mover.stop(it.lines(), Braking::on_a_ramp);
  it.serve(1.0);
  EXPECT_TRUE(it.mover.has_ended());
  EXPECT_EQ(it.gates(), 0);
}

TEST(SixStepMover, RefusesWhatItCannot) {
  Spindle it(true);
  it.serve(0.01);
  const auto spin = [&](const SpeedOrder& order) { (void)it.mover.spin(it.lines(), order); };
  EXPECT_THROW(spin({.at = OutputSpeed(10_mm_per_s)}), RangeError) << "it does not travel";
  EXPECT_THROW(spin({.at = OutputSpeed(600_rpm), .by = OutputPosition(20_deg)}), RangeError)
      << "a time, no way";
  EXPECT_THROW(
      spin({.at = OutputSpeed(600_rpm), .acceleration = OutputAcceleration{OutputKind::rotary, 1'000'000}}),
      RangeError);
  EXPECT_THROW(spin({.at = OutputSpeed(1_rpm)}), RangeError) << "slower than its Halls tell";
  EXPECT_THROW((void)it.mover.change_speed(it.lines(), OutputSpeed(10_rpm)), RangeError);
  EXPECT_THROW((void)it.mover.reverse_speed(it.lines()), RangeError);
  EXPECT_TRUE(it.mover.has_ended());
  EXPECT_THROW(SixStepMover(mechanism_named(it.rig, "feeder"), MechanismId{0}, it.rig.controller),
               RangeError);
}

TEST(SixStepMover, WhatIsHaltedOrCutIsFaulted) {
  for (const bool cut : {true, false}) {
    Spindle it(true);
    it.serve(0.01);
    auto spin = it.mover.spin(it.lines(), {.at = OutputSpeed(600_rpm), .lasts = 20_s});
    it.serve(2.0);
    const Why why{FaultCode::stopped, "the lid is open"};
    if (cut) {
      it.lines().cut();
      it.mover.lines_were_cut(it.lines(), why);
    } else {
      it.mover.halt(it.lines(), why);
    }
    it.serve(2.0);
    EXPECT_EQ(spin->status, MotionStatus::faulted);
    EXPECT_EQ(it.gates(), 0);
  }
}

}  // namespace
}  // namespace cogstride::six_step_mover_test
