// Orders by hand on the simulated bench: each answered once, and nothing runs away.
#include "cogstride/session/operation.hpp"

#include <gtest/gtest.h>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <thread>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"
#include "support/until_then.hpp"

namespace cogstride::operation_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::has;

/// A bench with somebody at it, and all that was answered: "done", "refused: why".
struct Attended {
  explicit Attended(Rig rig = only_with(demo_rig_without_gate(), {"traverse", "feeder"}),
                    Operation::Options options = {})
      : bench(std::move(rig)), by_hand(bench, std::move(options)) {}

  /// @return where its answer will stand
  std::size_t say(const std::string& line, const std::string& by = "keyboard") {
    const std::size_t place = answers.size();
    answers.emplace_back();
    counts.push_back(0);
    bench.post(line, [this, line, by, place] {
      by_hand.take(line, by, [this, place](const Operation::Answer& answer) {
        answers[place] = to_text(answer.kind) + (answer.words.empty() ? std::string() : ": " + answer.words);
        ++counts[place];
      });
    });
    return place;
  }
  void go_on(double seconds) { testing_support::go_on(bench, by_hand, seconds); }
  [[nodiscard]] double place_mm() const { return bench.signal("traverse.asked"); }
  /// Whether every line was answered once.
  [[nodiscard]] bool are_all_answered() const {
    return std::all_of(counts.begin(), counts.end(), [](int count) { return count == 1; });
  }
  [[nodiscard]] MovedState moved(const std::string& name) const {
    for (const MovedState& each : by_hand.state().moved)
      if (each.name == name) return each;
    return {};
  }

  SimulatedBench bench;
  Operation by_hand;
  std::vector<std::string> answers;
  std::vector<int> counts;
};

TEST(Operation, StopsAMotorInMidRampToo) {
  for (int ms = 2; ms < 200; ms += 2) {
    Attended at(only_with(demo_rig_without_gate(), {"feeder"}));
    at.say("jog feeder on at 72 %");
    at.go_on(1e-3 * ms);
    at.say("stop everything");
    at.go_on(1.5);
    const auto stands = at.moved("feeder").counted;
    at.go_on(0.2);
    ASSERT_EQ(at.moved("feeder").counted, stands) << "stopped after " << ms << " ms";
  }
}

