#include "cogstride/chip/reaction.hpp"

#include <gtest/gtest.h>

#include <random>
#include <vector>

#include "cogstride/chip/row_cycle.hpp"

namespace cogstride::chip::reaction_test {
namespace {

TEST(Reaction, ActsAtItsEdge) {
  Reaction pressed(true, 0, 100, 0);
  EXPECT_EQ(pressed.due_at(), Reaction::never);
  pressed.edge(true, 1000, true);
  EXPECT_TRUE(pressed.is_due(1000));
  pressed.forget();
  EXPECT_FALSE(pressed.is_due(5000));
}

TEST(Reaction, OfAContactThatBouncesIsOnePress) {
  Reaction pressed(true, 0, 100, 0);
  pressed.edge(true, 1000, true);
  pressed.forget();  // acted on
  for (Tick at = 1010; at < 1090; at += 20) {
    pressed.edge(false, at, true);
    pressed.edge(true, at + 10, true);
    EXPECT_FALSE(pressed.is_due(at + 10)) << at;
  }
  pressed.edge(false, 2000, true);
  pressed.edge(true, 2100, true);
  EXPECT_TRUE(pressed.is_due(2100)) << "it had been released for long enough";
}

TEST(Reaction, CountsOnceItHasStood) {
  Reaction lever(false, 50, 0, 0);
  lever.edge(false, 1000, true);
  EXPECT_EQ(lever.due_at(), 1050);
  EXPECT_FALSE(lever.is_due(1049));
  lever.edge(true, 1049, true);
  EXPECT_EQ(lever.due_at(), Reaction::never) << "a disturbance";
  lever.edge(false, 1100, true);
  lever.edge(true, 1150, true);
  EXPECT_TRUE(lever.is_due(1150)) << "it had stood long enough when it went back";
}

TEST(Reaction, LeavesOthersTheirTimeAndNoticesNothingItIsNotTo) {
  Reaction gentle(true, 10, 0, 500);
  gentle.edge(true, 1000, true);
  EXPECT_EQ(gentle.due_at(), 1510);
  gentle.forget();
  EXPECT_EQ(gentle.due_at(), Reaction::never);
  gentle.edge(false, 3000, true);
  gentle.edge(true, 4000, false);
  EXPECT_EQ(gentle.due_at(), Reaction::never);
}

/// Against the plain way: the level of every tick is kept, and looked back at.
TEST(Reaction, IsAFilterOfLevels) {
  std::mt19937 random(7);
  for (int round = 0; round < 200; ++round) {
    const Tick steady = random() % 20;
    const Tick back = random() % 20;
    Reaction reaction(true, steady, back, 0);
    bool level = false;
    bool stands = false;
    Tick since = -1000;
    for (Tick now = 0; now < 400; ++now) {
      bool rose = false;
      const auto look = [&] {
        if (level == stands || now - since < (level ? steady : back)) return;
        stands = level;
        rose = rose || stands;
      };
      look();
      if (random() % 8 == 0) {
        level = !level;
        since = now;
        reaction.edge(level, now, true);
        look();
      }
      EXPECT_EQ(reaction.is_due(now), rose) << round << " " << now;
      if (reaction.is_due(now)) reaction.forget();
    }
  }
}

TEST(RowCycle, GoesRoundBothWays) {
  const std::uint8_t rows[] = {1, 4, 2, 8, 16};
  RowCycle cycle(rows, 5);
  EXPECT_EQ(cycle.row(), 1);
  for (int step = 1; step < 23; ++step) EXPECT_EQ(cycle.step(false), rows[step % 5]);
  for (int step = 21; step >= -13; --step) EXPECT_EQ(cycle.step(true), rows[(step % 5 + 5) % 5]);
  const std::uint8_t one[] = {3};
  RowCycle alone(one, 1);
  EXPECT_EQ(alone.step(true), 3);
  EXPECT_EQ(alone.step(false), 3);
}

}  // namespace
}  // namespace cogstride::chip::reaction_test
