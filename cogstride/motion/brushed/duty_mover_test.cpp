// A brushed motor's orders alone on scripted lines: duties, and speeds and places by an encoder that a plain
// motor turns.
#include "cogstride/motion/brushed/duty_mover.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <memory>

#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/plain_motor.hpp"

namespace cogstride::duty_mover_test {
namespace {

using namespace literals;
using testing_support::OnScript;
using testing_support::PlainMotor;

constexpr Tick second = 48'000'000;
constexpr double period = 2400.0;  // 20 kHz
constexpr double gear = 19.0 / 4.0;

/// What a two-input bridge is given, -1 to 1.
double duty_of(const OnScript& on, LineId a, LineId b) {
  return static_cast<double>(on.lines.player.on_ticks(a) - on.lines.player.on_ticks(b)) / period;
}

struct Feeder {
  Rig rig = testing_support::demo_rig();
  DutyMover mover{mechanism_named(rig, "feeder"), MechanismId{0}, rig.controller};
  OnScript on{with_counter(mover), mover.pwm_setups()};
  PlainMotor motor{on, parts(), [this] { return duty(); }};
  Feeder() { on.loop.add(mover); }

  static std::vector<LineSetup> with_counter(const DutyMover& mover) { return mover.line_setups(); }
  static PlainMotor::Parts parts() {
    PlainMotor::Parts parts;
    parts.count = counter_source(31);
    parts.counted_at = counter_edge_source(31);
    return parts;
  }
  [[nodiscard]] double duty() const { return duty_of(on, LineId{28}, LineId{29}); }
  [[nodiscard]] double rpm() const { return motor.rpm() / gear; }
  void serve(double seconds) { on.run_to(on.now() + std::llround(seconds * 48e6)); }
  Lines& lines() { return on.front(); }
};

TEST(DutyMover, GoesToADutyOnARampAndBack) {
  Feeder it;
  auto spin = it.mover.spin(it.lines(), DutyOrder{.duty = 60_percent, .in = 1_s, .lasts = 1_s});
  it.serve(0.5);
  EXPECT_NEAR(it.duty(), 0.4, 0.02) << "half-way between the lowest duty, 20 %, and 60 %";
  it.serve(1.0);
  EXPECT_NEAR(it.duty(), 0.6, 0.001);
  EXPECT_EQ(spin->status, MotionStatus::running);
  it.serve(2.0);
  EXPECT_EQ(spin->status, MotionStatus::done);
  EXPECT_EQ(it.duty(), 0.0);
  EXPECT_THROW((void)it.mover.spin(it.lines(), DutyOrder{.duty = Fraction(120.0, units::percent)}),
               RangeError);
  EXPECT_THROW((void)it.mover.spin(it.lines(), DutyOrder{.duty = Fraction(10.0, units::percent)}), RangeError)
      << "less than it turns with";
}

TEST(DutyMover, ChangesReversesAndIsLetGo) {
  Feeder it;
  it.mover.spin(it.lines(), DutyOrder{.duty = 40_percent});
  it.serve(1.0);
  it.mover.change(it.lines(), 10_percent);
  it.serve(1.0);
  EXPECT_NEAR(it.duty(), 0.5, 0.001);
  EXPECT_THROW((void)it.mover.change(it.lines(), Fraction(-60.0, units::percent)), RangeError)
      << "nothing left";
  it.mover.reverse(it.lines(), {});
  it.serve(2.0);
  EXPECT_EQ(it.duty(), 0.0) << "it pauses for 2.5 s before it turns round";
  it.serve(4.0);
  EXPECT_NEAR(it.duty(), -0.5, 0.001);
  it.mover.let(it.lines(), SlowsBy::coasting);
  it.serve(0.01);
  EXPECT_EQ(it.duty(), 0.0);
  EXPECT_TRUE(it.mover.has_ended());
  EXPECT_THROW((void)it.mover.change(it.lines(), 10_percent), RangeError) << "it does not spin";
  EXPECT_THROW((void)it.mover.reverse(it.lines(), {}), RangeError);
  it.serve(3.0);
  it.mover.spin(it.lines(), DutyOrder{.duty = 40_percent});
  it.serve(0.5);
  auto stop = it.mover.stop(it.lines(), 500_ms);
  it.serve(3.0);
  EXPECT_EQ(stop->status, MotionStatus::done);
}

TEST(DutyMover, HoldsASpeedChangesAndReversesIt) {
  Feeder it;
  auto spin = it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(300_rpm)});
  it.serve(3.0);
  EXPECT_EQ(spin->status, MotionStatus::done) << "it has come to it, and goes on";
  EXPECT_NEAR(it.rpm(), 300.0, 6.0);
  EXPECT_FALSE(it.mover.stands() && !it.mover.is_driven(it.on.now()));
  auto more = it.mover.change_speed(it.lines(), OutputSpeed(100_rpm));
  it.serve(2.0);
  EXPECT_EQ(more->status, MotionStatus::done);
  EXPECT_NEAR(it.rpm(), 400.0, 8.0);
  EXPECT_THROW((void)it.mover.change_speed(it.lines(), OutputSpeed(-500_rpm)), RangeError);
  EXPECT_THROW((void)it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(9000_rpm)}), RangeError);
  auto back = it.mover.reverse_speed(it.lines());
  it.serve(6.0);
  EXPECT_EQ(back->status, MotionStatus::done);
  EXPECT_NEAR(it.rpm(), -400.0, 8.0);
  it.mover.stop(it.lines(), Braking::on_a_ramp);
  it.serve(6.0);
  EXPECT_TRUE(it.mover.has_ended());
  EXPECT_NEAR(it.rpm(), 0.0, 1.0);
}

