#include "cogstride/plan/ramp.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/plan/run_fitter.hpp"
#include "cogstride/plan/step_times.hpp"
#include "cogstride/quantity/error.hpp"
#include "support/trials.hpp"

namespace cogstride::ramp_test {
namespace {

constexpr RampLimits traverse{.speed = 16'000, .acceleration = 400'000, .start_speed = 3200.0 / 3};
constexpr double clock_rate = 48e6;

struct Step {
  double time;
  int direction;
};

std::vector<Step> all_steps(const Ramp& ramp, std::int64_t made) {
  StepTimes times(ramp, made);
  std::vector<Step> steps;
  std::array<double, 100> block{};
  while (const std::size_t n = times.fill(block)) {
    for (std::size_t i = 0; i < n; ++i) steps.push_back({block[i], times.direction()});
  }
  return steps;
}

TEST(Ramp, OfASpeedWhoseWayIsLostInRoundingIsANumber) {
  // Far out, the way that such a speed takes to stop is less than the last digit of the place.
  for (const double speed : {1e-9, 1e-6, -1e-7, 3e-5}) {
    const MotionState start{{1'000'000, 0.5}, speed, 0.0};
    for (const std::int64_t target : {999'999, 1'000'000, 1'000'001}) {
      const Ramp ramp = plan_ramp(start, target, {.speed = 700.0, .acceleration = 50'000.0});
      for (const double t : {0.0, 1e-12, 1e-4, 1.0}) {
        const MotionState state = ramp.state_at(t);
        ASSERT_TRUE(std::isfinite(state.speed) && std::isfinite(state.acceleration)) << speed << " " << t;
      }
      EXPECT_EQ(ramp.end().whole, target);
    }
  }
}

TEST(Ramp, TakesTheTimeOfTheClosedForm) {
  const double v = traverse.speed;
  const double a = traverse.acceleration;
  const double vs = traverse.start_speed;
  const Ramp ramp = plan_ramp({}, 22'667, traverse);
  const double ramp_time = (v - vs) / a;
  const double cruise_way = 22'667 - (v * v - vs * vs) / a;
  EXPECT_NEAR(ramp.duration(), 2 * ramp_time + cruise_way / v, 1e-13);
  EXPECT_DOUBLE_EQ(ramp.peak_speed(), v);
  EXPECT_DOUBLE_EQ(ramp.speed_at(0.1), v);
}

TEST(Ramp, OfAShortMoveNeverCruises) {
  const Ramp ramp = plan_ramp({}, 100, traverse);
  ASSERT_EQ(ramp.phases().size(), 2u);
  const double peak = std::sqrt(traverse.start_speed * traverse.start_speed + traverse.acceleration * 100);
  EXPECT_NEAR(ramp.peak_speed(), peak, 1e-9);
  EXPECT_EQ(all_steps(ramp, 0).size(), 100u);
}

TEST(Ramp, BelowItsStartSpeedIsConstant) {
  const Ramp ramp = plan_ramp({}, -70, {.speed = 700, .acceleration = 1000, .start_speed = 800});
  ASSERT_EQ(ramp.phases().size(), 1u);
  EXPECT_DOUBLE_EQ(ramp.duration(), 0.1);
  EXPECT_DOUBLE_EQ(ramp.speed_at(0.05), -700);
}

TEST(Ramp, OfNoWayTakesNoTime) {
  EXPECT_EQ(plan_ramp({.position = {5}}, 5, traverse).phases().size(), 0u);
  EXPECT_EQ(plan_stop({.position = {5}}, traverse).duration(), 0.0);
}

TEST(Ramp, RefusesLimitsThatAreNone) {
  EXPECT_THROW((void)plan_ramp({}, 1, {.speed = 0, .acceleration = 1}), RangeError);
  EXPECT_THROW((void)plan_ramp({}, 1, {.speed = 1, .acceleration = -1}), RangeError);
  EXPECT_THROW((void)plan_stop({}, {.speed = NAN, .acceleration = 1}), RangeError);
}

TEST(Ramp, StopsOnAWholeStepWithinItsAcceleration) {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> part(0.0, 0.999);
  std::uniform_real_distribution<double> speed(-16'000, 16'000);
  for (int i = 0; i < 1000; ++i) {
    const MotionState state{{1000, part(random)}, speed(random)};
    const Ramp stop = plan_stop(state, traverse);
    EXPECT_EQ(stop.end().part, 0.0);
    for (const RampPhase& phase : stop.phases())
      EXPECT_LE(phase.acceleration, traverse.acceleration * (1 + 1e-9));
    const double least =
        std::max(0.0, state.speed * state.speed - traverse.start_speed * traverse.start_speed) / 8e5;
    EXPECT_LT(std::abs(stop.end().to_double() - state.position.to_double()), least + 1.0);
  }
}

// From any speed: ends at the target, never beyond its limits, continuous, and no slower than a search over
// the peak speed finds.
TEST(Ramp, FromAnySpeedIsInsideItsLimitsAndLeastInTime) {
  std::mt19937_64 random(4);
  std::uniform_real_distribution<double> unit(0.0, 1.0);
  for (int i = 0; i < 1'000'000; ++i) {
    const RampLimits limits{.speed = 100 + 20'000 * unit(random),
                            .acceleration = 1000 + 1e6 * unit(random),
                            .start_speed = unit(random) < 0.3 ? 0.0 : 2000 * unit(random)};
    // One in ten from outside the speed limit.
    const double beyond = i % 10 == 0 ? 2.0 : 1.0;
    const MotionState start{{0, 0.0}, (2 * unit(random) - 1) * limits.speed * beyond};
    const auto target = static_cast<std::int64_t>((2 * unit(random) - 1) * 5000);
    const Ramp ramp = plan_ramp(start, target, limits);
    ASSERT_EQ(ramp.end().whole, target);
    ASSERT_EQ(ramp.end().part, 0.0);
    const double free = std::min(limits.start_speed, limits.speed);
    double speed = start.speed;
    for (const RampPhase& phase : ramp.phases()) {
      ASSERT_LE(phase.acceleration, limits.acceleration * (1 + 1e-6));
      ASSERT_LE(std::max(phase.from_speed, phase.to_speed),
                std::max(limits.speed, std::abs(start.speed)) * (1 + 1e-9));
      const double jump = std::abs(phase.direction * phase.from_speed - speed);
      ASSERT_LE(jump, 2 * free + 1e-6 * limits.speed) << "speed jumps by more than the start speed allows";
      speed = phase.direction * phase.to_speed;
    }
    if (ramp.duration() > 0.0) {
      ASSERT_LE(std::abs(speed), free + 1e-6 * limits.speed);
    }
  }
}

TEST(Ramp, ReachesASpeedInTheLeastTimeAndHoldsItWithoutEnd) {
  std::mt19937_64 random(9);
  std::uniform_real_distribution<double> speed(-16'000, 16'000);
  for (int i = 0; i < 10'000; ++i) {
    RampLimits limits = traverse;
    if (i % 2 == 0) limits.start_speed = 0.0;
    const MotionState start{{-7, 0.25}, speed(random)};
    const double wanted = speed(random);
    const Ramp ramp = plan_speed(start, wanted, limits);
    ASSERT_TRUE(ramp.is_endless());
    const RampPhase& cruise = ramp.phases().back();
    ASSERT_EQ(cruise.direction * cruise.from_speed, wanted);
    // What lies inside the start speed, either way, is jumped over.
    const auto outside = [&](double v) {
      return std::copysign(std::max(std::abs(v) - limits.start_speed, 0.0), v);
    };
    const double least = std::abs(outside(wanted) - outside(start.speed)) / limits.acceleration;
    ASSERT_NEAR(cruise.start, least, 1e-12);
    ASSERT_NEAR(ramp.speed_at(cruise.start + 3600.0), wanted, 1e-9);
    const double way = cruise.from.to_double() - start.position.to_double();
    ASSERT_NEAR(ramp.position_at(cruise.start + 10.0), start.position.to_double() + way + 10 * wanted, 1e-6);
  }
  EXPECT_FALSE(plan_speed({{0, 0.5}, 9000}, 0.0, traverse).is_endless()) << "it stops";
  EXPECT_EQ(plan_speed({{0, 0.5}, 9000}, 0.0, traverse).end().part, 0.0);
  EXPECT_THROW((void)plan_speed({}, 20'000, traverse), RangeError);
}

TEST(Ramp, StretchedTakesSoManyTimesAsLong) {
  for (const double jerk : {0.0, 32e6 / 3}) {
    RampLimits limits = traverse;
    limits.jerk = jerk;
    for (const std::int64_t way : {1, 70, 1000, 22'667}) {
      const double least = plan_ramp({}, way, limits).duration();
      EXPECT_NEAR(plan_ramp({}, way, stretched(limits, 2.5)).duration(), 2.5 * least, 1e-12 * least) << way;
    }
  }
}

TEST(Ramp, FromRestIsAsFastAsASearchOverItsPeakSpeed) {
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> unit(0.0, 1.0);
  for (int i = 0; i < 1000; ++i) {
    const double way = std::ceil(1 + 3000 * unit(random));
    double best = 1e300;
    for (int k = 1; k <= 4000; ++k) {
      const double peak = traverse.start_speed + (traverse.speed - traverse.start_speed) * k / 4000;
      const double ramps =
          (peak * peak - traverse.start_speed * traverse.start_speed) / traverse.acceleration;
      if (ramps > way) break;
      best = std::min(best, 2 * (peak - traverse.start_speed) / traverse.acceleration + (way - ramps) / peak);
    }
    ASSERT_LE(plan_ramp({}, static_cast<std::int64_t>(way), traverse).duration(), best * (1 + 1e-12));
  }
}

/// Square root of an amount above 0 to 113 bits: a double's, and Newton's method twice.
__float128 root(__float128 of) {
  __float128 found = std::sqrt(static_cast<double>(of));
  for (int i = 0; i < 2; ++i) found = (found + of / found) / 2;
  return found;
}

TEST(StepTimes, AgreeWithA128BitReferenceOverTenMillionSteps) {
  constexpr std::int64_t way = 10'000'000;
  const RampLimits limits{.speed = 16'000, .acceleration = 120, .start_speed = 10};
  const Ramp ramp = plan_ramp({}, way, limits);
  ASSERT_LT(ramp.duration(), 1000.0);
  const __float128 v = limits.speed;
  const __float128 vs = limits.start_speed;
  const __float128 a = limits.acceleration;
  const __float128 ramp_way = (v * v - vs * vs) / (2 * a);
  const __float128 ramp_time = (v - vs) / a;
  const __float128 total = 2 * ramp_time + (way - 2 * ramp_way) / v;
  StepTimes times(ramp, 0);
  std::vector<double> block(4096);
  std::int64_t n = 0;
  double worst = 0.0;
  while (const std::size_t count = times.fill(block)) {
    for (std::size_t i = 0; i < count; ++i) {
      ++n;
      __float128 exact;
      if (n <= ramp_way) {
        exact = (root(vs * vs + 2 * a * n) - vs) / a;
      } else if (n <= way - ramp_way) {
        exact = ramp_time + (n - ramp_way) / v;
      } else {
        exact = total - (root(vs * vs + 2 * a * (way - n)) - vs) / a;
      }
      worst = std::max(worst, std::abs(static_cast<double>(exact - block[i])));
    }
  }
  EXPECT_EQ(n, way);
  EXPECT_LT(worst, 0.01e-9) << "seconds";
}

// Plays the runs and compares each pulse with the exact time of its step.
double worst_played_error(const Ramp& ramp, std::int64_t made, std::int64_t* run_count = nullptr) {
  const chip::FineTick start{1'000'000, 0x4321};
  RunFitter fitter(ramp, made, start, clock_rate);
  StepTimes times(ramp, made);
  chip::PulsePlayer<chip::PulseRun> player(start);
  chip::PulseRun run{};
  std::vector<double> block(1000);
  std::size_t have = 0;
  std::size_t used = 0;
  double worst = 0.0;
  while (fitter.next(run)) {
    if (run_count != nullptr) ++*run_count;
    player.load(run);
    while (player.left() > 0) {
      player.advance();
      if (!player.makes_pulses()) continue;
      if (used == have) {
        have = times.fill(block);
        used = 0;
      }
      const double exact = block.at(used++) * clock_rate + 0x4321 / 65536.0;
      EXPECT_EQ(player.is_backwards(), times.direction() < 0);
      worst = std::max(worst, std::abs(static_cast<double>(player.tick() - start.tick) - exact));
    }
  }
  EXPECT_EQ(used, have);
  EXPECT_EQ(times.fill(block), 0u) << "every step has been played";
  EXPECT_EQ(fitter.made(), times.made());
  return worst;
}

TEST(RunFitter, StaysWithinOneTickOverTenMillionSteps) {
  std::int64_t runs = 0;
  const Ramp ramp = plan_ramp({}, 10'000'000, {.speed = 16'000, .acceleration = 120, .start_speed = 10});
  EXPECT_LT(worst_played_error(ramp, 0, &runs), 1.0);
  EXPECT_LT(static_cast<double>(runs) * sizeof(chip::PulseRun), 0.25 * 10'000'000) << "a quarter byte a step";
}

TEST(RunFitter, WithJerkStaysWithinOneTickOverTenMillionSteps) {
  std::int64_t runs = 0;
  const Ramp ramp = plan_ramp({}, 10'000'000, {.speed = 16'000, .acceleration = 120, .jerk = 8});
  EXPECT_LT(worst_played_error(ramp, 0, &runs), 1.0);
  EXPECT_LT(static_cast<double>(runs) * sizeof(chip::PulseRun), 0.25 * 10'000'000) << "a quarter byte a step";
}

TEST(RunFitter, StoresTheDemoMoveInFewRuns) {
  RampLimits limits = traverse;
  for (const double jerk : {0.0, 32e6 / 3}) {
    limits.jerk = jerk;
    std::int64_t runs = 0;
    EXPECT_LT(worst_played_error(plan_ramp({}, 10'000, limits), 0, &runs), 1.0);
    EXPECT_LT(runs * 24, 10'000 / 4) << runs << " runs";
  }
}

// Long after its start a motion is still told to a fraction of a tick.
TEST(RunFitter, GoesOnWithoutEnd) {
  const double speed = 16'000.0 / 3;
  const Ramp ramp = plan_speed({}, speed, {.speed = 16'000, .acceleration = 400'000, .jerk = 32e6 / 3});
  RunFitter fitter(ramp, 0, {0, 0}, clock_rate);
  chip::PulseRun run{};
  std::int64_t runs = 0;
  while (fitter.made() < 40'000'000) {
    ASSERT_TRUE(fitter.next(run));
    ++runs;
  }
  const RampPhase& cruise = ramp.phases().back();
  const double exact = cruise.start + (static_cast<double>(fitter.made()) - cruise.from.to_double()) / speed;
  EXPECT_NEAR(static_cast<double>(fitter.end().tick), exact * clock_rate, 1.0);
  EXPECT_GT(exact, 7500.0) << "seconds";
  EXPECT_LT(static_cast<double>(runs), 40'000'000 / 4000.0);
}

TEST(RunFitter, StaysWithinOneTickOnRandomRamps) {
  std::mt19937_64 random(6);
  std::uniform_real_distribution<double> unit(0.0, 1.0);
  const int ramps = testing_support::trials(150, 800);
  for (int i = 0; i < ramps; ++i) {
    const RampLimits limits{.speed = std::pow(10.0, 1 + 3.7 * unit(random)),
                            .acceleration = std::pow(10.0, 1 + 5 * unit(random)),
                            .start_speed = unit(random) < 0.5 ? 0.0 : 1000 * unit(random),
                            .jerk = i % 2 == 0 ? 0.0 : std::pow(10.0, 3 + 5 * unit(random))};
    const MotionState start{{0, 0.0}, (2 * unit(random) - 1) * limits.speed};
    const auto target = static_cast<std::int64_t>((2 * unit(random) - 1) * 3000);
    ASSERT_LT(worst_played_error(plan_ramp(start, target, limits), 0), 1.0) << i;
  }
}

TEST(RunFitter, BridgesAGapOfMinutesSilently) {
  std::int64_t runs = 0;
  const Ramp ramp = plan_ramp({}, 3, {.speed = 1.0 / 300, .acceleration = 1, .start_speed = 1});
  EXPECT_LT(worst_played_error(ramp, 0, &runs), 1.0);
  EXPECT_GT(runs, 3);
}

// A brake that turns exactly on a step: the last step forwards and the first one back are one whole step
// apart.
TEST(StepTimes, OfAPeakOnAThresholdNeverMakeTwoEdgesAtOnce) {
  for (const double beyond : {-1e-9, -1e-12, 0.0, 1e-12, 1e-9}) {
    const RampLimits limits{.speed = 16'000, .acceleration = 400'000, .start_speed = 0};
    const double speed = std::sqrt(2 * limits.acceleration * (200 + beyond));
    const Ramp ramp = plan_ramp({{0, 0.0}, speed}, 50, limits);
    const std::vector<Step> steps = all_steps(ramp, 0);
    ASSERT_EQ(steps.back().direction, -1);
    std::int64_t at = 0;
    for (std::size_t i = 0; i < steps.size(); ++i) {
      at += steps[i].direction;
      if (i == 0) continue;
      ASSERT_GT(steps[i].time - steps[i - 1].time, 0.0);
      if (steps[i].direction != steps[i - 1].direction) {
        ASSERT_GT(steps[i].time - steps[i - 1].time, 1e-3) << "far more than any DIR set-up";
      }
    }
    EXPECT_EQ(at, 50);
  }
}

}  // namespace
}  // namespace cogstride::ramp_test
