#include "cogstride/plan/excitation.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "cogstride/chip/coils.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::excitation_test {
namespace {

Mechanism demo(const char* name) {
  return mechanism_named(testing_support::demo_rig(), name);
}

TEST(Excitation, OfTheCreelIsFourRowsOnItsOwnLines) {
  const Excitation creel = excitation_of(demo("creel"));
  ASSERT_EQ(creel.lines.size(), 4u);
  EXPECT_EQ(creel.lines[0].use, "a_plus");
  EXPECT_EQ(creel.lines[1].use, "b_plus") << "line 9";
  EXPECT_EQ(creel.lines[2].use, "a_minus") << "line 10";
  ASSERT_EQ(creel.rows.size(), 4u);
  const std::uint64_t ports[] = {0x300, 0x600, 0xc00, 0x900};
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_EQ(creel.rows[i].port, ports[i]) << "neighbouring lines, two at a time, as the wiring was chosen";
    EXPECT_DOUBLE_EQ(creel.rows[i].ideal_angle, 45.0 + 90.0 * static_cast<double>(i));
    EXPECT_NEAR(creel.rows[i].angle, creel.rows[i].ideal_angle, 1e-9);
    EXPECT_NEAR(creel.rows[i].field, std::sqrt(2.0), 1e-12);
  }
  EXPECT_DOUBLE_EQ(creel.motor_step, 15.0);
  EXPECT_LT(creel.worst_error, 1e-9);
}

TEST(Excitation, HalfStepsAreStrongAndWeakInTurns) {
  Mechanism creel = demo("creel");
  std::get<TransistorArray>(creel.board).stepping = Stepping::half;
  const Excitation half = excitation_of(creel);
  ASSERT_EQ(half.rows.size(), 8u);
  EXPECT_DOUBLE_EQ(half.motor_step, 7.5);
  for (std::size_t i = 0; i < 8; ++i) {
    EXPECT_NEAR(half.rows[i].field, i % 2 == 0 ? std::sqrt(2.0) : 1.0, 1e-12);
    EXPECT_NEAR(half.rows[i].angle, std::fmod(45.0 + 45.0 * static_cast<double>(i), 360.0), 1e-9);
  }
  std::get<TransistorArray>(creel.board).stepping = Stepping::wave;
  EXPECT_EQ(excitation_of(creel).rows[0].port, 0x100u);
}

TEST(Excitation, PolarityTurnsTheLevelAndNotTheField) {
  Mechanism creel = demo("creel");
  auto& coils = std::get<CoilWiring>(creel.wiring).coils;
  for (DrivenLine& coil : coils) coil.active = ActiveLevel::low;
  const Excitation inverted = excitation_of(creel);
  EXPECT_EQ(inverted.rows[0].port, 0xc00u) << "the two that are off are high";
  EXPECT_NEAR(inverted.rows[0].angle, 45.0, 1e-9);
}

TEST(Excitation, AReversedMechanismGoesThroughTheSameLevelsBackwards) {
  Mechanism creel = demo("creel");
  const Excitation forwards = excitation_of(creel);
  auto& coils = std::get<CoilWiring>(creel.wiring).coils;
  std::swap(coils[2], coils[3]);  // what the reader does with `reversed`
  const Excitation reversed = excitation_of(creel);
  // Row 0 forwards is A+ B+; reversed it is A+ with the other end of B: the row before.
  for (std::size_t i = 0; i < 4; ++i) EXPECT_EQ(reversed.rows[i].port, forwards.rows[(7 - i) % 4].port);
}

TEST(Excitation, OfTheTraverseIsSineAndCosine) {
  const Excitation traverse = excitation_of(demo("traverse"));
  ASSERT_EQ(traverse.rows.size(), 32u);
  EXPECT_TRUE(traverse.lines.empty()) << "a STEP/DIR board switches its coils itself";
  EXPECT_DOUBLE_EQ(traverse.motor_step, 0.225);
  EXPECT_LT(traverse.worst_error, 1e-9);
  for (const ExcitationRow& row : traverse.rows) EXPECT_NEAR(row.field, 1.0, 1e-12);
}

// The board's real levels of current, against the chip's table.
TEST(Excitation, WithFewLevelsIsTheTableOfTheChip) {
  Mechanism traverse = demo("traverse");
  traverse.step_dir().microsteps = 16;
  traverse.step_dir().current_levels = 31;
  const Excitation coarse = excitation_of(traverse);
  constexpr chip::CoilSine<16, 31> table;
  ASSERT_EQ(coarse.rows.size(), 64u);
  for (std::size_t i = 0; i < 64; ++i) {
    const int phase = static_cast<int>((i + 8) % 64);  // step 0 stands between the coils
    EXPECT_NEAR(31.0 * coarse.rows[i].current_a, table.cosine(phase), 1e-9) << i;
    EXPECT_NEAR(31.0 * coarse.rows[i].current_b, table.sine(phase), 1e-9) << i;
  }
  EXPECT_GT(coarse.worst_error, 0.1);
  EXPECT_LT(coarse.worst_error, 360.0 / 64.0) << "never off by a whole microstep";
  EXPECT_EQ(coarse.still, 0);
}

TEST(Excitation, SaysHowManyMicrostepsDoNotMoveTheField) {
  Mechanism traverse = demo("traverse");
  traverse.step_dir().microsteps = 128;
  traverse.step_dir().current_levels = 15;
  const Excitation coarse = excitation_of(traverse);
  std::set<std::pair<long, long>> fields;
  for (const ExcitationRow& row : coarse.rows)
    fields.insert({std::lround(row.current_a * 15), std::lround(row.current_b * 15)});
  EXPECT_EQ(coarse.still, static_cast<std::int64_t>(coarse.rows.size() - fields.size()))
      << "each field is stood at once, one stretch of steps";
  EXPECT_GT(coarse.still, 100);
}

TEST(Excitation, IsForSteppersOnly) {
  EXPECT_THROW((void)excitation_of(demo("spindle")), RangeError);
  EXPECT_THROW((void)excitation_of(demo("snips")), RangeError);
}

}  // namespace
}  // namespace cogstride::excitation_test
