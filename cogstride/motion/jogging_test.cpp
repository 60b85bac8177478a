// Going by hand, of a mover alone on scripted lines.
#include "cogstride/motion/jogging.hpp"

#include <gtest/gtest.h>

#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::jogging_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::OnScript;

constexpr LineId step{0};
constexpr Tick second = 48'000'000;

struct Jogged {
  Rig rig = demo_rig_without_gate();
  StepperMover mover{rig.mechanisms[0], MechanismId{0}, rig.controller};
  OnScript on{mover};
  Jogging jogging{mover, OutputSpeed(20_mm_per_s), false};
  Jogged() { on.loop.add(mover); }

  void want(int way, Tick lasts) {
    jogging.want(on.front(), way);
    on.run_to(on.now() + lasts);
  }
  [[nodiscard]] double millimetres() { return 1e3 * mover.position(on.now())->base.to_double(); }
};

TEST(Jogging, GoesAsLongAsItIsAskedToAndStopsOnARamp) {
  Jogged it;
  EXPECT_FALSE(it.jogging.would_change(0));
  EXPECT_TRUE(it.jogging.would_change(1));
  it.want(1, second);
  EXPECT_FALSE(it.jogging.stands(it.on.now()));
  EXPECT_FALSE(it.jogging.would_change(1));
  it.want(0, second);
  EXPECT_TRUE(it.jogging.stands(it.on.now()));
  EXPECT_NEAR(it.millimetres(), 20.0, 0.3) << "20 mm/s for 1 s, with a ramp at each end";
}

TEST(Jogging, TurnsRoundOnlyOnceItStands) {
  Jogged it;
  it.want(1, second);
  it.want(-1, 1);
  EXPECT_FALSE(it.jogging.would_change(-1)) << "it brakes first";
  EXPECT_TRUE(it.on.run_until([&] { return it.jogging.stands(it.on.now()); }));
  const double turned_at = it.millimetres();
  EXPECT_TRUE(it.jogging.would_change(-1));
  it.want(-1, second / 2);
  it.want(0, second / 2);
  EXPECT_NEAR(turned_at - it.millimetres(), 10.0, 0.3);
}

TEST(Jogging, AtAnEndOfItsTravelItStaysThere) {
  Jogged it;
  it.want(1, 10 * second);
  EXPECT_TRUE(it.jogging.stands(it.on.now()));
  const double end = 1e3 * it.rig.mechanisms[0].limits.travel_to->base.to_double();
  EXPECT_EQ(it.millimetres(), end);
  const std::size_t pulses = it.on.lines.player.pulses[step].size();
  EXPECT_FALSE(it.jogging.would_change(1));
  it.want(1, second);
  EXPECT_EQ(it.on.lines.player.pulses[step].size(), pulses);
  it.want(-1, second);
  EXPECT_LT(it.millimetres(), end - 10.0) << "the other way at once";
}

TEST(Jogging, SaysWhoCannotBeJogged) {
  const Rig rig = testing_support::demo_rig();
  ServoMover snips(mechanism_named(rig, "snips"), MechanismId{0}, rig.controller);
  EXPECT_THROW(Jogging(snips, OutputSpeed(OutputKind::rotary, 1), false), RangeError);
}

}  // namespace
}  // namespace cogstride::jogging_test
