#include "cogstride/export/chip_hands.hpp"

#include <gtest/gtest.h>

#include "cogstride/rig/files/read_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::chip_hands_test {
namespace {

using Does = ChipAct::Does;

Rig lace() {
  return read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
}
/// What the key `on` does when it is bound to an order.
ChipHands bound_to(const std::string& order) {
  Rig rig = lace();
  rig.bindings = {Binding{.name = "x", .control = "on", .on = order}};
  return chip_hands(rig, {0, 1});
}
ChipAct act(const std::string& order) {
  const ChipHands hands = bound_to(order);
  EXPECT_TRUE(hands.left.empty()) << hands.left.front().why;
  return hands.keys.empty() ? ChipAct{} : *hands.keys.front().on;
}

TEST(ChipHands, TakeOrdersOfOneAxisInSteps) {
  EXPECT_EQ(act("jog carriage on").does, Does::hold);
  EXPECT_EQ(act("jog carriage back at 10 mm/s").steps, -1);
  EXPECT_EQ(act("jog carriage back at 10 mm/s").speed, 1600);
  EXPECT_EQ(act("nudge carriage by -0.5 mm").steps, -80);
  EXPECT_EQ(act("move carriage to 12 mm at 5 mm/s").steps, 1920);
  EXPECT_EQ(act("move carriage to 12 mm at 5 mm/s").speed, 800);
  EXPECT_EQ(act("turn ring by 10 deg").does, Does::nudge);
  EXPECT_EQ(act("turn ring by 10 deg").axis, 1u);
  EXPECT_EQ(act("spin ring at -20 deg/s until stopped").steps, -1);
  EXPECT_EQ(act("home ring").does, Does::home);
  EXPECT_EQ(act("stop ring").does, Does::rest);
  EXPECT_EQ(act("stop everything").does, Does::rest_all);
  EXPECT_EQ(act("clear").does, Does::clear);
  EXPECT_TRUE(act("switch lamp on").on);
}

TEST(ChipHands, SayWhyTheyLeaveSomething) {
  const auto why = [](const std::string& order) {
    const ChipHands hands = bound_to(order);
    return hands.left.empty() ? "" : hands.left.front().why;
  };
  EXPECT_EQ(why("play lace.moves"), "'play' by a hand takes a planner");
  EXPECT_EQ(why("nudge carriage on"), "the rig does not say by how much");
  EXPECT_TRUE(testing_support::has(why("turn ring to station 2 the short way"), "station"));
  Rig rig = lace();
  rig.bindings = {Binding{.name = "x", .control = "key f", .on = "stop ring"}};
  EXPECT_EQ(chip_hands(rig, {0, 1}).left.front().why, "a chip has no terminal");
  rig.bindings = {Binding{.name = "x", .control = "on", .on = "stop ring"}};
  EXPECT_EQ(chip_hands(rig, {0}).left.front().why, "the program does not move ring");
}

TEST(ChipHands, TurnAKnobIntoSpeedsAndPlaces) {
  Rig rig = lace();
  const auto knob = [&](const std::string& value, const std::string& from, const std::string& to) {
    rig.bindings = {Binding{.name = "x", .control = "dial", .value = value, .from = from, .to = to}};
    return chip_hands(rig, {0, 1}).knobs.at(0);
  };
  const ChipKnob usual = knob("set carriage speed VALUE", "2 mm/s", "50 mm/s");
  EXPECT_EQ(usual.does, ChipKnob::Does::usual_speed);
  EXPECT_EQ(usual.from, 320);
  EXPECT_EQ(usual.to, 8000);
  // Ends and what counts as turned are those of the host's scale: 0.5 % of the travel, 5 deviations of the
  // noise.
  EXPECT_NEAR(usual.low, 4096 * (0.005 + 0.01 * 0.99), 2.0) << "what is nothing of a share, too";
  EXPECT_NEAR(usual.high, 4096 * 0.995, 1.5);
  EXPECT_GE(usual.still, 4096 / 500);
  EXPECT_EQ(knob("move carriage to VALUE", "80 mm", "0 mm").from, 12'800);
  EXPECT_EQ(knob("spin ring at VALUE until stopped", "-5 deg/s", "-30 deg/s").does, ChipKnob::Does::spin);
}

}  // namespace
}  // namespace cogstride::chip_hands_test
