#include <glpk.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <vector>

#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/step_times.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride::jerk_limited_test {
namespace {

constexpr RampLimits traverse{.speed = 16'000, .acceleration = 400'000, .start_speed = 0, .jerk = 32e6 / 3};

double signed_start_speed(const RampPhase& phase) {
  return phase.direction * phase.from_speed;
}
double signed_end_speed(const RampPhase& phase) {
  return phase.direction * phase.to_speed;
}
double acceleration_at_start(const RampPhase& phase) {
  return phase.direction * (phase.speeds_up() ? phase.acceleration : -phase.fast_acceleration());
}
double acceleration_at_end(const RampPhase& phase) {
  return phase.direction * (phase.speeds_up() ? phase.fast_acceleration() : -phase.acceleration);
}

/// Everything that a ramp claims: that it is one continuous motion from `start` to its end, by its own rates.
::testing::AssertionResult is_one_motion(const Ramp& ramp, const MotionState& start,
                                         const RampLimits& limits) {
  const double speed_scale =
      std::max({limits.speed, std::abs(start.speed),
                std::abs(start.acceleration) * std::abs(start.acceleration) / limits.jerk});
  const double rate_scale = std::max(limits.acceleration, std::abs(start.acceleration));
  double speed = start.speed;
  double rate = start.acceleration;
  StepPosition place = start.position;
  double time = 0.0;
  for (const RampPhase& phase : ramp.phases()) {
    if (phase.start != time) return ::testing::AssertionFailure() << "time jumps";
    if (way_between(place, phase.from) != 0.0) return ::testing::AssertionFailure() << "place jumps";
    if (std::abs(signed_start_speed(phase) - speed) > 1e-6 * speed_scale)
      return ::testing::AssertionFailure()
             << "speed jumps from " << speed << " to " << signed_start_speed(phase);
    if (std::abs(acceleration_at_start(phase) - rate) > 1e-5 * rate_scale)
      return ::testing::AssertionFailure()
             << "acceleration jumps from " << rate << " to " << acceleration_at_start(phase);
    if (std::abs(phase.jerk) > limits.jerk * (1 + 1e-12)) return ::testing::AssertionFailure() << "jerk";
    // Way and speeds of each phase are those of its acceleration and jerk.
    const double t = phase.duration;
    const double slow = std::min(phase.from_speed, phase.to_speed);
    const double fast = std::max(phase.from_speed, phase.to_speed);
    const double way = t * (slow + t * (phase.acceleration / 2 + t * phase.jerk / 6));
    const double real = phase.direction * way_between(phase.from, phase.to);
    if (std::abs(way - real) > 1e-9 * (1.0 + speed_scale * ramp.duration()))
      return ::testing::AssertionFailure() << "way " << real << " instead of " << way;
    if (std::abs(slow + t * (phase.acceleration + t * phase.jerk / 2) - fast) > 1e-6 * speed_scale)
      return ::testing::AssertionFailure() << "speed of a phase";
    speed = signed_end_speed(phase);
    rate = acceleration_at_end(phase);
    place = phase.to;
    time = phase.end();
  }
  if (way_between(place, ramp.end()) != 0.0) return ::testing::AssertionFailure() << "ends elsewhere";
  if (ramp.duration() > 0.0 && (std::abs(speed) > 1e-6 * speed_scale || std::abs(rate) > 1e-5 * rate_scale))
    return ::testing::AssertionFailure() << "does not end at rest: " << speed << " " << rate;
  return ::testing::AssertionSuccess();
}

class RandomMotions {
 public:
  explicit RandomMotions(unsigned seed) : random_(seed) {}
  double unit() { return uniform_(random_); }
  double between(double low, double high) { return low + (high - low) * unit(); }
  RampLimits limits() {
    RampLimits limits;
    limits.speed = std::pow(10.0, between(2.0, 4.7));
    limits.acceleration = limits.speed * std::pow(10.0, between(-1.0, 2.5));
    limits.jerk = limits.acceleration * std::pow(10.0, between(-0.5, 3.0));
    return limits;
  }
  /// Inside the limits, what the acceleration must still do to the speed included.
  MotionState state(const RampLimits& limits) {
    MotionState state{{0, 0.0}, 0.0, between(-limits.acceleration, limits.acceleration)};
    if (unit() < 0.1) state.acceleration = 0.0;
    if (unit() < 0.1) state.acceleration = std::copysign(limits.acceleration, unit() - 0.5);
    const double still = state.acceleration * std::abs(state.acceleration) / (2 * limits.jerk);
    const double low = std::max(-limits.speed, -limits.speed - still);
    const double high = std::min(limits.speed, limits.speed - still);
    if (low > high) {
      state.acceleration = 0.0;
      return state;
    }
    state.speed = unit() < 0.1 ? std::min(high, std::max(low, 0.0)) : between(low, high);
    return state;
  }
  std::int64_t target(const MotionState& state, const RampLimits& limits) {
    const double reach = std::abs(state.speed) *
                         (limits.speed / limits.acceleration + limits.acceleration / limits.jerk) * 4.0;
    const double way = unit() < 0.5 ? between(-reach, reach) : between(-20'000, 20'000);
    return std::llround(way);
  }