TEST(DutyMover, HoldsASpeedForATimeAndGoesToAPlace) {
  Feeder it;
  auto timed = it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(240_rpm), .lasts = 4_s});
  it.serve(6.0);
  EXPECT_EQ(timed->status, MotionStatus::done);
  EXPECT_NEAR(it.motor.turns() / gear, 4.0 * 4.0, 2.5) << "turns: 4 a second, less the ramps";
  EXPECT_THROW((void)it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(240_rpm), .lasts = 10_ms}),
               RangeError);
  const double before = it.motor.turns();
  auto move = it.mover.move(it.lines(), {.by = OutputPosition{OutputKind::rotary, Ratio(5)}});
  it.serve(5.0);
  EXPECT_EQ(move->status, MotionStatus::done);
  EXPECT_NEAR((it.motor.turns() - before) / gear, 5.0, 0.3);
  EXPECT_THROW((void)it.mover.move(it.lines(), {.by = OutputPosition{OutputKind::rotary, 1}, .in = 3_s}),
               RangeError);
  EXPECT_TRUE(it.mover.position(it.on.now()));
}

TEST(DutyMover, NoticesAShaftThatStandsAndASensorThatSaysNothing) {
  for (const bool blocked : {true, false}) {
    Feeder it;
    auto spin = it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(300_rpm)});
    it.serve(3.0);
    it.motor.blocked = blocked;
    it.motor.is_wired = blocked;
    auto change = it.mover.change_speed(it.lines(), OutputSpeed(50_rpm));
    it.serve(5.0);
    EXPECT_TRUE(it.mover.has_ended());
    EXPECT_EQ(change->status, MotionStatus::faulted);
    EXPECT_NE(change->fault, "");
  }
}