TEST(Operation, AnswersEachLineOnceWhenItIsDoneOrAtOnceWhenItIsRefused) {
  Attended at;
  const auto moved = at.say("move traverse to 40 mm");
  const auto beyond = at.say("move traverse to 400 mm");
  const auto wrong = at.say("mvoe traverse to 4 mm");
  const auto none = at.say("   # nothing");
  const auto homed = at.say("fly traverse");
  at.go_on(0.1);
  EXPECT_EQ(at.answers[moved], "") << "it is on its way";
  EXPECT_TRUE(has(at.answers[beyond], "refused: "));
  EXPECT_TRUE(has(at.answers[wrong], "refused: 'mvoe'"));
  EXPECT_TRUE(has(at.answers[homed], "refused: "));
  EXPECT_EQ(at.answers[none], "refused: nothing is asked");
  at.go_on(3.0);
  EXPECT_EQ(at.answers[moved], "done");
  EXPECT_NEAR(at.place_mm(), 40.0, 0.005);
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, GivesAnotherTargetSpeedAndAccelerationToTheMotionThatIsOn) {
  Attended at;
  const auto far = at.say("move traverse to 100 mm");
  at.go_on(0.4);
  const double began = at.place_mm();
  const auto farther = at.say("move traverse by 10 mm");
  at.go_on(0.02);
  EXPECT_EQ(at.answers[far], "superseded: by move traverse by 10 mm");
  const auto slow = at.say("set traverse speed 10 mm/s");
  at.go_on(0.5);
  EXPECT_EQ(at.answers[slow], "done");
  EXPECT_LT(at.place_mm(), began + 25.0) << "it has slowed down";
  EXPECT_NEAR(*at.moved("traverse").speed, 10.0, 0.01);
  const auto near = at.say("move traverse to 20 mm at 60 mm/s");
  at.go_on(3.0);
  EXPECT_EQ(at.answers[farther], "superseded: by move traverse to 20 mm at 60 mm/s");
  EXPECT_EQ(at.answers[near], "done");
  EXPECT_NEAR(at.place_mm(), 20.0, 0.005);
  // What was set holds for the next one too.
  const auto gentle = at.say("set traverse acceleration 20 mm/s2");
  const auto next = at.say("move traverse to 30 mm");
  at.go_on(1.0);
  EXPECT_EQ(at.answers[next], "");
  at.go_on(2.0);
  EXPECT_EQ(at.answers[next], "done");
  EXPECT_EQ(at.answers[gentle], "done");
  for (const char* const wrong :
       {"set traverse speed 90 mm/s", "set traverse speed -1 mm/s", "set traverse speed",
        "set traverse colour 3", "set traverse acceleration 9000 mm/s2", "set traverse nudge -1 mm",
        "set traverse speed 20 mm/s now"}) {
    const auto refused = at.say(wrong);
    at.go_on(0.01);
    EXPECT_TRUE(has(at.answers[refused], "refused: ")) << wrong << ": " << at.answers[refused];
  }
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, NudgesAddUpAndMayComeBeforeTheZeroIsKnown) {
  Attended at;
  at.say("set traverse nudge 0.5 mm");
  at.say("move traverse to 20 mm");
  at.go_on(2.0);
  std::vector<std::size_t> nudges;
  for (int i = 0; i < 5; ++i) {
    nudges.push_back(at.say(i % 2 == 0 ? "nudge traverse on" : "nudge traverse by 0.5 mm"));
    at.go_on(0.01);
  }
  at.go_on(1.0);
  EXPECT_NEAR(at.place_mm(), 22.5, 0.005);
  for (const std::size_t nudge : nudges) EXPECT_EQ(at.answers[nudge], "done");
  const auto beyond = at.say("nudge traverse by 200 mm");
  at.go_on(0.1);
  EXPECT_TRUE(has(at.answers[beyond], "refused: "));
  EXPECT_TRUE(at.are_all_answered());

  Attended gated(only_with(testing_support::demo_rig(), {"traverse"}));
  const auto far = gated.say("nudge traverse by 30 mm");
  gated.say("nudge traverse by 1 mm");
  gated.go_on(0.3);
  const auto added = gated.say("nudge traverse by 1 mm");
  const auto moved = gated.say("move traverse to 5 mm");
  gated.go_on(0.1);
  EXPECT_EQ(gated.answers[far],
            "refused: traverse: nobody knows where it stands: by 4 mm at the most until 'home traverse'");
  EXPECT_TRUE(has(gated.answers[moved], "nobody knows"));
  EXPECT_NEAR(std::abs(*gated.moved("traverse").speed), 2.0, 0.01) << "the slow speed of its homing";
  gated.go_on(2.0);
  EXPECT_EQ(gated.answers[added], "done");
  EXPECT_EQ(gated.moved("traverse").counted, std::lround(2.0 * 1600.0 * 24.0 / 18.0 / 8.0));
  EXPECT_FALSE(gated.moved("traverse").knows_zero);
  const auto home = gated.say("home traverse");
  const auto then = gated.say("move traverse to 5 mm");
  gated.go_on(10.0);
  EXPECT_EQ(gated.answers[home], "done");
  EXPECT_EQ(gated.answers[then], "done");
  EXPECT_NEAR(gated.place_mm(), 5.0, 0.005);
  EXPECT_TRUE(gated.are_all_answered());
}

