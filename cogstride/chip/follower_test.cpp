#include "cogstride/chip/follower.hpp"

#include <gtest/gtest.h>

#include <random>

namespace cogstride::chip::follower_test {
namespace {

/// The obvious way: the sum of all counts, and the steps that it has reached, by 64-bit division.
struct Obvious {
  std::int64_t steps;
  std::int64_t counts;
  std::int64_t sum = 0;  // counts times steps
  std::int64_t made = 0;
  void count(int way) {
    sum += way * steps;
    while (sum >= (made + 1) * counts) ++made;
    while (sum <= (made - 1) * counts) --made;
  }
};

template <class Part>
std::int64_t all_of(FollowerOf<Part>& follower, int way) {
  std::int64_t made = 0;
  for (std::int8_t step = follower.count(static_cast<std::int8_t>(way)); step != 0;
       step = follower.take_owed()) {
    follower.made(step);
    made += step;
  }
  return made;
}

TEST(Follower, StandsOnTheStepOfTheSumAfterAMillionTurnsOfItsLeader) {
  // 1.4 mm for each turn of 48 counts, at 800/3 steps/mm: 70 steps for 9 counts.
  Follower follower;
  ASSERT_TRUE(follower.set_ratio(70, 9));
  Obvious obvious{70, 9};
  for (int i = 0; i < 48 * 100'000; ++i) {
    all_of(follower, 1);
    obvious.count(1);
  }
  EXPECT_EQ(follower.position(), 48LL * 100'000 * 70 / 9);
  EXPECT_EQ(follower.position(), obvious.made);
}

TEST(GearedPlace, StandsWhereAFollowerStandsThatTookCountByCount) {
  std::mt19937 random(5);
  for (int ratio = 0; ratio < 40; ++ratio) {
    const int counts = std::uniform_int_distribution<int>(1, 8000)(random);
    const int steps = std::uniform_int_distribution<int>(-3 * counts, 3 * counts)(random);
    Follower follower;
    ASSERT_TRUE(follower.set_ratio(steps, counts));
    GearedPlace place;
    place.set_grain(counts);
    for (int look = 0; look < 300; ++look) {
      const int many = std::uniform_int_distribution<int>(-40, 40)(random);
      for (int i = 0; i < std::abs(many); ++i) all_of(follower, many < 0 ? -1 : 1);
      place.go_on(std::int64_t{many} * steps);
      ASSERT_EQ(place.position(), follower.position());
    }
  }
}

TEST(Follower, GoesToAndFroWithoutDrift) {
  std::mt19937 random(3);
  for (int ratio = 0; ratio < 60; ++ratio) {
    const int counts = std::uniform_int_distribution<int>(1, 8000)(random);
    const int steps = std::uniform_int_distribution<int>(-3 * counts, 3 * counts)(random);
    FollowerOf<std::int16_t> narrow;
    Follower wide;
    ASSERT_TRUE(narrow.set_ratio(steps, counts));
    ASSERT_TRUE(wide.set_ratio(steps, counts));
    Obvious obvious{steps, counts};
    int way = 1;
    for (int i = 0; i < 4000; ++i) {
      if (std::uniform_int_distribution<int>(0, 20)(random) == 0) way = -way;
      all_of(narrow, way);
      all_of(wide, way);
      obvious.count(way);
      ASSERT_EQ(wide.position(), obvious.made) << steps << " for " << counts << ", count " << i;
      ASSERT_EQ(narrow.position(), obvious.made);
    }
  }
}

TEST(Follower, MakesNoStepsWhileItsLeaderTremblesAboutAPlace) {
  Follower follower;
  ASSERT_TRUE(follower.set_ratio(1, 1));
  all_of(follower, 1);
  ASSERT_TRUE(follower.set_ratio(1, 2));
  std::int64_t made = 0;
  for (int i = 0; i < 100; ++i) made += std::abs(all_of(follower, i % 2 == 0 ? 1 : -1));
  EXPECT_EQ(made, 0);
}

TEST(Follower, TakesANewRatioAndAShiftWithoutAJump) {
  Follower follower;
  ASSERT_TRUE(follower.set_ratio(3, 10));
  for (int i = 0; i < 33; ++i) all_of(follower, 1);
  EXPECT_EQ(follower.position(), 9);
  EXPECT_EQ(follower.rest(), 9);
  ASSERT_TRUE(follower.set_ratio(1, 20));
  EXPECT_EQ(follower.rest(), 18) << "nine tenths of a step still";
  EXPECT_EQ(all_of(follower, 1) + all_of(follower, 1), 1);
  follower.shift(-4);
  EXPECT_TRUE(follower.owes());
  while (follower.owes()) follower.made(follower.take_owed());
  EXPECT_EQ(follower.position(), 6);
}

TEST(Follower, RefusesWhatIsNoRatio) {
  Follower follower;
  EXPECT_FALSE(follower.set_ratio(1, 0));
  EXPECT_FALSE(follower.set_ratio(1, -5));
  EXPECT_FALSE(follower.set_ratio(400, 12)) << "more than 32 steps a count";
  FollowerOf<std::int16_t> narrow;
  EXPECT_FALSE(narrow.set_ratio(1, 20'000));
  EXPECT_TRUE(follower.set_ratio(1, 20'000));
}

}  // namespace
}  // namespace cogstride::chip::follower_test
