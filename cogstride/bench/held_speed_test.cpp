// Speeds held by an encoder, on the simulated bench, through its lines: how exactly, what a step of load
// does, and what is noticed.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::held_speed_test {
namespace {

using namespace literals;

Rig feeder_rig() {
  return only_with(testing_support::demo_rig(), {"feeder"});
}
BrushedMotor& motor(Rig& rig) {
  return std::get<BrushedMotor>(rig.mechanisms[0].motor);
}

OutputSpeed rpm(std::int64_t value) {
  return {OutputKind::rotary, Ratio(value, 60)};
}

/// rpm of the output, as it really is.
double real_rpm(SimulatedBench& bench) {
  return 60.0 * bench.brushed_plant("feeder").speed();
}

/// The mean over a time.
double mean_rpm(SimulatedBench& bench, Time span) {
  const double before = bench.brushed_plant("feeder").position();
  bench.serve(span);
  return 60.0 * (bench.brushed_plant("feeder").position() - before) / span.in(units::s);
}

constexpr Torque tension(double newtons) {
  return Torque(newtons * 0.1 * 4.0 / 19.0, units::Nm);
}

TEST(HeldSpeed, IsExactInTheLongRunFromACreepToFullSpeed) {
  for (const std::int64_t speed : {53, 80, 150, 300, 450, 600, -53, -300}) {
    SimulatedBench bench(feeder_rig());
    auto feeder = bench.brushed("feeder");
    ASSERT_EQ(feeder.spin(SpeedOrder{.at = rpm(speed)}).result(), "");
    bench.serve(0.5_s);
    EXPECT_NEAR(mean_rpm(bench, 4_s), static_cast<double>(speed), 0.1) << speed;
    feeder.stop();
    bench.wait_for_all();
    bench.serve(0.2_s);
    EXPECT_NEAR(real_rpm(bench), 0.0, 0.5) << speed;
  }
}

TEST(HeldSpeed, IsHeldThroughTheLeadOfAComputersLinesToo) {
  for (const std::int64_t speed : {80, 150, 300, 450, -300}) {
    SimulatedBench bench(feeder_rig(), {.lead = ExactTime::from_base({1, 200})});
    auto feeder = bench.brushed("feeder");
    ASSERT_EQ(feeder.spin(SpeedOrder{.at = rpm(speed)}).result(), "");
    bench.serve(0.8_s);
    EXPECT_NEAR(mean_rpm(bench, 3_s), static_cast<double>(speed), 0.3) << speed;
    for (int i = 0; i < 100; ++i) {
      bench.serve(10_ms);
      EXPECT_NEAR(real_rpm(bench), static_cast<double>(speed),
                  0.12 * std::abs(static_cast<double>(speed)) + 3.0)
          << speed;
    }
    feeder.stop();
    bench.wait_for_all();
    EXPECT_LE(bench.verdict().of("feeder").figure("highest_current"), 3.0);
  }
}

TEST(HeldSpeed, SettlesAfterAStepOfTensionWithin150Milliseconds) {
  testing_support::Sampled sampled(13);
  for (const std::int64_t speed : {53, 55, 58, 60, 65, 70, 100, 150, 300, 450, 600}) {
    for (const double later : {0.0, 0.0007, 0.0013, 0.0019, 0.0026, 0.0034, 0.0041,
                               0.0048}) {  // wherever between two counts the step falls
      if (!sampled.next()) continue;
      Rig rig = feeder_rig();
      rig.mechanisms[0].load.friction_spread = ExactFraction();
      SimulatedBench::Options options;
      OutsideEvent heavier{3_s, "feeder.load"};
      heavier.at = ExactTime::from_base(Ratio(30'000 + std::llround(later * 1e4), 10'000));
      heavier.torque = tension(3.0);
      options.events = {heavier};
      SimulatedBench bench(rig, options);
      auto feeder = bench.brushed("feeder");
      ASSERT_EQ(feeder.spin(SpeedOrder{.at = rpm(speed)}).result(), "");
      bench.serve(Time(3.0 + later, units::s) - bench.now());
      int settled = 0;
      double dip = 0.0;
      for (int ms = 1; ms <= 400; ++ms) {
        bench.serve(1_ms);
        const double off = std::abs(real_rpm(bench) / static_cast<double>(speed) - 1.0);
        dip = std::max(dip, off);
        if (off > 0.02) settled = ms;
      }
      EXPECT_LE(settled, 150) << speed << " rpm, off by " << 100.0 * dip << " % at the most";
      EXPECT_GT(dip, 0.001) << "the step was felt";
    }
  }
}

/// A motor with half or twice the inertia that the rig says, a warm winding: no swinging.
TEST(HeldSpeed, BearsAMotorThatIsNotWhatTheRigSays) {
  for (const double inertia : {0.5, 2.0}) {
    for (const double resistance : {0.8, 1.4}) {
      Rig actual = feeder_rig();
      Load& load = actual.mechanisms[0].load;
      load.inertia = inertia * load.inertia;
      motor(actual).resistance = resistance * motor(actual).resistance;
      SimulatedBench::Options options;
      options.actual = actual;
      SimulatedBench bench(feeder_rig(), options);
      auto feeder = bench.brushed("feeder");
      for (const std::int64_t speed : {60, 300, 500}) {
        ASSERT_EQ(feeder.spin(SpeedOrder{.at = rpm(speed)}).result(), "") << inertia << " " << resistance;
        bench.serve(0.8_s);
        double off = 0.0;
        for (int ms = 0; ms < 300; ++ms) {
          bench.serve(1_ms);
          off = std::max(off, std::abs(real_rpm(bench) / static_cast<double>(speed) - 1.0));
        }
        EXPECT_LT(off, speed < 100 ? 0.12 : 0.02) << speed << ": " << inertia << " " << resistance;
      }
    }
  }
}

TEST(HeldSpeed, ReversesAndStopsWithinTheCurrentLimit) {
  SimulatedBench bench(feeder_rig());
  auto feeder = bench.brushed("feeder");
  feeder.spin(SpeedOrder{.at = rpm(500)}).wait();
  feeder.reverse().wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(mean_rpm(bench, 1_s), -500.0, 0.5);
  feeder.spin(SpeedOrder{.at = rpm(200)}).wait();
  feeder.faster(rpm(100)).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(mean_rpm(bench, 1_s), 300.0, 0.3);
  feeder.slower(rpm(150)).wait();
  bench.serve(0.3_s);
  EXPECT_NEAR(mean_rpm(bench, 1_s), 150.0, 0.3);
  feeder.stop().wait();
  bench.serve(0.1_s);
  EXPECT_EQ(real_rpm(bench), 0.0);
  EXPECT_LT(bench.brushed_plant("feeder").sustained_current(), 2.5 * 1.1);
}

TEST(HeldSpeed, LastsFromRestToRest) {
  SimulatedBench bench(feeder_rig());
  auto spin = bench.brushed("feeder").spin(SpeedOrder{.at = rpm(300), .lasts = 3_s});
  spin.wait();
  EXPECT_NEAR(spin.duration()->in(units::s), 3.0, 0.02);
  bench.serve(0.1_s);
  EXPECT_EQ(real_rpm(bench), 0.0);
  EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0);
}