TEST(Operation, WhoMovesAMechanismHasItUntilItStands) {
  Attended at;
  const auto mine = at.say("move traverse to 60 mm", "keyboard");
  at.say("spin feeder at 40 % until stopped", "pedal");
  at.go_on(0.3);
  Attended spun(only_with(testing_support::demo_rig(), {"spindle"}));
  spun.say("spin spindle at 900 rpm until stopped");
  spun.go_on(3.0);
  EXPECT_EQ(spun.moved("spindle").held_by, "keyboard");
  EXPECT_EQ(at.moved("traverse").held_by, "keyboard");
  EXPECT_EQ(at.moved("feeder").held_by, "pedal");
  const auto other = at.say("move traverse to 10 mm", "socket 1");
  const auto faster = at.say("faster feeder by 10 %", "keyboard");
  const auto nudge = at.say("nudge traverse by 1 mm", "socket 1");
  const auto jog = at.say("jog traverse on", "socket 1");
  const auto set = at.say("set traverse speed 5 mm/s", "socket 1");
  at.go_on(0.05);
  EXPECT_EQ(at.answers[other], "refused: keyboard has traverse until it stands; anyone may 'stop traverse'");
  for (const std::size_t each : {faster, nudge, jog, set})
    EXPECT_TRUE(has(at.answers[each], " until it stands"));
  const auto stop = at.say("stop traverse", "socket 1");
  at.go_on(1.0);
  EXPECT_EQ(at.answers[mine], "superseded: by stop traverse");
  EXPECT_EQ(at.answers[stop], "done");
  EXPECT_EQ(at.moved("traverse").held_by, "");
  const auto now = at.say("move traverse to 10 mm", "socket 1");
  at.go_on(2.0);
  EXPECT_EQ(at.answers[now], "done");
  EXPECT_EQ(at.moved("feeder").held_by, "pedal") << "it goes on";
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, AHoldMaySayItsWayByASign) {
  Attended at;
  at.say("move traverse to 40 mm");
  at.go_on(3.0);
  const auto on = at.say("jog traverse at 10 mm/s");
  at.go_on(0.2);
  const double first = at.place_mm();
  const auto back = at.say("jog traverse at -10 mm/s");
  at.go_on(0.25);
  EXPECT_EQ(at.answers[on], "done");
  EXPECT_EQ(at.answers[back], "done");
  EXPECT_GT(first, 41.0);
  EXPECT_LT(at.place_mm(), first - 1.0);
  const auto none = at.say("jog traverse at 0 mm/s");
  const auto far = at.say("jog traverse at -1000 mm/s");
  at.go_on(0.1);
  EXPECT_TRUE(has(at.answers[none], "above 0"));
  EXPECT_TRUE(has(at.answers[far], "refused"));
}

