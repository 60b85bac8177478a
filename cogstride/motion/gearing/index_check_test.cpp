// An encoder's count against its index, by the readings alone.
#include "cogstride/motion/gearing/index_check.hpp"
#include "support/refusal.hpp"

#include <gtest/gtest.h>

#include <cmath>

namespace cogstride::index_check_test {
namespace {

using testing_support::has;

/// A disc of 50 lines whose counter may miss edges: looked at each 1000 ticks.
struct Disc {
  static Encoder encoder() {
    Encoder encoder;
    encoder.name = "turns";
    encoder.line_a = 25;
    encoder.line_b = 26;
    encoder.line_index = 27;
    encoder.lines_per_turn = 50;
    return encoder;
  }
  /// On to a place, evenly, in so many ticks.
  void turn_to(double to, Tick ticks) {
    const double from = place;
    const Tick began = now;
    while (now < began + ticks) {
      const Tick next = std::min(began + ticks, (now / 1000 + 1) * 1000);
      const double there =
          from + (to - from) * static_cast<double>(next - began) / static_cast<double>(ticks);
      // The index is up while the place is in the first quarter of a line of each turn.
      const double edge =
          to > from ? std::ceil(place / 200.0) * 200.0 : std::floor((place - 1.0) / 200.0) * 200.0 + 1.0;
      if (to > from ? (place < edge && edge <= there) : (there < edge && edge <= place)) {
        const auto at = static_cast<Tick>(static_cast<double>(now) +
                                          (edge - place) / (there - place) * static_cast<double>(next - now));
        check.take(std::array{Reading{at, SourceId{27}, 1}});
        check.take(std::array{Reading{at + 1, SourceId{27}, 0}});
      }
      place = there;
      now = next;
      const auto count = static_cast<std::int64_t>(std::floor(place)) + missed;
      if (now % 1000 == 0) check.take(std::array{Reading{now, counter_source(25), count}});
    }
  }

  IndexCheck check{encoder()};
  double place = 30.0;
  Tick now = 0;
  std::int64_t missed = 0;
};

TEST(IndexCheck, FindsNothingWhereNothingIsMissed) {
  Disc disc;
  for (const double to : {2'030.0, 1'411.0, -877.0, 3'001.5}) disc.turn_to(to, 217'345);
  EXPECT_GT(disc.check.looked(), 30);
  EXPECT_EQ(disc.check.most_off(), 0);
  EXPECT_EQ(disc.check.take_news(), "");
}

TEST(IndexCheck, TellsHowManyWereMissedAndHowManyCountedTwice) {
  Disc disc;
  disc.turn_to(1'030.0, 300'000);
  disc.missed = -4;
  disc.turn_to(1'930.0, 300'000);
  EXPECT_EQ(disc.check.most_off(), -4);
  EXPECT_TRUE(has(disc.check.take_news(), "the count of turns is 4 less than its index says"));
  EXPECT_EQ(disc.check.take_news(), "") << "once";
  disc.missed = 6;
  disc.turn_to(2'930.0, 300'000);
  EXPECT_EQ(disc.check.most_off(), 6);
  EXPECT_TRUE(
      has(disc.check.take_news(), "6 more than its index says after 9 turns: its edges were counted twice"));
}

TEST(IndexCheck, BackwardsFewerIsMore) {
  Disc disc;
  disc.turn_to(-1'030.0, 300'000);
  disc.missed = 4;
  disc.turn_to(-1'930.0, 300'000);
  EXPECT_TRUE(has(disc.check.take_news(), "more than its index says after 6 turns: its edges were missed"));
}

}  // namespace
}  // namespace cogstride::index_check_test
