#include "cogstride/bench/simulated/outside_event.hpp"

#include <gtest/gtest.h>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/hand_wheel.hpp"
#include "support/inside.hpp"

namespace cogstride::outside_event_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

TEST(OutsideEvents, ReadsOneLineAHappening) {
  const std::vector<OutsideEvent> events = parse_events(
      "# a pedal\nat 3 s pedal on\r\n\n\tat 3.5s pedal off # let go\nat 200 ms traverse.gate free",
      "x.events", demo_rig());
  ASSERT_EQ(events.size(), 3u);
  EXPECT_EQ(events[0].at, 3_s);
  EXPECT_EQ(events[0].what, "pedal");
  EXPECT_EQ(events[1].on, false);
  EXPECT_EQ(events[2].at, 0.2_s);
  EXPECT_EQ(events[2].on, std::nullopt);
}

TEST(OutsideEvents, FindsEveryErrorInOneGoAndSaysWhereItIs) {
  try {
    (void)parse_events(
        "at 3 s pedl on\nat 3 mm pedal on\npedal on\nat -1 s pedal on\nat 1 s pedal up\nat 1 s main free",
        "x.events", demo_rig());
    FAIL() << "nothing was wrong";
  } catch (const InputError& error) {
    ASSERT_EQ(error.diagnostics().size(), 6u);
    const auto says = [&](std::size_t i, const char* part) {
      EXPECT_NE(to_text(error.diagnostics()[i]).find(part), std::string::npos)
          << to_text(error.diagnostics()[i]);
    };
    says(0,
         "x.events:1:1: nothing called 'pedl' happens to this rig, did you mean pedal?; there are: pedal, "
         "left");
    says(1, "x.events:2:1:");
    says(2, "write 'at TIME NAME on'");
    says(3, "before the start");
    says(4, "found 'up'; expected on, off or free");
    says(5, "main is on or off; only a switch of a mechanism can be free");
  }
}

TEST(OutsideEvents, AnEncoderWheelIsTurnedByClicks) {
  Rig rig = demo_rig();
  rig.hands.push_back(testing_support::hand_wheel());
  const auto events =
      parse_events("at 1 s handwheel 2 clicks in 80 ms\nat 2s handwheel -1 click in 0.1 s", "x.events", rig);
  ASSERT_EQ(events.size(), 2u);
  EXPECT_EQ(events[0].clicks, 2);
  EXPECT_EQ(to_text(events[0]), "handwheel 2 clicks in 0.08 s");
  EXPECT_EQ(to_text(events[1]), "handwheel -1 click in 0.1 s");
  SimulatedBench bench(rig, {.events = events});
  std::string tracks;
  for (int i = 0; i < 300; ++i) {
    bench.serve(0.01_s);
    const char now = static_cast<char>('0' + (bench.inputs().acts(LineId{50}).value_or(false) ? 1 : 0) +
                                       (bench.inputs().acts(LineId{51}).value_or(false) ? 2 : 0));
    if (tracks.empty() || tracks.back() != now) tracks += now;
  }
  EXPECT_EQ(tracks, "3201320131023") << "low acts: A leads forwards, and B back";
  for (const char* const wrong : {"pedal 3 clicks", "pedal 40 %", "traverse.gate 40 %", "main 3 rpm",
                                  "handwheel on", "handwheel 0 clicks", "handwheel 1.5 clicks"})
    EXPECT_THROW((void)parse_events(std::string("at 1 s ") + wrong, "x.events", rig), InputError) << wrong;
}

TEST(OutsideEvents, APressedPedalBouncesAndCountsOnce) {
  SimulatedBench bench(demo_rig(), {.events = {{1_s, "pedal", true}, {2_s, "pedal", false}}});
  const LineId pedal{35};
  std::vector<double> changes;
  std::optional<bool> before;
  for (int i = 0; i < 300; ++i) {
    bench.serve(0.01_s);
    const std::optional<bool> now = bench.inputs().acts(pedal);
    if (before && now != before) changes.push_back(bench.now().in(units::s));
    before = now;
  }
  ASSERT_EQ(changes.size(), 2u) << "bounce of 8 ms is nothing to a contact wanted steady for 20 ms";
  EXPECT_NEAR(changes[0], 1.03, 0.011);
  EXPECT_NEAR(changes[1], 2.03, 0.011);
}

TEST(OutsideEvents, AnEmergencyStopCutsItsSupplyWithoutAnyProgram) {
  SimulatedBench bench(demo_rig(),
                       {.start_positions = {{"traverse", 3_mm}}, .events = {{4_s, "halt", true}}});
  auto traverse = bench.stepper("traverse");
  traverse.home().wait();
  (void)traverse.move({.to = 110_mm, .speed = 20_mm_per_s}).result();
  bench.serve(0.2_s);
  EXPECT_EQ(bench.plant("traverse").current_a(), 0.0);
  EXPECT_EQ(bench.inputs().acts(LineId{5}), false) << "and the line that tells of the supply says so";
}

}  // namespace
}  // namespace cogstride::outside_event_test
