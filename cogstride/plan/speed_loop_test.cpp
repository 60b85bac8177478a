// The loop's gains against the closed form, and the integers of small chips against doubles.
#include "cogstride/plan/speed_loop.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/chip/speed_loop.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::speed_loop_test {
namespace {

const Mechanism& feeder() {
  static const Mechanism mechanism = mechanism_named(testing_support::demo_rig(), "feeder");
  return mechanism;
}
constexpr double counts_per_rad = 48.0 / (2.0 * pi);

TEST(SpeedLoop, KnowsHowAMotorAnswers) {
  // V / k' and J R / (k k'), k' = k + B R / k: by hand, 2.85 ohm with the bridge.
  const DutyAnswer answer = duty_answer(feeder(), counts_per_rad);
  const double k = 0.0625, r = 2.85, with_friction = k + 2e-5 * r / k;
  EXPECT_NEAR(answer.full_speed, counts_per_rad * 24.0 / with_friction, 1e-6);
  EXPECT_NEAR(answer.time_constant, 1.25e-4 * r / (k * with_friction), 1e-9);
  EXPECT_NEAR(answer.friction, 0.016 / k * r / 24.0, 1e-9);
  EXPECT_NEAR(answer.load, 0.042 / k * r / 24.0, 1e-9);
}

TEST(SpeedLoop, BothPolesAreWhereTheyWereAskedFor) {
  // A load that comes at once dips the speed by (a / w) / e at 1/w, and it dies away as a t exp(-w t).
  const DutyAnswer answer = duty_answer(feeder(), counts_per_rad);
  for (const double bandwidth : {30.0, 90.0, 150.0}) {
    const SpeedGains gains = speed_gains(answer, bandwidth);
    const double load = 0.05;
    const double step = 1e-6;
    double place = 0.0;
    double speed = 0.0;
    double worst = 0.0;
    for (int i = 0; i < 200'000; ++i) {
      // Around a working point: without friction and feed-forward.
      const double duty = gains.per_speed * -speed + gains.per_place * -place;
      speed += step * (answer.full_speed * (duty - load) - speed) / answer.time_constant;
      place += step * speed;
      const double t = step * (i + 1);
      const double there = -answer.full_speed * load / answer.time_constant * t * std::exp(-bandwidth * t);
      worst = std::max(worst, std::abs(speed - there));
    }
    EXPECT_LT(worst, 2e-3 * answer.full_speed * load / answer.time_constant / bandwidth) << bandwidth;
  }
}

TEST(SpeedLoop, NothingWindsUpBeyondWhatMayBeGiven) {
  const SpeedGains gains = speed_gains(duty_answer(feeder(), counts_per_rad), 60.0);
  SpeedWanted wanted{0.0, 1000.0, 0.0};
  for (int ms = 0; ms < 1000; ++ms) {
    wanted.place += 1.0;
    const LoopStep step = loop_step(gains, wanted, 0.0, 0.0, {-0.3, 0.3});
    EXPECT_EQ(step.duty, 0.3);
    wanted.place -= step.beyond;
  }
  // As soon as it turns at its speed, the duty leaves its limit.
  EXPECT_LT(loop_step(gains, wanted, 0.0, 1100.0, {-0.3, 0.3}).duty, 0.3);
  EXPECT_NEAR(loop_step(gains, wanted, 0.0, 0.0, {-1.0, 1.0}).duty, 0.3, 1e-12);
}

TEST(SpeedLoop, TheRangeLeavesTheCurrentLimitEitherWay) {
  const DutyAnswer answer = duty_answer(feeder(), counts_per_rad);
  const DutyRange range = duty_range(answer, 2.5, 200.0 * counts_per_rad, 1.0);
  // 24 V d = k w +- R I
  EXPECT_NEAR(range.most, (0.0625 * 200.0 + 2.85 * 2.5) / 24.0, 1e-9);
  EXPECT_NEAR(range.least, (0.0625 * 200.0 - 2.85 * 2.5) / 24.0, 1e-9);
  EXPECT_EQ(duty_range(answer, 25.0, 0.0, 0.8).most, 0.8);
}

TEST(SpeedLoop, AnObserverFindsAnUnknownLoadFromItsEdgesAlone) {
  const DutyAnswer answer = duty_answer(feeder(), counts_per_rad);
  for (const double load_off : {0.02, -0.015}) {
    SpeedObserver observer(answer, 300.0);
    double place = 0.5;
    double speed = 300.0;
    const double duty = answer.load + answer.friction + speed / answer.full_speed + load_off;
    observer.begin(place, speed);
    double last_edge = -1.0;
    const double step = 1e-5;
    for (int i = 1; i <= 40'000; ++i) {
      const double before = place;
      speed += step * (answer.full_speed * (duty - answer.load - answer.friction - load_off) - speed) /
               answer.time_constant;
      place += step * speed;
      const double now = step * i;
      if (i % 100 != 0) {
        if (std::floor(place) != std::floor(before)) {
          observer.predict(std::fmod(now, 1e-3), duty);
          observer.correct(std::floor(place), 0.0, last_edge < 0.0 ? 1.0 / speed : now - last_edge);
          observer.predict(1e-3 - std::fmod(now, 1e-3), duty);
          last_edge = now;
        }
        continue;
      }
      if (last_edge < now - 1e-3) observer.predict(1e-3, duty);
    }
    EXPECT_NEAR(observer.speed(), speed, 0.01 * speed) << load_off;
  }
}

TEST(SpeedLoop, TheIntegersOfASmallChipGiveTheSameDuty) {
  std::mt19937 random(11);
  const auto any = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  double worst = 0.0;
  for (int i = 0; i < 100'000; ++i) {
    const double per_speed = any(1e-5, 1e-2);  // duty a count/s
    const double per_place = any(1e-3, 0.5);   // duty a count
    chip::SpeedLoopGains gains;
    gains.per_speed = static_cast<std::int32_t>(std::llround(per_speed * 32768.0 / 16.0 * 1048576.0));
    gains.per_place = static_cast<std::int32_t>(std::llround(per_place * 32768.0 / 256.0 * 1048576.0));
    const auto feed = static_cast<std::int32_t>(std::llround(any(-0.9, 0.9) * 32768.0));
    const auto speed_error = static_cast<std::int32_t>(std::llround(any(-2000.0, 2000.0) * 16.0));
    const auto place_error = static_cast<std::int32_t>(std::llround(any(-20.0, 20.0) * 256.0));
    const auto most = static_cast<std::int32_t>(std::llround(any(0.0, 1.0) * 32768.0));
    const chip::SpeedLoopStep small =
        chip::speed_loop_step(gains, feed, speed_error, place_error, -most, most);
    // The same gains and errors, as they stand in the integers.
    SpeedGains same;
    same.per_speed = gains.per_speed / 1048576.0 * 16.0 / 32768.0;
    same.per_place = gains.per_place / 1048576.0 * 256.0 / 32768.0;
    same.for_load_else = feed / 32768.0;
    const LoopStep host = loop_step(same, {place_error / 256.0, 0.0, 0.0}, 0.0, -speed_error / 16.0,
                                    {-most / 32768.0, most / 32768.0});
    worst = std::max(worst, std::abs(small.duty / 32768.0 - host.duty));
    EXPECT_NEAR(small.beyond / 256.0, host.beyond, 1.5 / 32768.0 / same.per_place + 1.0 / 256.0);
  }
  EXPECT_LE(worst, 1.5 / 32768.0);
}

}  // namespace
}  // namespace cogstride::speed_loop_test