TEST(Operation, WhatIsHeldThroughAStopAndItsClearingIsLetGoFirst) {
  Attended at;
  const auto held_for = [&](double seconds) {
    std::string last;
    for (double t = 0.0; t < seconds; t += 0.1) {
      const auto said = at.say("jog traverse on at 10 mm/s", "pedal");
      at.go_on(0.1);
      last = at.answers[said];
    }
    return last;
  };
  EXPECT_EQ(held_for(0.5), "done");
  // Both fall between two repeats.
  at.say("stop everything", "keyboard");
  at.say("clear", "keyboard");
  at.go_on(0.05);
  const double stood_at = at.place_mm();
  EXPECT_EQ(held_for(1.0), "refused: traverse: was held when everything was stopped: let it go first");
  EXPECT_EQ(at.place_mm(), stood_at);
  const auto other = at.say("jog traverse on at 10 mm/s", "socket 1");
  at.go_on(0.2);
  EXPECT_EQ(at.answers[other], "done") << "another hand";
  at.go_on(1.0);
  EXPECT_EQ(held_for(0.2), "done") << "it was let go";
  // The same of one that began while everything was stopped, until it says itself that it is let go.
  at.say("stop everything", "keyboard");
  EXPECT_TRUE(has(held_for(0.3), "everything is stopped"));
  at.say("clear", "keyboard");
  EXPECT_TRUE(has(held_for(0.1), "let it go first"));
  at.say("stop everything", "keyboard");
  at.say("stop traverse", "pedal");
  at.say("clear", "keyboard");
  EXPECT_EQ(held_for(0.2), "done");
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, WhatAWayInHeldThatIsGoneComesToRest) {
  Attended at;
  const auto moved = at.say("move traverse to 60 mm", "socket 1");
  at.say("spin feeder at 40 % until stopped", "socket 1");
  at.go_on(0.3);
  at.bench.post("gone", [&] { at.by_hand.lost("socket 1"); });
  at.go_on(4.0);
  EXPECT_EQ(at.answers[moved], "done") << "it had an end of its own";
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.0, 1e-9);
  EXPECT_FALSE(at.by_hand.is_stopped());

  Rig strict = only_with(demo_rig_without_gate(), {"traverse", "feeder"});
  strict.operating.when_lost = Operating::Lost::stop_everything;
  Attended by(strict);
  const auto cut = by.say("move traverse to 60 mm", "socket 1");
  by.go_on(0.3);
  by.bench.post("gone", [&] { by.by_hand.lost("socket 2"); });
  by.go_on(0.1);
  EXPECT_FALSE(by.by_hand.is_stopped()) << "it held nothing";
  by.bench.post("gone", [&] { by.by_hand.lost("socket 1"); });
  by.go_on(1.0);
  EXPECT_TRUE(by.by_hand.is_stopped());
  EXPECT_TRUE(has(by.answers[cut], "fault: "));
}

TEST(Operation, OfAFloodOfValuesTheLastOneWinsAndEachIsAnswered) {
  Attended at;
  at.say("move traverse to 50 mm");
  at.go_on(0.3);
  std::vector<std::size_t> values;
  for (int i = 0; i < 1000; ++i)
    values.push_back(at.say(fmt::format("move traverse to {}.{} mm", 30 + i % 50, i % 10)));
  const auto lamp = at.say("switch lamp on");
  const auto last = at.say("move traverse to 42.5 mm");
  at.go_on(3.0);
  EXPECT_NEAR(at.place_mm(), 42.5, 0.005);
  EXPECT_EQ(at.answers[last], "done");
  EXPECT_EQ(at.answers[lamp], "done");
  for (const std::size_t value : values)
    EXPECT_TRUE(has(at.answers[value], "superseded: by move traverse to "));
  // A stop between two values is no value.
  at.say("move traverse to 10 mm");
  const auto stop = at.say("stop traverse");
  at.say("move traverse to 30 mm");
  at.go_on(3.0);
  EXPECT_EQ(at.answers[stop], "done");
  EXPECT_NEAR(at.place_mm(), 30.0, 0.005);
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, HoldsEveryKindOfMotorAsLongAsItIsSaidAgain) {
  struct Held {
    const char* name;
    const char* order;
    const char* before;
    double least;  // of what it turns with, in its own unit
  };
  for (const Held& held : {Held{"creel", "jog creel on at 20 deg/s", "", 19.0},
                           Held{"spindle", "jog spindle back at 400 rpm", "", 300.0},
                           Held{"feeder", "jog feeder on at 40 %", "", 150.0},
                           Held{"snips", "jog snips on at 20 deg/s", "swing snips to 10 deg", 0.0}}) {
    Rig rig = only_with(testing_support::demo_rig(), {held.name});
    for (Mechanism& mechanism : rig.mechanisms)
      if (mechanism.name == "creel") mechanism.homing.reset();
    Attended at(rig);
    if (*held.before != 0) at.say(held.before);
    at.go_on(2.0);
    const double before = at.moved(held.name).place.value_or(0.0);
    for (int i = 0; i < 15; ++i) {
      const auto said = at.say(held.order);
      at.go_on(0.1);
      EXPECT_EQ(at.answers[said], "done") << held.order;
    }
    const MovedState now = at.moved(held.name);
    EXPECT_EQ(now.held_by, "keyboard") << held.name;
    if (held.least > 0.0) {
      EXPECT_GT(std::abs(now.speed.value_or(0.0)), held.least) << held.name;
    }
    at.go_on(8.0);
    EXPECT_EQ(at.moved(held.name).held_by, "") << held.name << " stands again";
    EXPECT_FALSE(at.moved(held.name).is_driven) << held.name;
    if (held.name == std::string("snips")) {
      EXPECT_NEAR(*at.moved("snips").place - before, 20.0 * 1.8, 6.0);
    }
    EXPECT_TRUE(at.are_all_answered());
  }
}

