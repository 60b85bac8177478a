// Duties as compare values, and their way from one to another.
#include "cogstride/plan/duty.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "support/demo_rig.hpp"

namespace cogstride::duty_test {
namespace {

TEST(OnTicks, IsExactAtBothEndsAndNearestBetween) {
  EXPECT_EQ(on_ticks(0.0, 2400), 0);
  EXPECT_EQ(on_ticks(1.0, 2400), 2400);
  EXPECT_EQ(on_ticks(0.5, 2400), 1200);
  EXPECT_EQ(on_ticks(-3.0, 2400), 0);
  EXPECT_EQ(on_ticks(7.0, 2401, 16), 2401) << "all of the period, whatever the grain";
  EXPECT_EQ(on_ticks(std::nan(""), 2400), 0) << "no number is no drive";
  for (int i = 0; i <= 1000; ++i) {
    const double share = i / 1000.0;
    const chip::Tick on = on_ticks(share, 960, 16);
    EXPECT_LE(std::abs(static_cast<double>(on) - 960 * share), 8.0 + 1e-9);
    EXPECT_EQ(on % 16, 0);
  }
}

DutyLimits some_limits() {
  return {.lowest = 0.2, .highest = 0.9, .full_ramp = 0.5, .pause = 1.5};
}

TEST(DutyPlan, GoesStraightToADutyAndJumpsOverWhatDoesNotTurnIt) {
  const DutyPlan plan = plan_duty(0.0, 0.6, some_limits(), 2.0);
  EXPECT_DOUBLE_EQ(plan.duration(), 2.0);
  EXPECT_DOUBLE_EQ(plan.duty_at(0.0), 0.2);
  EXPECT_DOUBLE_EQ(plan.duty_at(1.0), 0.4);
  EXPECT_DOUBLE_EQ(plan.duty_at(9.0), 0.6);
  // The least time: a full ramp takes 0.5 s, and 0.4 of it is left above the lowest duty.
  EXPECT_NEAR(plan_duty(0.0, 0.6, some_limits()).duration(), 0.2, 1e-12);
  EXPECT_NEAR(plan_duty(0.8, 0.3, some_limits()).duration(), 0.25, 1e-12);
  EXPECT_EQ(plan_duty(0.6, 0.0, some_limits()).end(), 0.0);
}

TEST(DutyPlan, AReversalGoesDownWaitsAndGoesUp) {
  const DutyPlan plan = plan_duty(0.6, -0.4, some_limits());
  ASSERT_EQ(plan.size(), 3u);
  EXPECT_NEAR(plan[0].seconds, 0.2, 1e-12);
  EXPECT_DOUBLE_EQ(plan[1].seconds, 1.5);
  EXPECT_NEAR(plan[2].seconds, 0.1, 1e-12);
  EXPECT_EQ(plan.duty_at(0.2 + 0.7), 0.0);
  EXPECT_DOUBLE_EQ(plan.end(), -0.4);
  EXPECT_NEAR(plan_duty(0.6, -0.4, some_limits(), 3.0).duration(), 3.0 + 1.5, 1e-12)
      << "the pause comes on top";
  EXPECT_NEAR(plan_duty(0.0, -0.4, some_limits(), {}, 0.7).duration(), 0.8, 1e-12)
      << "what is left of a pause";
}

TEST(DutyPlan, RefusesWhatCannotBeHadWithTheFigureThatCan) {
  const auto message = [](double from, double to, std::optional<double> ramp) {
    try {
      (void)plan_duty(from, to, some_limits(), ramp);
    } catch (const RangeError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_NE(message(0.0, 0.95, {}).find("over the highest, 90 %"), std::string::npos);
  EXPECT_NE(message(0.0, 0.1, {}).find("the lowest that does is 20 %"), std::string::npos);
  EXPECT_NE(message(0.0, 0.6, 0.1).find("takes at least 0.2 s"), std::string::npos);
  EXPECT_EQ(message(0.3, 0.0, {}), "");
}

TEST(DutyPlan, NeverLeavesItsRangeNorDrivesTheOtherWayWithoutItsPause) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> share(0.2, 0.9);
  for (int trial = 0; trial < 2000; ++trial) {
    const auto pick = [&] { return random() % 3 == 0 ? 0.0 : (random() % 2 == 0 ? 1 : -1) * share(random); };
    const double from = pick();
    const double to = pick();
    const DutyPlan plan = plan_duty(from, to, some_limits());
    EXPECT_EQ(plan.duty_at(plan.duration()), to) << "at its very end it is there";
    double last_driven = -1.0;
    double last_way = 0.0;
    for (double t = 0.0; t <= plan.duration() + 1e-3; t += 1e-3) {
      const double duty = plan.duty_at(t);
      EXPECT_LE(std::abs(duty), 0.9 + 1e-12);
      EXPECT_TRUE(duty == 0.0 || std::abs(duty) >= 0.2 - 1e-12) << duty;
      if (duty == 0.0) continue;
      if (last_way * duty < 0.0) {
        EXPECT_GE(t - last_driven, 1.5 - 2e-3);
      }
      last_driven = t;
      last_way = duty;
    }
  }
}

TEST(DutyOfFraction, BeginsWhereItTurns) {
  EXPECT_EQ(duty_of_fraction(0.0, some_limits()), 0.0);
  EXPECT_NEAR(duty_of_fraction(1e-9, some_limits()), 0.2, 1e-6);
  EXPECT_DOUBLE_EQ(duty_of_fraction(-1.0, some_limits()), -0.9);
  EXPECT_DOUBLE_EQ(duty_of_fraction(0.5, some_limits()), 0.55);
}

TEST(DutyLimits, TakeThePauseFromTheRigOrFromTheMotor) {
  const Mechanism feeder = mechanism_named(testing_support::demo_rig(), "feeder");
  EXPECT_DOUBLE_EQ(duty_limits(feeder).pause, 2.5);
  EXPECT_DOUBLE_EQ(duty_limits(feeder).lowest, 0.2);
  Mechanism free = feeder;
  free.limits.reversal_pause.reset();
  // J/B ln(1 + B w / T_c) from 384 rad/s, by hand: 1.25e-4/2e-5 ln(1 + 2e-5*384/0.016) = 2.45 s.
  EXPECT_NEAR(duty_limits(free).pause, 2.45, 0.01);
  EXPECT_THROW((void)duty_limits(testing_support::demo_rig().mechanisms[0]), RangeError);
}

}  // namespace
}  // namespace cogstride::duty_test
