#include "cogstride/plan/timer_choice.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/quantity/literals.hpp"

namespace cogstride::timer_choice_test {
namespace {

using namespace literals;

TimerUnit timer(std::int64_t width, std::int64_t prescaler) {
  return {"t", width, prescaler, 4, 0};
}

TEST(TimerChoice, MakesTwentyKilohertzOf48MegahertzExactly) {
  const TimerChoice edge = choose_counts(48_MHz, timer(16, 1), 20_kHz, Alignment::edge);
  EXPECT_EQ(edge.counts, 2400);
  EXPECT_EQ(edge.frequency, Ratio(20'000));
  EXPECT_EQ(edge.error, 0.0);
  EXPECT_DOUBLE_EQ(edge.duty_step, 1.0 / 2400);
  const TimerChoice centre = choose_counts(48_MHz, timer(16, 1), 20_kHz, Alignment::centre);
  EXPECT_EQ(centre.counts, 1200) << "up and down again";
  EXPECT_EQ(centre.frequency, Ratio(20'000));
}

TEST(TimerChoice, NeedsAPrescalerForAServoFrame) {
  EXPECT_FALSE(choose_counts(48_MHz, timer(16, 1), 50_Hz, Alignment::edge).fits);
  EXPECT_FALSE(choose_counts(48_MHz, timer(16, 8), 50_Hz, Alignment::edge).fits);
  const TimerChoice choice = choose_counts(48_MHz, timer(16, 16), 50_Hz, Alignment::edge);
  EXPECT_TRUE(choice.fits);
  EXPECT_EQ(choice.counts, 60'000);
  EXPECT_EQ(choice.frequency, Ratio(50));
}

TEST(TimerChoice, SaysWhatComesOfAFrequencyThatItCannotMake) {
  const TimerChoice choice = choose_counts(16_MHz, timer(8, 64), 440_Hz, Alignment::edge);
  EXPECT_FALSE(choice.fits) << "568 counts do not fit into 8 bits";
  const TimerChoice fast = choose_counts(16_MHz, timer(16, 1), 7_MHz, Alignment::edge);
  EXPECT_EQ(fast.counts, 2);
  EXPECT_EQ(fast.frequency, Ratio(8'000'000));
  EXPECT_NEAR(fast.error, 1.0 / 7.0, 1e-12);
  EXPECT_FALSE(choose_counts(1_MHz, timer(16, 1), 7_MHz, Alignment::edge).fits);
}

// Against trying every number of counts.
TEST(TimerChoice, IsTheBestOfAllCounts) {
  std::mt19937_64 random(5);
  for (int i = 0; i < 300; ++i) {
    const TimerUnit unit =
        timer(8 + static_cast<std::int64_t>(random() % 5), 1 + static_cast<std::int64_t>(random() % 64));
    const Alignment alignment = random() % 2 == 0 ? Alignment::edge : Alignment::centre;
    const auto clock =
        ExactFrequency::from_base(Ratio(1'000'000 + static_cast<std::int64_t>(random() % 47'000'000)));
    const auto wanted = ExactFrequency::from_base(Ratio(10 + static_cast<std::int64_t>(random() % 100'000)));
    double best = INFINITY;
    for (std::int64_t counts = 1; counts <= (std::int64_t{1} << unit.width); ++counts)
      best = std::min(best, std::abs(with_counts(clock, unit, wanted, alignment, counts).error));
    const TimerChoice choice = choose_counts(clock, unit, wanted, alignment);
    EXPECT_NEAR(std::abs(choice.error), best, 1e-12) << choice.counts;
    if (choice.fits) {
      EXPECT_LT(best, 1.0);
    }
  }
}

}  // namespace
}  // namespace cogstride::timer_choice_test