TEST(DutyMover, WhatIsHaltedOrCutIsFaulted) {
  for (const bool cut : {true, false}) {
    Feeder it;
    auto spin = it.mover.spin(it.lines(), DutyOrder{.duty = 40_percent, .lasts = 10_s});
    it.serve(2.0);
    const Why why{FaultCode::stopped, "the lid is open"};
    if (cut) {
      it.lines().cut();
      it.mover.lines_were_cut(it.lines(), why);
    } else {
      it.mover.halt(it.lines(), why);
    }
    it.serve(1.0);
    EXPECT_EQ(spin->status, MotionStatus::faulted);
    EXPECT_EQ(spin->fault, "the lid is open");
    EXPECT_FALSE(it.mover.is_driven(it.on.now()));
    if (!cut) {
      EXPECT_EQ(it.duty(), 0.0);
    }
  }
}

TEST(DutyMover, SaysWhatItDoes) {
  Feeder it;
  it.mover.spin(it.lines(), SpeedOrder{.at = OutputSpeed(300_rpm)});
  it.serve(2.0);
  EXPECT_NE(it.mover.asked(it.on.now()).find("wanted"), std::string::npos) << it.mover.asked(it.on.now());
  std::vector<double> values(it.mover.signals().size());
  it.mover.sample(it.on.now(), values);
  for (std::size_t i = 0; i < values.size(); ++i)
    if (it.mover.signals()[i].name == "wanted_speed") {
      EXPECT_NEAR(values[i], 300.0, 1.0);
    }
  EXPECT_FALSE(it.mover.came_to(it.on.now()).sum.empty());
}

/// The demo's cart, its two wheels on one set of lines.
struct Cart {
  Rig rig = read_rig(testing_support::cart_rig_path);
  DutyMover left{rig.mechanisms[0], MechanismId{0}, rig.controller};
  DutyMover right{rig.mechanisms[1], MechanismId{1}, rig.controller};
  PairMover cart{rig.pairs[0], MechanismId{2}, left, right, rig.controller};
  OnScript on{both(), timers()};
  PlainMotor left_motor{on, wheel(rig.mechanisms[0]), [this] { return duty(rig.mechanisms[0]); }};
  PlainMotor right_motor{on, wheel(rig.mechanisms[1]), [this] { return duty(rig.mechanisms[1]); }};
  Cart() {
    for (Participant* const each : std::initializer_list<Participant*>{&left, &right, &cart})
      on.loop.add(*each);
  }
  [[nodiscard]] std::vector<LineSetup> both() const {
    std::vector<LineSetup> all = left.line_setups();
    for (const LineSetup& line : right.line_setups()) all.push_back(line);
    return all;
  }
  [[nodiscard]] std::vector<PwmSetup> timers() const {
    std::vector<PwmSetup> all = left.pwm_setups();
    for (const PwmSetup& pwm : right.pwm_setups()) all.push_back(pwm);
    return all;
  }
  static PlainMotor::Parts wheel(const Mechanism& mechanism) {
    PlainMotor::Parts parts;
    parts.supply = 12.0;
    parts.resistance = 3.5;
    parts.constant = 0.0128;
    parts.inertia = 3.4e-6;
    parts.friction = 0.6e-3;
    const auto& encoder = *sensor_of<Encoder>(mechanism);
    parts.count = counter_source(encoder.line_a);
    parts.counted_at = counter_edge_source(encoder.line_a);
    return parts;
  }
  [[nodiscard]] double duty(const Mechanism& mechanism) const {
    const auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
    return duty_of(on, static_cast<LineId>(wiring.input_a->number),
                   static_cast<LineId>(wiring.input_b->number));
  }
  void serve(double seconds) { on.run_to(on.now() + std::llround(seconds * 48e6)); }
};

