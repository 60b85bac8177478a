#include "cogstride/plan/row_ramp.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace cogstride::row_ramp_test {
namespace {

// s = a t^2 / 2 on the ramp, v t after it.
TEST(RowRamp, FromRestFollowsTheClosedForm) {
  const RowRamp ramp{0.0, 0.0, 0.0, 200.0, 100.0};
  EXPECT_DOUBLE_EQ(ramp.lasts(), 0.5);
  EXPECT_DOUBLE_EQ(ramp.made_at(1.0), std::sqrt(2.0 / 200.0));
  EXPECT_DOUBLE_EQ(ramp.made_at(25.0), 0.5);
  EXPECT_DOUBLE_EQ(ramp.made_at(125.0), 1.5);
  EXPECT_DOUBLE_EQ(ramp.rate_at(0.25), 50.0);
  EXPECT_DOUBLE_EQ(ramp.rate_at(2.0), 100.0);
}

// Against the rate summed up over small times; and each row is made when its rows are.
TEST(RowRamp, MakesWhatItsRateSumsUpTo) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> share(0.0, 1.0);
  for (int trial = 0; trial < 200; ++trial) {
    const RowRamp ramp{share(random), std::floor(50.0 * share(random)), 300.0 * share(random),
                       50.0 + 1000.0 * share(random), 5.0 + 300.0 * share(random)};
    constexpr int parts = 20'000;
    const double time = 2.0 * ramp.lasts() + 0.1;
    double rows = ramp.rows;
    for (int part = 0; part < parts; ++part)
      rows += ramp.rate_at(ramp.begins + (part + 0.5) * time / parts) * time / parts;
    EXPECT_NEAR(ramp.rows_at(ramp.begins + time), rows, 1e-3) << trial;
    for (double wanted = std::ceil(ramp.rows) + 1.0; wanted < rows; wanted += 3.0)
      EXPECT_NEAR(ramp.rows_at(ramp.made_at(wanted)), wanted, 1e-9 * wanted + 1e-9) << trial;
  }
}

}  // namespace
}  // namespace cogstride::row_ramp_test
