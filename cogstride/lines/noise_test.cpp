#include "cogstride/lines/noise.hpp"

#include <gtest/gtest.h>

#include <set>

namespace cogstride::noise_test {
namespace {

TEST(Noise, DependsOnItsKeysAlone) {
  EXPECT_EQ(normal_noise(1, 2, 3), normal_noise(1, 2, 3));
  std::set<double> values;
  for (std::uint64_t seed = 0; seed < 10; ++seed) {
    for (std::uint64_t source = 0; source < 10; ++source) {
      for (std::uint64_t sample = 0; sample < 10; ++sample) values.insert(normal_noise(seed, source, sample));
    }
  }
  EXPECT_EQ(values.size(), 1000u);
}

TEST(Noise, HasTheMomentsOfItsDistribution) {
  constexpr int samples = 200'000;
  double sum = 0.0;
  double squares = 0.0;
  double fourth = 0.0;
  double even = 0.0;
  for (std::uint64_t i = 0; i < samples; ++i) {
    const double x = normal_noise(42, 3, i);
    sum += x;
    squares += x * x;
    fourth += x * x * x * x;
    const double u = even_noise(42, 4, i);
    ASSERT_GE(u, 0.0);
    ASSERT_LT(u, 1.0);
    even += u;
  }
  EXPECT_NEAR(sum / samples, 0.0, 0.01);
  EXPECT_NEAR(squares / samples, 1.0, 0.015);
  EXPECT_NEAR(fourth / samples, 3.0, 0.1);
  EXPECT_NEAR(even / samples, 0.5, 0.005);
}

TEST(Noise, OfNeighbouringSamplesIsNotAlike) {
  double product = 0.0;
  for (std::uint64_t i = 0; i < 100'000; ++i) product += normal_noise(7, 1, i) * normal_noise(7, 1, i + 1);
  EXPECT_NEAR(product / 100'000, 0.0, 0.02);
}

}  // namespace
}  // namespace cogstride::noise_test