TEST(HeldSpeed, RefusesWhatCannotBeHeldWithTheFigureThatCan) {
  SimulatedBench bench(feeder_rig());
  auto feeder = bench.brushed("feeder");
  const auto why = [&](const SpeedOrder& order) {
    try {
      feeder.spin(order);
    } catch (const RangeError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_EQ(why({.at = rpm(20)}), "feeder: 20 rpm cannot be held: disc counts too rarely below 52.63 rpm");
  EXPECT_EQ(
      why({.at = rpm(601)}),
      "feeder: 601 rpm cannot be held: full duty, its current limit and the rig's limits leave 600 rpm");
  EXPECT_NE(why({.at = rpm(500), .lasts = 0.2_s}).find("from rest to rest at the least"), std::string::npos);
  EXPECT_NE(why({.at = rpm(500), .acceleration = OutputAcceleration{OutputKind::rotary, Ratio(1000)}})
                .find("cannot be had: its current limit"),
            std::string::npos);
  EXPECT_THROW(feeder.faster(rpm(10)), RangeError) << "it holds no speed";
  feeder.spin({.duty = 40_percent}).wait();
  EXPECT_THROW(feeder.faster(rpm(10)), RangeError);
  Rig blind = feeder_rig();
  blind.mechanisms[0].sensors.clear();
  SimulatedBench without(blind);
  EXPECT_THROW(without.brushed("feeder").spin(SpeedOrder{.at = rpm(100)}), RangeError);
}

TEST(HeldSpeed, GoesToPlacesOnARampAndStaysThere) {
  SimulatedBench bench(feeder_rig());
  auto feeder = bench.brushed("feeder");
  const double a_count = 360.0 / (12 * 4 * 19.0 / 4.0);  // degrees of the output
  const auto place = [&] { return 360.0 * bench.brushed_plant("feeder").position(); };
  double commanded = 0.0;
  for (const std::int64_t degrees : {90, 720, 3, -45, 1, 360}) {
    auto move = feeder.move({.by = OutputPosition{OutputKind::rotary, Ratio(degrees, 360)}});
    ASSERT_EQ(move.result(), "") << degrees;
    commanded += static_cast<double>(degrees);
    bench.serve(0.3_s);
    EXPECT_NEAR(place(), commanded, 2.5 * a_count) << degrees;
    EXPECT_NEAR(real_rpm(bench), 0.0, 0.1) << degrees;
  }
  ASSERT_EQ(feeder.move({.to = OutputPosition{OutputKind::rotary, Ratio(0)}, .speed = rpm(60)}).result(), "");
  bench.serve(0.3_s);
  EXPECT_NEAR(place(), 0.0, 2.5 * a_count);
  feeder.stop().wait();
  EXPECT_EQ(feeder.duty().base(), 0.0);
  EXPECT_LT(bench.brushed_plant("feeder").sustained_current(), 2.5 * 1.1);
  EXPECT_THROW(feeder.move({.by = OutputPosition{OutputKind::rotary, Ratio(1)}, .speed = rpm(700)}),
               RangeError);
}

TEST(HeldSpeed, AHundredMovesDoNotDrift) {
  SimulatedBench bench(feeder_rig());
  auto feeder = bench.brushed("feeder");
  for (int i = 0; i < 100; ++i)
    ASSERT_EQ(feeder.move({.by = OutputPosition{OutputKind::rotary, Ratio(7, 1000)}}).result(), "") << i;
  EXPECT_NEAR(360.0 * bench.brushed_plant("feeder").position(), 252.0, 360.0 / 228.0 * 2.5);
}

TEST(HeldSpeed, SaysWhenSomethingHoldsItOffItsPlace) {
  SimulatedBench::Options options;
  options.events = {{0.1_s, "feeder.jam", true}};
  SimulatedBench bench(feeder_rig(), options);
  auto move = bench.brushed("feeder").move({.by = OutputPosition{OutputKind::rotary, Ratio(2)}});
  EXPECT_NE(move.result().find("feeder: disc has not counted"), std::string::npos) << move.result();
}

struct HeldFault {
  const char* what;
  OutsideEvent event;
  bool has_shunt;
  const char* named;
};

TEST(HeldSpeed, NoticesEveryFaultInTimeAndEndsAtRest) {
  const std::vector<HeldFault> faults = {
      {"a jam",
       {2_s, "feeder.jam", true},
       false,
       "stuck, or a wire of its motor or of its encoder is broken"},
      {"a jam, seen by a shunt", {2_s, "feeder.jam", true}, true, "a shaft that is stuck"},
      {"a lost encoder",
       {2_s, "feeder.disc", false},
       true,
       "a wire of its encoder or of its motor is broken"},
      {"a lost encoder, without a shunt",
       {2_s, "feeder.disc", false},
       false,
       "disc has not counted for 0.2 s"},
      {"a broken wire", {2_s, "feeder.winding", false}, true, "of its motor is broken"},
      {"a broken wire, without a shunt", {2_s, "feeder.winding", false}, false, "of its motor"}};
  for (const HeldFault& fault : faults) {
    for (const std::int64_t speed : {60, 300, -300}) {
      Rig rig = feeder_rig();
      if (fault.has_shunt)
        rig.mechanisms[0].sensors.emplace_back(Shunt{"shunt", 0, Resistance(0.05, units::ohm), 10});
      SimulatedBench::Options options;
      options.events = {fault.event};
      SimulatedBench bench(rig, options);
      std::string told;
      double told_at = 0.0;
      bench.on_fault([&](const std::string& why) {
        if (told.empty()) told_at = bench.now().in(units::s);
        told += why;
      });
      bench.brushed("feeder").spin(SpeedOrder{.at = rpm(speed)});
      bench.serve(5_s);
      EXPECT_NE(told.find(fault.named), std::string::npos)
          << fault.what << " at " << speed << " rpm: " << told;
      EXPECT_NEAR(told_at, 2.4, 0.4) << fault.what << " at " << speed;
      EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0) << fault.what;
      EXPECT_LT(std::abs(real_rpm(bench)), 1.0) << fault.what << " at " << speed;
    }
  }
}

TEST(HeldSpeed, AReversedEncoderIsNoticedBeforeItRunsAway) {
  for (const std::int64_t speed : {60, 500, -500}) {
    Rig actual = feeder_rig();
    for (Sensor& sensor : actual.mechanisms[0].sensors)
      if (auto* const encoder = std::get_if<Encoder>(&sensor)) std::swap(encoder->line_a, encoder->line_b);
    SimulatedBench::Options options;
    options.actual = actual;
    SimulatedBench bench(feeder_rig(), options);
    std::string told;
    bench.on_fault([&](const std::string& why) { told += why; });
    bench.brushed("feeder").spin(SpeedOrder{.at = rpm(speed)});
    bench.serve(0.5_s);
    EXPECT_NE(told.find("while it is driven"), std::string::npos) << speed << ": " << told;
    bench.serve(2_s);
    EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0);
    EXPECT_LT(std::abs(real_rpm(bench)), 1.0);
  }
}