// A stick is never quite still: a hair more for one wheel, said on its ramp, is no ramp of its own.
TEST(Operation, ACartGoesOnWithItsRampWhenALittleMoreIsSaid) {
  Attended at(read_rig(testing_support::cart_rig_path));
  const std::string cart = at.bench.rig().pairs.front().name;
  at.say("jog " + cart + " at 200 mm/s and 0 deg/s");
  at.go_on(0.02);
  // The left wheel changes by a hundredth of what the right one does.
  const double half_track = 500.0 * at.bench.rig().pairs.front().track.in(units::m);
  for (int i = 0; i < 20; ++i) {
    const double turn = i % 2 == 0 ? 0.0 : 0.1;
    at.say(fmt::format("jog {} at {} mm/s and {} deg/s", cart, 200.0 + 0.98 * turn * half_track,
                       turn * 180.0 / pi));
    at.go_on(0.05);
  }
  const double before = at.bench.cart_pose(cart).x;
  at.say("jog " + cart + " at 200 mm/s and 0 deg/s");
  at.go_on(0.2);
  EXPECT_NEAR((at.bench.cart_pose(cart).x - before) / 0.2, 0.2, 0.01);
}

TEST(Operation, ACartIsHeldByKeysAndItsWheelsAreItsOwn) {
  Attended at(read_rig(testing_support::cart_rig_path));
  const std::string cart = at.bench.rig().pairs.front().name;
  const std::string wheel = at.bench.rig().pairs.front().left;
  for (int i = 0; i < 20; ++i) {
    at.say("jog " + cart + " on at 100 mm/s");
    at.go_on(0.1);
  }
  const auto wheel_alone = at.say("spin " + wheel + " at 20 % until stopped", "socket 1");
  at.go_on(0.01);
  EXPECT_TRUE(has(at.answers[wheel_alone], "keyboard has " + wheel)) << at.answers[wheel_alone];
  at.go_on(3.0);
  EXPECT_GT(at.bench.cart_pose(cart).x, 0.12);
  EXPECT_LT(at.bench.cart_pose(cart).x, 0.25);
  EXPECT_EQ(at.moved(cart).held_by, "");
  for (int i = 0; i < 10; ++i) {
    at.say("jog " + cart + " left at 60 deg/s");
    at.go_on(0.1);
  }
  const auto ways = at.say("jog " + cart + " on");
  at.go_on(3.0);
  EXPECT_TRUE(has(at.answers[ways], "refused: "));
  EXPECT_GT(at.bench.cart_pose(cart).heading, 0.3);
}

