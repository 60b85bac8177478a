#include "cogstride/chip/homing.hpp"

#include <gtest/gtest.h>

namespace cogstride::chip::homing_test {
namespace {

/// A carriage that does as it is told at once, step by step, and a switch that acts at 0 and below, and lets
/// go above 12.
struct Carriage {
  std::int32_t place;  ///< steps from the switch's edge
  bool acts = false;
  bool is_stuck = false;
  std::int32_t other_from = INT32_MAX;  ///< a switch at the other end
  std::int32_t counted = 0;

  [[nodiscard]] bool other() const { return place >= other_from; }
  void look() {
    if (is_stuck) return;
    if (place <= 0) acts = true;
    if (place > 12) acts = false;
  }

  /// @return the homing, ended
  Homing<std::int32_t> home(const HomingGoal<std::int32_t>& goal) {
    Homing<std::int32_t> homing(goal);
    look();
    auto order = homing.begin(false);
    for (int orders = 0; orders < 200; ++orders) {
      switch (order.act) {
        case HomingAct::settle:
        case HomingAct::end_here:
          order = homing.settled(counted, other());
          break;
        case HomingAct::look:
          order = homing.level(acts, counted, other());
          break;
        case HomingAct::brake:
        case HomingAct::brake_steeply:
          order = homing.at_rest(counted);
          break;
        case HomingAct::go:
        case HomingAct::go_to_edge:
        case HomingAct::go_to_index:
          order = walk(homing, order.way);
          break;
        case HomingAct::found:
        case HomingAct::failed:
          return homing;
        default:
          ADD_FAILURE() << "nothing to do";
          return homing;
      }
    }
    ADD_FAILURE() << "no end";
    return homing;
  }

  Homing<std::int32_t>::Order walk(Homing<std::int32_t>& homing, std::int32_t way) {
    for (; way != 0; way -= way > 0 ? 1 : -1) {
      place += way > 0 ? 1 : -1;
      counted += way > 0 ? 1 : -1;
      const bool before = acts;
      look();
      if (acts != before) {
        const auto order = homing.level(acts, counted, other());
        if (order.act != HomingAct::nothing) return order;
      }
      if (homing.minds_other_end() && other()) {
        const auto order = homing.other_end(counted);
        if (order.act != HomingAct::nothing) return order;
      }
    }
    return homing.at_rest(counted);
  }
};

HomingGoal<std::int32_t> goal() {
  HomingGoal<std::int32_t> ways;
  ways.alignment_way = 32;
  ways.approach_range = 3000;
  ways.back_off_range = 600;
  ways.clear_range = 600;
  ways.return_way = 265;
  return ways;
}

TEST(HomingDecisions, EndOnTheSameStepFromAnywhere) {
  for (std::int32_t from = -500; from <= 2900; from += 17) {
    Carriage carriage{from};
    const Homing<std::int32_t> homing = carriage.home(goal());
    ASSERT_EQ(homing.state(), HomingState::found) << from;
    EXPECT_EQ(homing.edge_step() + from, 0) << from;
    EXPECT_EQ(carriage.place, 265) << from;
  }
}

TEST(HomingDecisions, NameWhatIsWrong) {
  Carriage always{400, true, true};
  EXPECT_EQ(always.home(goal()).fault(), HomingFault::still_acts);
  Carriage never{400, false, true};
  const Homing<std::int32_t> homing = never.home(goal());
  EXPECT_EQ(homing.fault(), HomingFault::never_acted);
  EXPECT_EQ(homing.fault_way(), 3000);
  Carriage too_far{4000};
  EXPECT_EQ(too_far.home(goal()).fault(), HomingFault::never_acted);
  // It goes the wrong way: the other end's switch acts on the way.
  HomingGoal<std::int32_t> turned = goal();
  turned.towards = 1;
  Carriage wrong{1000};
  wrong.other_from = 1500;
  const Homing<std::int32_t> other = wrong.home(turned);
  EXPECT_EQ(other.fault(), HomingFault::other_end_acted);
  EXPECT_EQ(other.fault_way(), 500 + 32) << "from where that stage began";
}

TEST(HomingDecisions, PressAgainstAHardEndUntilTheCountStays) {
  HomingGoal<std::int32_t> ways = goal();
  ways.kind = HomingKind::hard_end;
  ways.counts_per_step = -8;
  ways.counts_for_steps = 25;
  Homing<std::int32_t> homing(ways);
  ASSERT_EQ(homing.begin(true).act, HomingAct::settle);
  ASSERT_EQ(homing.settled(0, false).act, HomingAct::go);
  std::int32_t step = 0;
  HomingAct act = HomingAct::nothing;
  // 700 steps down to the end; from there the counter stays.
  for (; act == HomingAct::nothing && step > -2000; --step)
    act = homing.count((step < -700 ? -700 : step) * -8 / 25, step).act;
  EXPECT_EQ(act, HomingAct::end_here);
  EXPECT_NEAR(step, -700 - 64, 4) << "two electrical periods on";
  Homing<std::int32_t> wrong(ways);
  wrong.begin(true);
  wrong.settled(0, false);
  act = HomingAct::nothing;
  for (step = 0; act == HomingAct::nothing && step > -2000; --step)
    act = wrong.count(step * 8 / 25, step).act;
  EXPECT_EQ(act, HomingAct::brake_steeply);
  EXPECT_EQ(wrong.fault(), HomingFault::counts_wrong);
}

}  // namespace
}  // namespace cogstride::chip::homing_test