// A load that leaves it short of its speed from the start: the order is not done before the speed is there.
TEST(HeldSpeed, IsWaitedForUntilItIsMeasured) {
  for (const double torque : {0.0, 0.17}) {
    OutsideEvent load{1_ms, "feeder.load"};
    load.torque = Torque(torque, units::Nm);
    SimulatedBench bench(feeder_rig(), {.events = {load}});
    bench.serve(10_ms);
    Motion spin = bench.brushed("feeder").spin(SpeedOrder{.at = rpm(300)});
    if (torque == 0.0) {
      EXPECT_EQ(spin.wait(), MotionStatus::done);
      EXPECT_NEAR(real_rpm(bench), 300.0, 35.0) << "when it is said to be done";
      Motion back = bench.brushed("feeder").reverse();
      EXPECT_EQ(back.wait(), MotionStatus::done);
      EXPECT_NEAR(real_rpm(bench), -300.0, 35.0) << "the reversal has happened";
    } else {
      EXPECT_THROW(spin.wait(), MotionFault);
      EXPECT_EQ(spin.code(), FaultCode::failed);
    }
  }
}

TEST(HeldSpeed, SaysWhenItsLoadIsTooHeavyForIt) {
  SimulatedBench::Options options;
  OutsideEvent heavier{2_s, "feeder.load"};
  heavier.torque = Torque(0.17, units::Nm);  // 3 A would do
  options.events = {heavier};
  SimulatedBench bench(feeder_rig(), options);
  std::string told;
  bench.on_fault([&](const std::string& why) { told += why; });
  bench.brushed("feeder").spin(SpeedOrder{.at = rpm(400)});
  bench.serve(6_s);
  EXPECT_NE(told.find("current limit of 2.5 A used up"), std::string::npos) << told;
  EXPECT_EQ(bench.brushed("feeder").duty().base(), 0.0);
}

}  // namespace
}  // namespace cogstride::held_speed_test