TEST(Operation, ACartIsSteeredByTwoAxes) {
  Attended at(read_rig(testing_support::cart_rig_path));
  const std::string cart = at.bench.rig().pairs.front().name;
  const auto steer = [&](const std::string& how, int tenths) {
    for (int i = 0; i < tenths; ++i) {
      const auto said = at.say("jog " + cart + " at " + how);
      at.go_on(0.1);
      EXPECT_EQ(at.answers[said], "done") << how;
    }
  };
  // On an arc of v over the turn, as the closed form has it.
  steer("100 mm/s and 30 deg/s", 25);
  at.go_on(2.0);
  const double radius = 0.1 / (30.0 * pi / 180.0);
  const CartPose arc = at.bench.cart_pose(cart);
  EXPECT_GT(arc.heading, 60.0 * pi / 180.0);
  EXPECT_NEAR(arc.x, radius * std::sin(arc.heading), 0.01);
  EXPECT_NEAR(arc.y, radius * (1.0 - std::cos(arc.heading)), 0.01);
  EXPECT_EQ(at.moved(cart).held_by, "") << "it stands again";
  // Straight back, and round on the spot, without coming to rest between.
  steer("-100 mm/s and 0 deg/s", 10);
  steer("0 mm/s and -60 deg/s", 15);
  at.go_on(2.0);
  const CartPose end = at.bench.cart_pose(cart);
  EXPECT_LT(end.heading, arc.heading - 60.0 * pi / 180.0);
  EXPECT_LT(std::cos(arc.heading) * (end.x - arc.x) + std::sin(arc.heading) * (end.y - arc.y), -0.05);
  const auto fast = at.say("jog " + cart + " at 9 m/s and 0 deg/s");
  const auto kinds = at.say("jog " + cart + " at 30 deg/s and 2 mm/s");
  at.go_on(0.05);
  EXPECT_TRUE(has(at.answers[fast], "its left wheel would have to roll at"));
  EXPECT_TRUE(has(at.answers[kinds], "refused: "));
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, AZeroIsGivenByHandOnlyWhereNoSensorFindsIt) {
  Attended at;
  at.say("move traverse to 20 mm");
  at.go_on(2.0);
  const auto zero = at.say("zero traverse here");
  at.go_on(0.01);
  EXPECT_EQ(at.answers[zero], "done: its travel is from 0 mm to 118 mm from here");
  EXPECT_NEAR(at.place_mm(), 0.0, 1e-9);
  const auto back = at.say("move traverse to -20 mm");
  at.go_on(0.01);
  EXPECT_TRUE(has(at.answers[back], "refused: "));
  Attended gated(only_with(testing_support::demo_rig(), {"traverse"}));
  const auto refused = gated.say("zero traverse here");
  gated.go_on(0.01);
  EXPECT_TRUE(has(gated.answers[refused], "'home traverse' finds it"));
}

TEST(Operation, PlaysPausesAndEndsAScriptAndOneOfItsPatterns) {
  const std::filesystem::path folder = testing::TempDir() + "operation_scripts";
  std::filesystem::create_directories(folder);
  std::ofstream(folder / "shuttle.moves")
      << "pattern lay width 20 mm\n  move traverse by width\n  wait 0.1 s\n"
         "  move traverse by -width\nend\nrepeat without end\n  lay\nend\n";
  Attended at(only_with(demo_rig_without_gate(), {"traverse", "feeder"}), {folder, {}});
  const auto played = at.say("play shuttle.moves");
  at.go_on(0.3);
  EXPECT_EQ(at.by_hand.state().script, "shuttle.moves");
  EXPECT_EQ(at.by_hand.state().statement, "move traverse by width");
  const auto mine = at.say("move traverse to 5 mm");
  const auto twice = at.say("play shuttle.moves");
  const auto pause = at.say("pause");
  at.go_on(3.0);
  EXPECT_TRUE(has(at.answers[mine], "refused: shuttle.moves has traverse"));
  EXPECT_TRUE(has(at.answers[twice], "refused: shuttle.moves is played"));
  EXPECT_EQ(at.answers[pause], "done");
  EXPECT_TRUE(at.by_hand.state().script_is_paused);
  const double stands = at.place_mm();
  EXPECT_NEAR(stands, 20.0, 0.005) << "what was on came to its end";
  at.say("resume");
  at.go_on(0.4);
  EXPECT_NE(at.place_mm(), stands);
  const auto ends = at.say("end script");
  at.go_on(1.0);
  EXPECT_EQ(at.answers[ends], "done");
  EXPECT_EQ(at.answers[played], "superseded: by end script");
  at.say("move traverse to 40 mm");
  at.go_on(2.0);
  const auto pattern = at.say("play shuttle.moves lay width 5 mm");
  at.go_on(0.3);
  EXPECT_GT(at.place_mm(), 41.0);
  at.go_on(1.5);
  EXPECT_EQ(at.answers[pattern], "done");
  EXPECT_NEAR(at.place_mm(), 40.0, 0.005);
  for (const char* const wrong : {"play", "play ../other.moves", "play nothing.moves",
                                  "play shuttle.moves fold", "pause", "resume", "end script"}) {
    const auto refused = at.say(wrong);
    at.go_on(0.01);
    EXPECT_TRUE(has(at.answers[refused], "refused: ")) << wrong << ": " << at.answers[refused];
  }
  EXPECT_TRUE(at.are_all_answered());
}