 private:
  std::mt19937_64 random_;
  std::uniform_real_distribution<double> uniform_{0.0, 1.0};
};

TEST(JerkLimited, TakesTheTimeOfTheClosedForm) {
  // Textbook: 2 (v/a + a/j) in both ramps, and the rest at full speed.
  const double v = traverse.speed;
  const double a = traverse.acceleration;
  const double j = traverse.jerk;
  const Ramp ramp = plan_ramp({}, 22'667, traverse);
  EXPECT_EQ(ramp.phases().size(), 7u);
  EXPECT_NEAR(ramp.duration(), 22'667 / v + v / a + a / j, 1e-12);
  EXPECT_DOUBLE_EQ(ramp.peak_speed(), v);
  // So short that it reaches neither speed nor acceleration: four phases of jerk alone, each cbrt(D / 2 j).
  EXPECT_NEAR(plan_ramp({}, 100, traverse).duration(), 4 * std::cbrt(100 / (2 * j)), 1e-14);
  EXPECT_EQ(plan_ramp({}, 100, traverse).phases().size(), 4u);
}

TEST(JerkLimited, BecomesATrapezoidWhenTheJerkIsEndless) {
  RampLimits stiff = traverse;
  stiff.jerk = 1e15;
  stiff.start_speed = 1000;
  RampLimits trapezoid = stiff;
  trapezoid.jerk = 0.0;
  for (const std::int64_t way : {1, 10, 500, 5000}) {
    EXPECT_NEAR(plan_ramp({}, way, stiff).duration(), plan_ramp({}, way, trapezoid).duration(), 1e-7) << way;
  }
}

TEST(JerkLimited, RefusesAJerkThatIsNone) {
  EXPECT_THROW((void)plan_ramp({}, 1, {.speed = 1, .acceleration = 1, .jerk = -1}), RangeError);
  EXPECT_THROW((void)plan_speed({}, 2, {.speed = 1, .acceleration = 1, .jerk = 1}), RangeError);
}

TEST(JerkLimited, AMillionRandomPlansStayInsideTheirLimits) {
  RandomMotions random(21);
  for (int i = 0; i < 1'000'000; ++i) {
    const RampLimits limits = random.limits();
    const MotionState start = random.state(limits);
    const std::int64_t target = random.target(start, limits);
    const Ramp ramp = plan_ramp(start, target, limits);
    ASSERT_EQ(ramp.end().whole, target) << i;
    ASSERT_EQ(ramp.end().part, 0.0) << i;
    ASSERT_TRUE(is_one_motion(ramp, start, limits)) << "plan " << i;
    // In each phase speed and acceleration are largest at its ends.
    for (const RampPhase& phase : ramp.phases()) {
      ASSERT_LE(std::max(phase.from_speed, phase.to_speed), limits.speed * (1 + 1e-9)) << i;
      ASSERT_LE(std::max(phase.acceleration, phase.fast_acceleration()), limits.acceleration * (1 + 1e-6))
          << i;
    }
  }
}

TEST(JerkLimited, FromOutsideItsLimitsItIsBrokenBackInsideFirst) {
  RandomMotions random(22);
  for (int i = 0; i < 20'000; ++i) {
    const RampLimits limits = random.limits();
    MotionState start = random.state(limits);
    start.speed *= 1.0 + 2.0 * random.unit();
    start.acceleration *= 1.0 + random.unit();
    const std::int64_t target = random.target(start, limits);
    const Ramp ramp = plan_ramp(start, target, limits);
    ASSERT_EQ(ramp.end().whole, target);
    ASSERT_TRUE(is_one_motion(ramp, start, limits)) << "plan " << i;
    // The acceleration comes back at full jerk; the speed is never higher than it has to be.
    double rate = std::abs(start.acceleration);
    const double unavoidable =
        std::abs(start.speed) + start.acceleration * start.acceleration / (2 * limits.jerk);
    for (const RampPhase& phase : ramp.phases()) {
      const double most = std::max(limits.acceleration, rate);
      ASSERT_LE(std::max(phase.acceleration, phase.fast_acceleration()), most * (1 + 1e-6));
      rate = std::abs(acceleration_at_end(phase));
      ASSERT_LE(std::max(phase.from_speed, phase.to_speed), std::max(limits.speed, unavoidable) * (1 + 1e-9));
    }
  }
}

/// The simplex method (Dantzig 1951, by GLPK) on the motion cut into equal pieces of constant jerk: whether
/// any motion inside the limits gets from `start` to rest at `target` within `seconds`.
bool simplex_finds(const MotionState& start, double target, double seconds, const RampLimits& limits) {
  constexpr int pieces = 60;
  const double h = seconds / pieces;
  // Scaled to the time of a piece, so that all figures are near 1.
  const double jerk = limits.jerk * h * h * h;
  const double most_rate = limits.acceleration * h * h / jerk;
  const double most_speed = limits.speed * h / jerk;
  const double rate = start.acceleration * h * h / jerk;
  const double speed = start.speed * h / jerk;
  const double way = target / jerk;
  glp_prob* const problem = glp_create_prob();
  glp_set_obj_dir(problem, GLP_MIN);
  glp_add_cols(problem, pieces);
  for (int i = 1; i <= pieces; ++i) glp_set_col_bnds(problem, i, GLP_DB, -1.0, 1.0);
  std::vector<int> columns(pieces + 1);
  std::vector<double> shares(pieces + 1);
  const auto add_row = [&](int until, int power, double low, double high) {
    const int row = glp_add_rows(problem, 1);
    for (int i = 1; i <= until; ++i) {
      columns[i] = i;
      const double u = until - i;
      shares[i] = power == 1 ? 1.0 : (power == 2 ? u + 0.5 : (u * u + u + 1.0 / 3.0) / 2.0);
    }
    glp_set_mat_row(problem, row, until, columns.data(), shares.data());
    glp_set_row_bnds(problem, row, low == high ? GLP_FX : GLP_DB, low, high);
  };
  for (int k = 1; k < pieces; ++k) {
    add_row(k, 1, -most_rate - rate, most_rate - rate);
    add_row(k, 2, -most_speed - speed - k * rate, most_speed - speed - k * rate);
  }
  const double n = pieces;
  add_row(pieces, 1, -rate, -rate);
  add_row(pieces, 2, -speed - n * rate, -speed - n * rate);
  const double left = way - n * speed - n * n * rate / 2.0;
  add_row(pieces, 3, left, left);
  glp_smcp options;
  glp_init_smcp(&options);
  options.msg_lev = GLP_MSG_OFF;
  options.meth = GLP_DUALP;
  const int failed = glp_simplex(problem, &options);
  const bool found = failed == 0 && glp_get_status(problem) == GLP_OPT;
  glp_delete_prob(problem);
  return found;
}

// From rest and from any speed and acceleration: the search finds no motion that is faster by 0.1 %, and
// finds one that is slower by 1 %, so it does search.
TEST(JerkLimited, IsAsFastAsTheSimplexMethodFinds) {
  RandomMotions random(23);
  int slower_found = 0;
  int from_rest = 0;
  for (int i = 0; i < 1000;) {
    const RampLimits limits = random.limits();
    const MotionState start = i % 4 == 0 ? MotionState{} : random.state(limits);
    const std::int64_t target = random.target(start, limits);
    const double least = plan_ramp(start, target, limits).duration();
    // So short that the search's equal pieces are fine enough for the phases.
    if (least == 0.0 || least > 12.0 * limits.acceleration / limits.jerk) continue;
    ++i;
    ASSERT_FALSE(simplex_finds(start, static_cast<double>(target), 0.999 * least, limits)) << "plan " << i;
    if (i % 4 != 0) continue;
    // In motion there are times longer than the least in which no motion fits; from rest there are none.
    ++from_rest;
    slower_found += simplex_finds(start, static_cast<double>(target), 1.002 * least, limits) ? 1 : 0;
  }
  EXPECT_GT(slower_found, 0.95 * from_rest) << "of " << from_rest;
}

TEST(JerkLimited, ReachesASpeedInTheLeastTimeAndHoldsIt) {
  RandomMotions random(24);
  for (int i = 0; i < 20'000; ++i) {
    const RampLimits limits = random.limits();
    const MotionState start = random.state(limits);
    const double speed = random.between(-limits.speed, limits.speed);
    const Ramp ramp = plan_speed(start, speed, limits);
    ASSERT_TRUE(ramp.is_endless());
    const RampPhase& cruise = ramp.phases().back();
    ASSERT_EQ(signed_start_speed(cruise), speed);
    // Hand-solved: the time of the area under the acceleration, with or without a stretch at its limit.
    const double j = limits.jerk;
    const double still = start.speed + start.acceleration * std::abs(start.acceleration) / (2 * j);
    const double up = speed >= still ? 1.0 : -1.0;
    const double a = up * start.acceleration;
    const double square = std::max(0.0, j * up * (speed - start.speed) + a * a / 2);
    const double peak = std::min(std::sqrt(square), limits.acceleration);
    const double least = (2 * peak - a) / j + (square - peak * peak) / (j * std::max(peak, 1e-300));
    ASSERT_NEAR(cruise.start, least, 1e-7 * (least + limits.acceleration / j)) << i;
    ASSERT_NEAR(ramp.speed_at(cruise.start + 1000.0), speed, 1e-9 * limits.speed);
  }
}

TEST(JerkLimited, StopsOnAWholeStepSoonAfterTheShortestWay) {
  RandomMotions random(25);
  for (int i = 0; i < 20'000; ++i) {
    const RampLimits limits = random.limits();
    MotionState start = random.state(limits);
    if (start.speed == 0.0 && start.acceleration == 0.0) continue;
    start.position = {1000, random.unit()};
    const Ramp stop = plan_stop(start, limits);
    ASSERT_TRUE(is_one_motion(stop, start, limits)) << i;
    ASSERT_EQ(stop.end().part, 0.0);
    const Ramp shortest = plan_speed(start, 1e-12 * limits.speed, limits);
    const double way = way_between(start.position, shortest.phases().back().from);
    ASSERT_LT(std::abs(way_between(start.position, stop.end()) - way), 1.0 + 1e-6);
  }
}

// Turned round, with its start speed, and asked to be elsewhere at any instant of any ramp.
TEST(JerkLimited, TakesNewTargetsFromItsOwnStates) {
  RandomMotions random(26);
  for (int i = 0; i < 2'000; ++i) {
    RampLimits limits = random.limits();
    if (i % 2 == 1) limits.start_speed = limits.speed * 0.3 * random.unit();
    MotionState state;
    for (int k = 0; k < 20; ++k) {
      const Ramp ramp = plan_ramp(state, random.target(state, limits), limits);
      ASSERT_LT(ramp.duration(), 1e9);
      double speed = state.speed;
      for (const RampPhase& phase : ramp.phases()) {
        ASSERT_LE(std::abs(signed_start_speed(phase) - speed), 2 * limits.start_speed + 1e-6 * limits.speed);
        speed = signed_end_speed(phase);
        ASSERT_LE(std::max(phase.from_speed, phase.to_speed), limits.speed * (1 + 1e-9));
        ASSERT_LE(std::max(phase.acceleration, phase.fast_acceleration()), limits.acceleration * (1 + 1e-6));
      }
      state = ramp.state_at(ramp.duration() * random.unit());
    }
  }
}

/// From rest over `way`, long enough to reach both limits, in 128 bits: when step n is made.
class Textbook {
 public:
  Textbook(std::int64_t way, const RampLimits& limits)
      : v_(limits.speed),
        a_(limits.acceleration),
        j_(limits.jerk),
        way_(way),
        jerk_time_(a_ / j_),
        full_time_(v_ / a_ - jerk_time_),
        ramp_(v_ / 2 * (v_ / a_ + jerk_time_)) {}

  [[nodiscard]] __float128 time_of(std::int64_t n, __float128 guess) const {
    const __float128 s = n;
    const __float128 ramp_time = 2 * jerk_time_ + full_time_;
    const __float128 total = 2 * ramp_time + (way_ - 2 * ramp_) / v_;
    if (s <= ramp_) return ramp_time_of(s, guess);
    if (s <= way_ - ramp_) return ramp_time + (s - ramp_) / v_;
    return total - ramp_time_of(way_ - s, total - guess);
  }

 private:
  /// Newton's method on the three parts of the way up.
  [[nodiscard]] __float128 ramp_time_of(__float128 s, __float128 t) const {
    if (s <= 0) return 0;
    for (int i = 0; i < 4; ++i) {
      __float128 way = 0;
      __float128 speed = 0;
      const __float128 left = 2 * jerk_time_ + full_time_ - t;
      if (t <= jerk_time_) {
        way = j_ * t * t * t / 6;
        speed = j_ * t * t / 2;
      } else if (left >= jerk_time_) {
        const __float128 u = t - jerk_time_;
        const __float128 begin = a_ * jerk_time_ / 2;
        way = a_ * jerk_time_ * jerk_time_ / 6 + u * (begin + a_ * u / 2);
        speed = begin + a_ * u;
      } else {
        way = ramp_ - v_ * left + j_ * left * left * left / 6;
        speed = v_ - j_ * left * left / 2;
      }
      t -= (way - s) / speed;
    }
    return t;
  }

  __float128 v_, a_, j_, way_, jerk_time_, full_time_, ramp_;
};

TEST(StepTimes, WithJerkAgreeWithA128BitReferenceOverTenMillionSteps) {
  constexpr std::int64_t way = 10'000'000;
  const RampLimits limits{.speed = 16'000, .acceleration = 120, .jerk = 8};
  const Ramp ramp = plan_ramp({}, way, limits);
  ASSERT_LT(ramp.duration(), 1000.0);
  const Textbook textbook(way, limits);
  StepTimes times(ramp, 0);
  std::vector<double> block(1009);
  std::int64_t n = 0;
  double worst = 0.0;
  double last = -1.0;
  while (const std::size_t count = times.fill(block)) {
    for (std::size_t i = 0; i < count; ++i) {
      ++n;
      ASSERT_GT(block[i], last);
      last = block[i];
      // Every step near rest, and a fair part of the others.
      if (n > 20'000 && n < way - 20'000 && n % 37 != 0) continue;
      worst = std::max(worst, std::abs(static_cast<double>(textbook.time_of(n, block[i]) - block[i])));
    }
  }
  EXPECT_EQ(n, way);
  EXPECT_LT(worst, 0.01e-9) << "seconds";
}

}  // namespace
}  // namespace cogstride::jerk_limited_test
