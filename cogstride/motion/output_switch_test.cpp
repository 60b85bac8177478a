// A plain output alone on scripted lines.
#include "cogstride/motion/output_switch.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/quantity/error.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/on_script.hpp"

namespace cogstride::output_switch_test {
namespace {

using namespace literals;
using testing_support::OnScript;

constexpr LineId line{39};

PlainOutput lamp(bool fades) {
  PlainOutput output;
  output.name = "lamp";
  output.line = {39};
  if (fades) {
    output.timer = "light";
    output.pwm_frequency = 1_kHz;
  }
  return output;
}

TEST(OutputSwitch, IsSwitchedByItsLevel) {
  OutputSwitch lit(lamp(false), 48_MHz);
  OnScript on({lit.line_setup()});
  on.loop.add(lit);
  lit.set(on.front(), true);
  on.run_to(1000);
  EXPECT_EQ(on.lines.player.level(line), true);
  lit.set(on.front(), false);
  on.run_to(2000);
  EXPECT_EQ(on.lines.player.level(line), false);
}

// Edge by edge, a hundred times a second, and done when it says so.
TEST(OutputSwitch, FadesAPlainLineEdgeByEdge) {
  OutputSwitch lit(lamp(false), 48_MHz);
  OnScript on({lit.line_setup()});
  on.loop.add(lit);
  const Tick period = 480'000;
  lit.fade(on.front(), 0.25, 0);
  on.run_to(10 * period);
  EXPECT_FALSE(lit.is_fading());
  lit.fade(on.front(), 1.0, 10 * period);
  EXPECT_TRUE(lit.is_fading());
  on.run_to(40 * period);
  EXPECT_FALSE(lit.is_fading());
  EXPECT_TRUE(on.lines.player.level(line));
  EXPECT_EQ(lit.next_act(), never) << "fully on nothing is switched";
  EXPECT_THROW(lit.fade(on.front(), 1.5, 100), RangeError);
}

// An edge of the period that it is in is on its way already: what is switched comes after it, and stays.
TEST(OutputSwitch, IsSwitchedAfterTheEdgesOfAFadeWhereverInItsPeriod) {
  const Tick period = 480'000;
  for (int tenth = 0; tenth < 10; ++tenth)
    for (const bool wanted : {true, false}) {
      OutputSwitch lit(lamp(false), 48_MHz);
      OnScript on({lit.line_setup()});
      on.loop.add(lit);
      lit.fade(on.front(), 0.4, 0);
      const Tick at = 5 * period + tenth * period / 10;
      on.run_to(at);
      lit.set(on.front(), wanted);
      on.run_to(at + period);
      EXPECT_EQ(on.lines.player.level(line), wanted) << tenth;
      on.run_to(at + 5 * period);
      EXPECT_EQ(on.lines.player.level(line), wanted) << tenth;
      lit.fade(on.front(), 1.0, 0);
      on.run_to(at + 10 * period);
      EXPECT_TRUE(on.lines.player.level(line)) << tenth;
    }
}

TEST(OutputSwitch, FadesEvenlyAndEndsExactly) {
  OutputSwitch lit(lamp(true), 48_MHz);
  OnScript on({lit.line_setup()}, {*lit.pwm_setup()});
  on.loop.add(lit);
  const Tick second = 48'000'000;
  lit.fade(on.front(), 0.8, second);
  for (int tenth = 1; tenth < 10; ++tenth) {
    on.run_to(tenth * second / 10);
    EXPECT_TRUE(lit.is_fading());
    EXPECT_NEAR(static_cast<double>(on.lines.player.on_ticks(line)) / 48'000, 0.08 * tenth, 0.8 / 180);
  }
  on.run_to(2 * second);
  EXPECT_FALSE(lit.is_fading());
  EXPECT_EQ(on.lines.player.on_ticks(line), 38'400);
  lit.fade(on.front(), 0.0, second);
  on.run_to(2 * second + second / 2);
  lit.set(on.front(), true);  // ends the fade
  on.run_to(4 * second);
  EXPECT_EQ(on.lines.player.on_ticks(line), 48'000);
  EXPECT_THROW(lit.fade(on.front(), 1.5, second), RangeError);
  on.front().cut();
  lit.lines_were_cut();
  EXPECT_EQ(lit.share(), 0.0);
}

}  // namespace
}  // namespace cogstride::output_switch_test