TEST(Operation, KeepsWhatWasSetAndTaught) {
  std::vector<SetByHand> kept;
  Attended at(only_with(demo_rig_without_gate(), {"traverse", "feeder"}),
              {{}, [&](const std::vector<SetByHand>& all, const Operation::Told& said) {
                 kept = all;
                 said({Operation::Answer::Kind::done, "kept", 0});
               }});
  const auto nothing = at.say("keep");
  at.say("set traverse speed 20 mm/s");
  at.say("set feeder speed 300 rpm");
  at.say("move traverse to 50 mm");
  at.go_on(5.0);
  at.say("teach traverse far limit");
  const auto keep = at.say("keep");
  at.go_on(0.1);
  EXPECT_TRUE(has(at.answers[nothing], "refused: nothing has been set"));
  EXPECT_EQ(at.answers[keep], "done: kept");
  ASSERT_EQ(kept.size(), 2U);
  EXPECT_EQ(kept[0].mechanism, "traverse");
  EXPECT_EQ(to_text(*kept[0].by_hand.speed), "20 mm/s");
  ASSERT_TRUE(kept[0].far_limit);
  EXPECT_EQ(to_text(*kept[0].far_limit), "50 mm");
  EXPECT_EQ(to_text(*kept[1].by_hand.speed), "1800 deg/s");
}

TEST(Operation, KnowsWhatTurnsWhenTheNextOrderComes) {
  Attended at;
  at.say("spin feeder at 40 % in 0.2 s until stopped");
  at.go_on(1.0);
  const auto faster = at.say("faster feeder by 10 %");
  at.go_on(1.0);
  EXPECT_EQ(at.answers[faster], "done");
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.5, 1e-9);
  const auto stop = at.say("stop feeder");
  at.go_on(5.0);
  EXPECT_EQ(at.answers[stop], "done");
  const auto again = at.say("faster feeder by 10 %");
  at.go_on(0.1);
  EXPECT_TRUE(has(at.answers[again], "refused: "));
}

TEST(Operation, AJogGoesOnAsLongAsItIsSaidAgain) {
  Attended at;
  at.say("move traverse to 20 mm");
  at.go_on(2.0);
  for (int i = 0; i < 10; ++i) {
    EXPECT_EQ(at.answers.size(), static_cast<std::size_t>(1 + i));
    at.say("jog traverse on at 10 mm/s");
    at.go_on(0.1);
  }
  EXPECT_EQ(at.by_hand.held(), std::vector<std::string>{"traverse on"});
  const double pushed = at.place_mm();
  EXPECT_GT(pushed, 28.0);
  // Whoever pushed is gone: the link is dead, the process is stopped.
  at.go_on(1.0);
  EXPECT_TRUE(at.by_hand.held().empty());
  EXPECT_LE(at.place_mm(), pushed + 10.0 * 0.31 + 0.1);
  const double stands = at.place_mm();
  at.go_on(0.5);
  EXPECT_EQ(at.place_mm(), stands);
  // The other way, and released.
  at.say("jog traverse back at 10 mm/s");
  at.go_on(0.1);
  at.say("stop traverse");
  at.go_on(0.5);
  EXPECT_LT(at.place_mm(), stands);
  EXPECT_GT(at.place_mm(), stands - 2.0);
  at.say("jog traverse on at 10 mm/s");
  const auto after = at.say("move traverse to 5 mm in 2 s");
  at.go_on(0.2);
  EXPECT_TRUE(has(at.answers[after], "refused: traverse is jogged: 'stop' it first"));
  // An order of one's own takes the place of a hold, from the state that it is in.
  at.say("jog traverse on at 10 mm/s");
  at.go_on(0.2);
  const auto instead = at.say("move traverse to 25 mm");
  at.go_on(1.0);
  EXPECT_TRUE(at.by_hand.held().empty());
  EXPECT_EQ(at.answers[instead], "done");
  EXPECT_NEAR(at.place_mm(), 25.0, 0.005);
  for (const int count : at.counts) EXPECT_EQ(count, 1);
}

