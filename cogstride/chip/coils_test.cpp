#include "cogstride/chip/coils.hpp"

#include <gtest/gtest.h>

#include <cmath>

namespace cogstride::chip::coils_test {
namespace {

TEST(CoilRow, IsTheTextbooksForEachWayOfStepping) {
  // Acarnley, "Stepping Motors", ch. 5: one phase on A B -A -B, two phases on AB B-A -A-B -BA.
  const uint8_t wave[] = {coil_a_plus, coil_b_plus, coil_a_minus, coil_b_minus};
  const uint8_t full[] = {coil_a_plus | coil_b_plus, coil_b_plus | coil_a_minus, coil_a_minus | coil_b_minus,
                          coil_b_minus | coil_a_plus};
  for (int step = 0; step < 4; ++step) {
    EXPECT_EQ(coil_row(Stepping::wave, step), wave[step]);
    EXPECT_EQ(coil_row(Stepping::full, step), full[step]);
    EXPECT_EQ(coil_row(Stepping::half, 2 * step), full[step]) << "half steps go through the full ones";
    EXPECT_EQ(coil_row(Stepping::half, 2 * step + 1), wave[(step + 1) % 4]) << "and the others between";
  }
}

TEST(CoilRow, GoesOnForEverBothWays) {
  for (const Stepping stepping : {Stepping::wave, Stepping::full, Stepping::half}) {
    const int turn = stepping == Stepping::half ? 8 : 4;
    for (int32_t step = -100; step < 100; ++step)
      EXPECT_EQ(coil_row(stepping, step), coil_row(stepping, step + 1000 * turn));
    EXPECT_EQ(coil_row(stepping, INT32_MAX - turn + 1), coil_row(stepping, -turn))
        << "without a seam at the end";
  }
}

/// Against the sine of the library, for each place of a table.
template <int microsteps, int levels>
void check_table() {
  constexpr CoilSine<microsteps, levels> table;
  static_assert(table.is_mirrored(), "backwards mirrors forwards");
  EXPECT_TRUE(table.is_monotone()) << microsteps << " of " << levels;
  for (int phase = 0; phase < table.phases; ++phase) {
    const double angle = 2.0 * M_PI * phase / table.phases;
    EXPECT_LE(std::abs(table.sine(phase) - levels * std::sin(angle)), 0.5 + 1e-9) << phase;
    EXPECT_LE(std::abs(table.cosine(phase) - levels * std::cos(angle)), 0.5 + 1e-9) << phase;
  }
}

TEST(CoilSine, IsTheSineRoundedToTheNearestLevel) {
  check_table<1, 1>();
  check_table<2, 3>();
  check_table<4, 15>();
  check_table<8, 31>();
  check_table<10, 63>();
  check_table<16, 63>();
  check_table<20, 127>();
  check_table<32, 127>();
  check_table<64, 255>();
  check_table<128, 255>();
  check_table<256, 32767>();
}

TEST(CoilSine, TurnsTheFieldByEqualAnglesWithinItsLevels) {
  constexpr CoilSine<16, 255> table;
  double worst = 0.0;
  for (int phase = 0; phase < table.phases; ++phase) {
    const double ideal = 2.0 * M_PI * phase / table.phases;
    const double angle = std::atan2(table.sine(phase), table.cosine(phase));
    worst = std::max(worst, std::abs(std::remainder(angle - ideal, 2.0 * M_PI)));
  }
  // Half a level across a field of 255 at the most, in both coils.
  EXPECT_LT(worst, std::sqrt(2.0) * 0.5 / 255.0);
  EXPECT_GT(worst, 0.0);
}

}  // namespace
}  // namespace cogstride::chip::coils_test
