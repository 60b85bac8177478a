// What is no number does not get in: at every door that takes one.
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/duty.hpp"
#include "cogstride/plan/motor_fit.hpp"
#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/timer_setting.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::numbers_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

constexpr double none = std::numeric_limits<double>::quiet_NaN();
constexpr double endless = std::numeric_limits<double>::infinity();

/// Refused with each of the three, and the message says which it was.
void refuses(const char* door, const std::function<void(double)>& take) {
  for (const auto& [number, found] : {std::pair(none, "found not a number"),
                                      {endless, "found infinity"},
                                      {-endless, "found minus infinity"}}) {
    try {
      take(number);
      ADD_FAILURE() << door << " takes what is " << found;
    } catch (const RangeError& error) {
      EXPECT_NE(std::string(error.what()).find(found), std::string::npos) << door << ": " << error.what();
    }
  }
}

TEST(Numbers, AreWantedByAllHandlesAndNothingMoves) {
  SimulatedBench bench(demo_rig());
  auto feeder = bench.brushed("feeder");
  auto fan = bench.speed_controller("fan");
  auto lamp = bench.output("lamp");
  fan.arm().wait();
  refuses("spin", [&](double n) { (void)feeder.spin({.duty = Fraction::from_base(n)}); });
  refuses("spin_fraction", [&](double n) { (void)feeder.spin_fraction(Fraction::from_base(n)); });
  refuses("throttle", [&](double n) { (void)fan.throttle({.duty = Fraction::from_base(n)}); });
  refuses("serve", [&](double n) { bench.serve(Time(n, units::s)); });
  refuses("fade's time", [&](double n) { lamp.fade(50_percent, Time(n, units::s)); });
  for (const double share : {none, endless, -endless, 1.01}) {
    EXPECT_THROW(lamp.fade(Fraction::from_base(share), 1_s), RangeError);
    EXPECT_THROW(SimulatedBench(demo_rig(), {.events = {{.at = 0_s, .what = "dial", .share = share}}}),
                 RangeError);
  }
  EXPECT_THROW(bench.serve(Time(-1e-3, units::s)), RangeError);
  EXPECT_THROW(bench.serve(Time(1e30, units::s)), RangeError);
  EXPECT_THROW((void)feeder.spin_fraction(Fraction::from_base(1.001)), RangeError) << "full is all there is";
  bench.serve(0.5_s);
  EXPECT_EQ(feeder.duty().base(), 0.0);
  EXPECT_EQ(fan.throttle().base(), 0.0);
}

TEST(Numbers, AreWantedOfALoadAndAMeasuredRow) {
  refuses("a load", [](double n) {
    SimulatedBench bench(demo_rig(),
                         {.events = {{.at = 0_s, .what = "feeder.load", .torque = Torque(n, units::Nm)}}});
  });
  const Rig rig = demo_rig();
  refuses("a measured row", [&](double n) {
    MeasuredTable table;
    table.has_speed = true;
    table.rows.assign(20, {.drive = 0.5, .speed = 100.0});
    table.rows[7].speed = n;
    (void)fit_motor(mechanism_named(rig, "feeder"), table);
  });
}

TEST(Numbers, AreWantedByPlanning) {
  const DutyLimits limits{.lowest = 0.1, .highest = 0.9, .full_ramp = 0.5, .pause = 1.0};
  const RampLimits ramp{.speed = 1000.0, .acceleration = 4000.0};
  refuses("duty_of_fraction", [&](double n) { (void)duty_of_fraction(n, limits); });
  refuses("plan_duty to", [&](double n) { (void)plan_duty(0.0, n, limits, {}, 0.0); });
  refuses("plan_duty from", [&](double n) { (void)plan_duty(n, 0.5, limits, {}, 0.0); });
  refuses("plan_duty in", [&](double n) { (void)plan_duty(0.0, 0.5, limits, n, 0.0); });
  refuses("plan_ramp", [&](double n) { (void)plan_ramp({{0, 0.0}, n}, 100, ramp); });
  refuses("plan_stop", [&](double n) { (void)plan_stop({{0, 0.0}, n}, ramp); });
  refuses("compare_value", [&](double n) { (void)compare_value({}, n); });
  for (const double n : {none, endless, -endless}) {
    EXPECT_THROW((void)plan_speed({}, n, ramp), RangeError);
    for (double RampLimits::*const limit :
         {&RampLimits::speed, &RampLimits::acceleration, &RampLimits::start_speed, &RampLimits::jerk}) {
      RampLimits wrong = ramp;
      wrong.*limit = n;
      EXPECT_THROW((void)plan_ramp({}, 100, wrong), RangeError);
    }
  }
}

/// What `spoil` makes of the demo's rig is refused by a bench, as the rig and as the world, and by
/// inspection.
void is_refused(std::string key, const std::function<void(Rig&, double)>& spoil) {
  key.replace(key.rfind('.'), 1, ": ");  // as an error of a file names it
  for (const double n : {none, endless}) {
    Rig rig = demo_rig();
    spoil(rig, n);
    const auto says = [&](const std::function<void()>& take) {
      try {
        take();
        ADD_FAILURE() << key << " is taken";
      } catch (const RangeError& error) {
        EXPECT_NE(std::string(error.what()).find(key + ": found "), std::string::npos) << error.what();
      }
    };
    says([&] { SimulatedBench bench(rig); });
    says([&] { SimulatedBench bench(demo_rig(), {.actual = rig}); });
    says([&] { (void)inspect_rig(rig); });
  }
}

TEST(Numbers, AreWantedEverywhereInARig) {
  const auto of = [](Rig& rig, const char* name) -> Mechanism& {
    for (Mechanism& mechanism : rig.mechanisms)
      if (mechanism.name == name) return mechanism;
    throw RangeError(name);
  };
  is_refused("mechanism.traverse.motor.inductance", [&](Rig& rig, double n) {
    of(rig, "traverse").stepper().inductance = Inductance(n, units::mH);
  });
  is_refused("mechanism.traverse.load.coulomb_friction",
             [&](Rig& rig, double n) { of(rig, "traverse").load.coulomb_friction = Torque(n, units::Nm); });
  is_refused("mechanism.feeder.supply.voltage",
             [&](Rig& rig, double n) { of(rig, "feeder").supply.voltage = Voltage(n, units::V); });
  is_refused("mechanism.spindle.board.dead_time", [&](Rig& rig, double n) {
    std::get<SixGateInverter>(of(rig, "spindle").board).dead_time = Time(n, units::us);
  });
  is_refused("supply.main.voltage",
             [&](Rig& rig, double n) { rig.supplies.front().voltage = Voltage(n, units::V); });
  is_refused("controller.edge_lateness",
             [&](Rig& rig, double n) { rig.controller.edge_lateness = Time(n, units::us); });
  is_refused("controller.analogue.full_scale",
             [&](Rig& rig, double n) { rig.controller.analogue->full_scale = Voltage(n, units::V); });
}

}  // namespace
}  // namespace cogstride::numbers_test