TEST(PairMover, GoesStraightRoundAndOnTheSpot) {
  Cart it;
  const auto drive = [&](const CartWay& way) {
    auto record = it.cart.drive(it.on.front(), {.way = way});
    EXPECT_TRUE(it.on.run_until([&] { return it.cart.has_ended(); }));
    it.serve(0.5);
    EXPECT_EQ(record->status, MotionStatus::done) << record->fault;
    return it.cart.thinks();
  };
  const CartPose straight = drive({.by = 500_mm});
  EXPECT_NEAR(straight.x, 0.5, 0.005);
  EXPECT_NEAR(straight.y, 0.0, 0.005);
  const CartPose round = drive({.turns = 90_deg, .radius = 300_mm});
  EXPECT_NEAR(round.heading * 180.0 / pi, 90.0, 2.0) << words(round);
  const CartPose spot = drive({.turns = Angle(-90.0, units::deg)});
  EXPECT_NEAR(spot.heading * 180.0 / pi, 0.0, 3.0) << words(spot);
  EXPECT_GT(it.cart.slowest_pace(), 0.0);
  EXPECT_FALSE(it.cart.signals().empty());
}

TEST(PairMover, IsStoppedWithBothItsWheels) {
  Cart it;
  auto record = it.cart.drive(it.on.front(), {.way = {.by = 2000_mm}});
  it.serve(2.0);
  EXPECT_THROW((void)it.left.spin(it.on.front(), DutyOrder{.duty = 40_percent}), RangeError)
      << "a wheel goes for the cart alone";
  EXPECT_THROW((void)it.cart.drive(it.on.front(), {.way = {.by = 10_mm}}), RangeError);
  it.cart.stop(it.on.front(), Braking::on_a_ramp);
  EXPECT_TRUE(it.on.run_until([&] { return it.cart.stands(); }));
  EXPECT_EQ(record->status, MotionStatus::cancelled);
  EXPECT_LT(it.cart.thinks().x, 1.5);
}

TEST(PairMover, SaysWhatItDoesAndIsCut) {
  Cart it;
  EXPECT_FALSE(it.cart.came_to(it.on.now()).sum.empty());
  auto record = it.cart.drive(it.on.front(), {.way = {.by = 2000_mm}, .speed = OutputSpeed(100_mm_per_s)});
  it.serve(3.0);
  std::vector<double> values(it.cart.signals().size());
  it.cart.sample(it.on.now(), values);
  EXPECT_NE(it.cart.asked(it.on.now()), "");
  EXPECT_FALSE(it.cart.came_to(it.on.now()).sum.empty());
  EXPECT_EQ(it.cart.moves().size(), 2u);
  EXPECT_THROW(
      (void)it.cart.drive(it.on.front(), {.way = {.by = 10_mm}, .speed = OutputSpeed(9000_mm_per_s)}),
      RangeError);
  it.on.front().cut();
  const Why why{FaultCode::stopped, "the lid is open"};
  for (Mover* const each : std::initializer_list<Mover*>{&it.cart, &it.left, &it.right})
    each->lines_were_cut(it.on.front(), why);
  EXPECT_EQ(record->status, MotionStatus::faulted);
  EXPECT_THROW(it.cart.hold(it.on.front()), RangeError);
  EXPECT_THROW(it.cart.release(it.on.front()), RangeError);
  EXPECT_EQ(it.cart.places(), nullptr);
  EXPECT_EQ(it.cart.speeds(), nullptr);
  EXPECT_EQ(it.cart.duties(), nullptr);
  EXPECT_EQ(it.cart.zeroed(), nullptr);
  EXPECT_EQ(it.cart.arming(), nullptr);
  EXPECT_EQ(it.cart.arrivals(), nullptr);
}

TEST(PairMover, AWheelThatFailsFailsTheCart) {
  Cart it;
  auto record = it.cart.drive(it.on.front(), {.way = {.by = 2000_mm}});
  it.serve(1.5);
  it.right_motor.blocked = true;
  it.serve(5.0);
  EXPECT_TRUE(it.cart.has_ended());
  EXPECT_EQ(record->status, MotionStatus::faulted);
  EXPECT_NE(record->fault.find("right"), std::string::npos) << record->fault;
}

}  // namespace
}  // namespace cogstride::duty_mover_test