TEST(Operation, AJogStaysInsideTheTravelAndWantsAZero) {
  Attended at;
  at.say("move traverse to 117 mm");
  at.go_on(4.0);
  for (int i = 0; i < 20; ++i) {
    at.say("jog traverse on at 20 mm/s");
    at.go_on(0.1);
  }
  EXPECT_NEAR(at.place_mm(), 118.0, 0.01) << "its travel ends there";
  Attended gated(only_with(testing_support::demo_rig(), {"traverse"}));
  const auto pushed = gated.say("jog traverse on");
  const auto moved = gated.say("move traverse to 5 mm");
  gated.go_on(0.2);
  EXPECT_TRUE(has(gated.answers[pushed], "nobody knows where it stands: 'home traverse' comes first"));
  EXPECT_TRUE(has(gated.answers[moved], "refused: "));
}

TEST(Operation, StopEverythingComesFirstAndOnlyClearAfterIt) {
  for (const bool from_elsewhere : {false, true}) {
    Attended at;
    const auto moved = at.say("move traverse to 100 mm");
    const auto waits = at.say("wait 30 s");
    at.go_on(0.5);
    std::size_t stop = 0;
    if (from_elsewhere) {
      std::thread([&] { at.by_hand.stop_everything(); }).join();
    } else {
      stop = at.say("stop everything");
    }
    const auto late = at.say("move traverse to 10 mm");
    at.go_on(1.0);
    EXPECT_TRUE(has(at.answers[moved], "fault: "));
    EXPECT_TRUE(has(at.answers[waits], "fault: everything was stopped"));
    EXPECT_TRUE(
        has(at.answers[late], "refused: everything is stopped: 'clear' comes before any other order"));
    if (!from_elsewhere) {
      EXPECT_TRUE(has(at.answers[stop], "done"));
    }
    const double stands = at.place_mm();
    EXPECT_LT(stands, 60.0);
    const auto clear = at.say("clear");
    at.go_on(1.0);
    EXPECT_TRUE(has(at.answers[clear], "done: orders are taken again"));
    EXPECT_EQ(at.place_mm(), stands) << "nothing moves by clearing";
    const auto on = at.say("move traverse to 10 mm");
    at.go_on(3.0);
    EXPECT_EQ(at.answers[on], "done");
    EXPECT_NEAR(at.place_mm(), 10.0, 0.005);
    for (const int count : at.counts) EXPECT_EQ(count, 1);
  }
}

TEST(Operation, EndsWhenNothingIsOnItsWayAnyMore) {
  Attended at;
  at.say("move traverse to 40 mm");
  const auto end = at.say("end");
  const auto late = at.say("move traverse to 50 mm");
  at.go_on(0.1);
  EXPECT_EQ(at.answers[end], "done");
  EXPECT_TRUE(has(at.answers[late], "refused: it comes to its end"));
  EXPECT_FALSE(at.by_hand.has_ended());
  at.go_on(2.0);
  EXPECT_TRUE(at.by_hand.has_ended());
}

}  // namespace
}  // namespace cogstride::operation_test
