#include "cogstride/motion/duty_course.hpp"

#include <gtest/gtest.h>

#include <random>

namespace cogstride::duty_course_test {
namespace {

// Down to none from the least duty is a jump: a tick that is taken for a little before the end keeps the
// motor going.
TEST(DutyCourse, IsWhereItLeadsToOnItsLastTick) {
  std::mt19937 random(5);
  const auto even = [&](double least, double most) {
    return std::uniform_real_distribution<double>(least, most)(random);
  };
  for (int i = 0; i < 100'000; ++i) {
    DutyCourse course({.lowest = 0.2, .highest = 1.0, .full_ramp = 0.2, .pause = 2.5}, 48e6);
    const auto began = static_cast<Tick>(even(0, 1e9));
    const double to = i % 2 == 0 ? 0.0 : even(0.2, 1.0);
    course.go(began, even(0.2, 1.0), to, i % 3 == 0 ? std::optional(even(0.2, 1.0)) : std::nullopt);
    ASSERT_NEAR(course.at(course.piece_ends()), to, to == 0.0 ? 0.0 : 1e-12);
  }
}

}  // namespace
}  // namespace cogstride::duty_course_test
