#include "cogstride/motion/knob.hpp"

#include <gtest/gtest.h>

#include <array>

#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::knob_test {
namespace {

using testing_support::demo_rig;
using testing_support::OnScript;

TEST(Knob, SaysItsShareOfWhatItsInputSays) {
  const Rig rig = demo_rig();
  const HandControl* dial = nullptr;
  for (const HandControl& hand : rig.hands)
    if (hand.kind == HandControl::Kind::knob) dial = &hand;
  ASSERT_NE(dial, nullptr);
  Knob knob(*dial, rig.controller);
  OnScript on(std::vector<LineSetup>{});
  const SourceId source = analogue_source(*dial->channel);
  on.lines.player.says(source, 4095 / 2);
  on.loop.add(knob);
  EXPECT_FALSE(knob.is_known());
  on.run_to(48'000'000);
  EXPECT_TRUE(knob.is_known());
  EXPECT_NEAR(knob.share().base(), 0.5, 0.02);
  on.lines.player.says(source, 4095);
  on.run_to(96'000'000);
  EXPECT_NEAR(knob.share().base(), 1.0, 0.01);
  on.front().cut();
  knob.read_again();
  on.lines.player.says(source, 0);
  on.run_to(144'000'000);
  EXPECT_NEAR(knob.share().base(), 0.0, 0.01) << "it is asked for again";
  Controller without = rig.controller;
  without.analogue.reset();
  EXPECT_THROW(Knob(*dial, without), RangeError);
}

}  // namespace
}  // namespace cogstride::knob_test
