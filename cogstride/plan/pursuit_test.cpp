#include "cogstride/plan/pursuit.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/quantity/error.hpp"

namespace cogstride::pursuit_test {
namespace {

/// Looks along a ramp at many instants: nothing jumps, nothing leaves its limits.
void expect_inside(const Ramp& ramp, double seconds, const RampLimits& limits, double from_speed) {
  const int looks = 4000;
  const double dt = seconds / looks;
  MotionState before = ramp.state_at(0.0);
  for (int i = 1; i <= looks; ++i) {
    const MotionState now = ramp.state_at(dt * i);
    ASSERT_LE(std::abs(now.speed), std::max(limits.speed, std::abs(from_speed)) * (1.0 + 1e-9));
    ASSERT_LE(std::abs(now.speed - before.speed), limits.acceleration * dt * (1.0 + 1e-6) + 1e-6);
    const double way = way_between(before.position, now.position);
    ASSERT_NEAR(way, 0.5 * (before.speed + now.speed) * dt, limits.acceleration * dt * dt + 1e-6);
    if (limits.jerk > 0.0) {
      ASSERT_LE(std::abs(now.acceleration - before.acceleration),
                limits.jerk * dt * (1.0 + 1e-6) + 1e-6 * limits.acceleration);
    }
    before = now;
  }
}

class Pursuit : public testing::TestWithParam<double> {};

TEST_P(Pursuit, FromAnyStateGoesAlongInsideTheLimits) {
  std::mt19937_64 random(1);
  const auto share = [&] { return std::uniform_real_distribution<>(-1.0, 1.0)(random); };
  for (int i = 0; i < 500; ++i) {
    const RampLimits limits{16'000.0, 400'000.0, 1'067.0, GetParam()};
    MotionState start;
    start.position = StepPosition{1'000'000'000, 0.25};
    start.speed = limits.speed * share();
    if (limits.jerk > 0.0) start.acceleration = 0.3 * limits.acceleration * share();
    const Course course{start.position.moved(3'000.0 * share()), 0.95 * limits.speed * share()};
    const Ramp ramp = plan_pursuit(start, course, limits);
    ASSERT_TRUE(ramp.is_endless());
    const double joins = ramp.phases().back().start;
    expect_inside(ramp, joins + 0.01, limits, limits.speed * 1.05);
    for (const double later : {0.0, 0.003, 1.0}) {
      const MotionState at = ramp.state_at(joins + later + 1e-9);
      EXPECT_NEAR(way_between(course.after(joins + later + 1e-9).place, at.position), 0.0, 1e-3);
      EXPECT_EQ(at.speed, course.speed);
    }
  }
}
INSTANTIATE_TEST_SUITE_P(WithoutAndWithJerk, Pursuit, testing::Values(0.0, 10'666'667.0));

TEST_P(Pursuit, GoesAlongWithWhatSpeedsUp) {
  const RampLimits limits{16'000.0, 400'000.0, 0.0, GetParam()};
  // It is there already, with its speed and its acceleration: nothing is to be done but to go along.
  const Course course{{7, 0.5}, 3'000.0, -250'000.0, 0.01};
  const Ramp ramp = plan_pursuit({{7, 0.5}, 3'000.0, -250'000.0}, course, limits);
  ASSERT_TRUE(ramp.is_endless());
  for (const double t : {0.0005, 0.001, 0.0029}) {
    EXPECT_NEAR(way_between(course.after(t).place, ramp.state_at(t).position), 0.0, 1e-6);
    EXPECT_NEAR(ramp.state_at(t).speed, course.after(t).speed, 1e-6);
  }
  expect_inside(ramp, 0.06, limits, limits.speed);
  // A little off, it comes up with it while that lasts.
  const Ramp off = plan_pursuit({{7, 0.52}, 3'000.0, -250'000.0}, course, limits);
  EXPECT_NEAR(way_between(course.after(0.0099).place, off.state_at(0.0099).position), 0.0, 1e-6);
  expect_inside(off, 0.06, limits, limits.speed);
}

TEST_P(Pursuit, MeetsAStateThatIsNearSmoothly) {
  const RampLimits limits{16'000.0, 400'000.0, 0.0, GetParam()};
  const MotionState start{{100, 0.25}, 5'000.0, 0.0};
  const MotionState meets{{140, 0.44}, 5'040.0, GetParam() > 0.0 ? 9'000.0 : 0.0};
  const auto ramp = plan_meeting(start, meets, 0.008, limits);
  ASSERT_TRUE(ramp);
  const MotionState at = ramp->state_at(0.008);
  EXPECT_NEAR(way_between(meets.position, at.position), 0.0, 1e-6);
  EXPECT_NEAR(at.speed, meets.speed, 1e-6);
  expect_inside(*ramp, 0.02, limits, limits.speed);
  EXPECT_FALSE(plan_meeting(start, {{200, 0.0}, 5'000.0, 0.0}, 0.008, limits)) << "too far";
  EXPECT_FALSE(plan_meeting(start, {{140, 0.0}, 17'000.0, 0.0}, 0.008, limits)) << "too fast";
}

TEST(Pursuit, FromRestTakesWhatTheClosedFormSays) {
  // Beside the course it comes from -v to rest and makes up v^2/2a: by a triangle of area v^2/2a above it,
  // v/a sqrt(2) in all: up to its speed it takes v/a, a top v/a (sqrt(2)/2) beyond ...
  const double v = 1000.0;
  const double a = 50'000.0;
  const Ramp ramp = plan_pursuit({}, {{0, 0.0}, v}, {10'000.0, a, 0.0, 0.0});
  EXPECT_NEAR(ramp.phases().back().start, v / a * (1.0 + std::sqrt(2.0)), 1e-9);
  EXPECT_NEAR(ramp.peak_speed(), v * (1.0 + std::sqrt(0.5)), 1e-6);
}

TEST(Pursuit, OfWhatStandsIsARampToIt) {
  const RampLimits limits{16'000.0, 400'000.0, 1'067.0, 0.0};
  const Ramp ramp = plan_pursuit({}, {{500, 0.2}, 0.0}, limits);
  EXPECT_FALSE(ramp.is_endless());
  EXPECT_EQ(ramp.end().whole, 500);
  EXPECT_EQ(ramp.duration(), plan_ramp({}, 500, limits).duration());
}

TEST(Pursuit, OfWhatIsTooFastGoesAtItsLimit) {
  const RampLimits limits{1'000.0, 50'000.0, 0.0, 0.0};
  const Ramp ramp = plan_pursuit({}, {{100, 0.0}, -3'000.0}, limits);
  ASSERT_TRUE(ramp.is_endless());
  EXPECT_EQ(ramp.phases().back().from_speed, 1'000.0);
  EXPECT_EQ(ramp.phases().back().direction, -1);
}

TEST(Pursuit, RefusesWhatIsNoNumber) {
  EXPECT_THROW((void)plan_pursuit({}, {{0, 0.0}, NAN}, {1.0, 1.0, 0.0, 0.0}), RangeError);
  EXPECT_THROW((void)plan_pursuit({}, {{0, 0.0}, 1.0}, {1.0, 0.0, 0.0, 0.0}), RangeError);
}

}  // namespace
}  // namespace cogstride::pursuit_test
