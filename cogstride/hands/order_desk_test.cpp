// Lines from ways in, through the desk, to a bench: answered once, in their order, whatever comes.
#include "cogstride/hands/order_desk.hpp"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/bindings.hpp"
#include "cogstride/hands/state_line.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/hand_wheel.hpp"
#include "support/refusal.hpp"
#include "support/until_then.hpp"

namespace cogstride::order_desk_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::go_on;
using testing_support::has;
using testing_support::refusal_of;

struct AtTheDesk {
  explicit AtTheDesk(Rig rig = only_with(demo_rig_without_gate(), {"traverse", "feeder"}))
      : bench(std::move(rig)) {}
  void say(const std::string& text) { desk.line(way, text); }
  void go(double seconds) { go_on(bench, operation, seconds); }

  SimulatedBench bench;
  Operation operation{bench};
  OrderDesk desk{bench, operation};
  std::vector<std::string> said;
  std::shared_ptr<OrderDesk::Way> way = desk.open(
      "keyboard", [this](std::string line) { said.push_back(std::move(line)); }, false);
};

TEST(OrderDesk, AnswersEachLineInItsTurnReadableOrNot) {
  AtTheDesk at;
  at.say("@1 switch lamp on");
  at.say("{\"order\": 3}");
  at.say("@3 switch lamp off");
  at.say("");
  at.go(0.1);
  ASSERT_EQ(at.said.size(), 4U);
  EXPECT_EQ(at.said[3], "refused: nothing is asked");
  EXPECT_EQ(at.said[0], "@1 done: switch lamp on");
  EXPECT_TRUE(has(at.said[1], "it has no `order`"));
  EXPECT_EQ(at.said[2], "@3 done: switch lamp off");
  EXPECT_EQ(at.way->waiting(), 0);
}

TEST(OrderDesk, ShowsHowEverythingIsAsOftenAsItIsAsked) {
  AtTheDesk at;
  at.say("watch every 100 ms");
  at.say("move traverse to 40 mm");
  at.go(1.05);
  const auto is_state = [](const std::string& line) { return line.starts_with("state: "); };
  EXPECT_EQ(std::count_if(at.said.begin(), at.said.end(), is_state), 11);
  EXPECT_TRUE(has(at.said[4], "traverse "));
  EXPECT_TRUE(has(at.said[4], "move to 40 mm, held by keyboard"));
  const std::size_t before = at.said.size();
  at.say("watch off");
  at.go(1.0);
  EXPECT_EQ(at.said.size(), before + 1);
  for (const char* const wrong :
       {"watch", "watch every", "watch every 1 ms", "watch every 3 mm", "watch every 2 h"}) {
    at.say(wrong);
    at.go(0.01);
    EXPECT_TRUE(has(at.said.back(), "refused: ")) << wrong;
  }
  at.say("show traverse");
  at.say("show nothing");
  at.go(0.01);
  EXPECT_EQ(at.said[at.said.size() - 2], "done: show traverse: 40.00 mm, 0.0 mm/s, count 10667");
  EXPECT_EQ(at.said.back(), "refused: show nothing: 'show NAME': it is one of traverse, feeder");
  // As JSON, to one who asks so.
  at.say("{\"order\": \"watch every 100 ms\"}");
  at.go(0.05);
  const auto json = nlohmann::json::parse(at.said.back());
  EXPECT_EQ(json["state"]["moved"][0]["name"], "traverse");
  EXPECT_NEAR(json["state"]["moved"][0]["place"].get<double>(), 40.0, 0.01);
  EXPECT_EQ(json["state"]["outputs"]["lamp"], 0.0);
  EXPECT_FALSE(json["state"]["stopped"].get<bool>());
}

TEST(OrderDesk, OneThatIsGoneHoldsNothingAndIsToldNothing) {
  AtTheDesk at;
  at.say("spin feeder at 40 % until stopped");
  at.go(0.5);
  const std::size_t told = at.said.size();
  at.desk.close(at.way);
  at.desk.close(at.way);
  at.say("switch lamp on");
  at.go(4.0);
  EXPECT_EQ(at.said.size(), told);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.0, 1e-9);
}

TEST(OrderDesk, AFloodIsRefusedAndAStopGoesThrough) {
  AtTheDesk at;
  at.say("move traverse to 100 mm");
  at.go(0.3);
  for (int i = 0; i < OrderDesk::most_waiting + 5; ++i) at.say("switch lamp on");
  EXPECT_TRUE(has(at.said.back(), "refused: switch lamp on: 10000 lines wait already"));
  at.say("stop everything");
  at.go(1.0);
  EXPECT_TRUE(at.operation.is_stopped());
  EXPECT_LT(at.bench.signal("traverse.asked"), 60.0);
  EXPECT_EQ(at.way->waiting(), 0);
  EXPECT_EQ(at.said.size(), 1U + OrderDesk::most_waiting + 5 + 1);
}

TEST(OrderDesk, ReadsWhatWasPostedOnceMore) {
  AtTheDesk at;
  at.desk.play_again("socket 1: spin feeder at 40 % until stopped");
  at.desk.play_again("socket 1: (no order)");
  at.desk.play_again("settings are kept");
  at.go(1.0);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.4, 1e-9);
  at.desk.play_again("socket 1 is gone");
  at.go(4.0);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.0, 1e-9);
  EXPECT_TRUE(at.said.empty());
}

TEST(LineSplitter, TakesBytesAsTheyCome) {
  LineSplitter splitter;
  std::vector<std::string> lines;
  const auto keep = [&](const std::string& line) { lines.push_back(line); };
  splitter.take("stop tra", keep);
  splitter.take("verse\nclear\n\nen", keep);
  splitter.take(std::string(100'000, 'x'), keep);
  splitter.take("\nlast", keep);
  splitter.finish(keep);
  splitter.finish(keep);
  ASSERT_EQ(lines.size(), 5U);
  EXPECT_EQ(lines[0], "stop traverse");
  EXPECT_EQ(lines[2], "");
  EXPECT_EQ(lines[3].size(), 4 * longest_order) << "no more of it than it takes to see that it is too long";
  EXPECT_EQ(lines[4], "last");
}

// ---- the rig's own controls

Rig bound_rig() {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse", "feeder"});
  rig.bindings.clear();
  const auto bind = [&](const char* name, const char* control, const char* on) -> Binding& {
    Binding binding;
    binding.name = name;
    binding.control = control;
    if (*on != 0) binding.on = on;
    rig.bindings.push_back(binding);
    return rig.bindings.back();
  };
  bind("push", "pedal", "jog traverse on at 20 mm/s");
  Binding& lamp = bind("light", "left", "switch lamp on");
  lamp.off = "switch lamp off";
  lamp.latched = true;
  Binding& feed = bind("feed", "dial", "");
  feed.value = "spin feeder at VALUE until stopped";
  feed.from = "20 %";
  feed.to = "100 %";
  bind("blink", "key l", "switch lamp on");
  bind("panic", "anything else", "stop feeder");
  return rig;
}

struct Controlled {
  explicit Controlled(const std::vector<std::pair<double, std::string>>& happens, Rig rig = bound_rig()) {
    SimulatedBench::Options options;
    for (const auto& [at, what] : happens) {
      OutsideEvent event;
      event.at = ExactTime::from_base({static_cast<std::int64_t>(1000 * at), 1000});
      const std::size_t blank = what.find(' ');
      event.what = what.substr(0, blank);
      const std::string how = what.substr(blank + 1);
      event.on = how == "on";
      if (how.ends_with('%')) event.share = std::stod(how) / 100.0;
      if (how.find("click") != std::string::npos) event.clicks = std::stoi(how);
      options.events.push_back(event);
    }
    bench = std::make_unique<SimulatedBench>(std::move(rig), std::move(options));
    operation = std::make_unique<Operation>(*bench);
    bindings = std::make_unique<Bindings>(*bench, *operation,
                                          [this](const std::string& words) { told.push_back(words); });
  }
  struct Both final : Participant {
    explicit Both(Controlled& all) : of(all) {}
    [[nodiscard]] Tick next_act() const override {
      return std::min(of.bindings->next_act(), of.operation->next_act());
    }
    void act(Lines& lines, std::span<const Reading> readings) override {
      of.bindings->act(lines, readings);
      of.operation->act(lines, readings);
    }
    Controlled& of;
  };
  void go(double seconds) {
    Both both(*this);
    go_on(*bench, both, seconds);
  }
  [[nodiscard]] double place_mm() const { return bench->signal("traverse.asked"); }

  std::unique_ptr<SimulatedBench> bench;
  std::unique_ptr<Operation> operation;
  std::unique_ptr<Bindings> bindings;
  std::vector<std::string> told;
};

TEST(Bindings, APedalHoldsAsLongAsItIsPressed) {
  Controlled at({{1.0, "pedal on"}, {3.0, "pedal off"}});
  at.go(2.9);
  EXPECT_GT(at.place_mm(), 36.0);
  EXPECT_EQ(at.operation->held(), std::vector<std::string>{"traverse on"});
  at.go(0.3);
  EXPECT_TRUE(at.operation->held().empty());
  EXPECT_NEAR(at.place_mm(), 40.0, 1.5) << "20 mm/s for two seconds";
  EXPECT_TRUE(at.told.empty());
}

TEST(Bindings, WhatIsPressedAtTheStartOrWhileAllIsStoppedDoesNothing) {
  Controlled at(
      {{0.0, "pedal on"}, {2.0, "pedal off"}, {3.0, "pedal on"}, {6.0, "pedal off"}, {7.0, "pedal on"}});
  at.go(1.5);
  EXPECT_EQ(at.place_mm(), 0.0) << "it was pressed when it was first seen";
  at.go(2.0);
  const double going = at.place_mm();
  EXPECT_GT(going, 5.0);
  at.operation->stop_everything();
  at.go(1.0);
  const double stands = at.place_mm();
  at.operation->take("clear", "keyboard", {});
  at.go(1.0);
  EXPECT_EQ(at.place_mm(), stands) << "nothing moves by clearing, with the pedal down";
  at.go(2.5);
  EXPECT_GT(at.place_mm(), stands + 5.0) << "let go and pressed again";
}

TEST(Bindings, OneThatIsLatchedIsLetGoByTheNextPress) {
  Controlled at({{1.0, "left on"}, {1.2, "left off"}, {2.0, "left on"}, {2.2, "left off"}});
  at.go(1.6);
  EXPECT_EQ(at.operation->state().outputs[0].share, 1.0);
  at.go(1.0);
  EXPECT_EQ(at.operation->state().outputs[0].share, 0.0);
}

TEST(Bindings, AKnobIsHeardOnceItHasStoodAtNothingAndItsWholeTravelIsUseful) {
  Controlled at(
      {{0.0, "dial 70 %"}, {1.0, "dial 0 %"}, {2.0, "dial 2 %"}, {4.0, "dial 100 %"}, {7.0, "dial 0 %"}});
  at.go(0.9);
  EXPECT_EQ(at.bench->brushed("feeder").duty().base(), 0.0) << "it was turned up when it was first seen";
  at.go(3.0);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.21, 0.01) << "just above nothing";
  at.go(3.0);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 1.0, 0.01);
  at.go(3.0);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.0, 1e-9) << "zero is zero";
}

Rig wheel_rig(const char* value, const char* each) {
  Rig rig = bound_rig();
  rig.hands.push_back(testing_support::hand_wheel());
  rig.hands.back().bounce = 1_ms;
  Binding binding;
  binding.name = "fine";
  binding.control = "handwheel";
  binding.value = value;
  binding.each = each;
  rig.bindings.push_back(binding);
  return rig;
}

// Whatever a click's edges are, however its contacts bounce, whichever way round its tracks are.
TEST(Bindings, AnEncoderWheelNudgesByItsClicks) {
  for (const std::int64_t edges : {1, 2, 4})
    for (const bool reversed : {false, true})
      for (const ActiveLevel active : {ActiveLevel::low, ActiveLevel::high}) {
        Rig rig = wheel_rig("nudge traverse by VALUE", "0.1 mm");
        rig.hands.back().edges_per_click = edges;
        rig.hands.back().reversed = reversed;
        rig.hands.back().active = active;
        Controlled at({{1.0, "handwheel 50 clicks"}, {4.0, "handwheel -20 clicks"}}, std::move(rig));
        at.go(3.5);
        EXPECT_NEAR(at.place_mm(), 5.0, 0.002) << edges << reversed;
        at.go(2.5);
        EXPECT_NEAR(at.place_mm(), 3.0, 0.002) << edges << reversed;
        EXPECT_TRUE(at.told.empty());
      }
}

TEST(Bindings, ClicksOfAWheelWhileAllIsStoppedAreForgotten) {
  Controlled at({{1.0, "handwheel 10 clicks"}, {3.0, "handwheel 30 clicks"}, {5.0, "handwheel 1 clicks"}},
                wheel_rig("nudge traverse by VALUE", "0.1 mm"));
  at.go(2.5);
  EXPECT_NEAR(at.place_mm(), 1.0, 0.002);
  at.operation->stop_everything();
  at.go(2.0);
  at.operation->take("clear", "keyboard", {});
  at.go(0.4);
  EXPECT_NEAR(at.place_mm(), 1.0, 0.002) << "nothing moves by clearing";
  at.go(1.0);
  EXPECT_NEAR(at.place_mm(), 1.1, 0.002);
}

TEST(Bindings, ClicksOfAWheelAddUpBetweenItsEnds) {
  Rig rig = wheel_rig("spin feeder at VALUE until stopped", "5 %");
  rig.bindings.back().from = "0 %";
  rig.bindings.back().to = "60 %";
  Controlled at({{1.0, "handwheel 4 clicks"}, {3.0, "handwheel 40 clicks"}, {5.0, "handwheel -2 clicks"}},
                std::move(rig));
  at.go(2.5);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.2, 0.01);
  at.go(2.4);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.6, 0.01) << "no more than its end";
  at.go(2.0);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.5, 0.01) << "and down from there";
}

TEST(Bindings, AStickWithTwoAxesSteersACart) {
  Rig rig = read_rig(testing_support::cart_rig_path);
  const std::string cart = rig.pairs.front().name;
  rig.controller.analogue = demo_rig_without_gate().controller.analogue;
  for (const auto& [name, channel] : {std::pair{"stick_y", 0}, std::pair{"stick_x", 1}}) {
    HandControl stick;
    stick.name = name;
    stick.kind = HandControl::Kind::knob;
    stick.channel = channel;
    stick.centre = Voltage(1.65, units::V);
    stick.dead_band = Voltage(0.06, units::V);
    rig.hands.push_back(stick);
  }
  Binding steer;
  steer.name = "steer";
  steer.control = "stick_y";
  steer.also = "stick_x";
  steer.value = "jog " + cart + " at VALUE and OTHER";
  steer.from = "20 mm/s";
  steer.to = "150 mm/s";
  steer.other_from = "5 deg/s";
  steer.other_to = "60 deg/s";
  rig.bindings = {steer};
  Controlled at({{1.0, "stick_y 100 %"}, {3.0, "stick_x 50 %"}, {5.0, "stick_y 0 %"}, {5.0, "stick_x 0 %"}},
                rig);
  at.go(2.9);
  EXPECT_NEAR(at.bench->cart_pose(cart).heading, 0.0, 0.03) << "straight on";
  EXPECT_GT(at.bench->cart_pose(cart).x, 0.2);
  at.go(2.0);
  EXPECT_GT(at.bench->cart_pose(cart).heading, 0.7) << "and to the left, without a stop";
  EXPECT_EQ(at.operation->held(), std::vector<std::string>{cart + " on"});
  at.go(2.0);
  const CartPose stands = at.bench->cart_pose(cart);
  at.go(0.5);
  EXPECT_NEAR(at.bench->cart_pose(cart).x, stands.x, 1e-6) << "let go, it stands";
  EXPECT_TRUE(at.told.empty()) << at.told.front();
}

TEST(Bindings, KeysOfATerminalArePressedByTheirLetters) {
  Controlled at({});
  at.bindings->press('l', "terminal");
  at.go(0.1);
  EXPECT_EQ(at.operation->state().outputs[0].share, 1.0);
  at.operation->take("spin feeder at 40 % until stopped", "terminal", {});
  at.go(0.5);
  at.bindings->press('x', "terminal");
  at.go(3.0);
  EXPECT_NEAR(at.bench->brushed("feeder").duty().base(), 0.0, 1e-9) << "anything else";
  Rig rig = bound_rig();
  rig.bindings.pop_back();
  Controlled strict({}, rig);
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { strict.bindings->press('x', "terminal"); }),
                  "key x is bound to nothing"));
}

TEST(Bindings, OrdersThatCanNeverBeCarriedOutAreRefusedAtTheStart) {
  for (const char* const wrong :
       {"jog traverse on at 2 m/s", "spin traverse at 3 rpm for 1 s", "switch lamb on",
        "move traverse to 300 mm", "nudge traverse", "set traverse speed 1 m/s", "zero feeder here"}) {
    Rig rig = bound_rig();
    rig.bindings[0].on = wrong;
    EXPECT_TRUE(has(refusal_of<RangeError>([&] { Controlled at({}, rig); }), "binding.push.on: ")) << wrong;
  }
  Rig rig = bound_rig();
  rig.bindings[2].to = "200 %";
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { Controlled at({}, rig); }), "binding.feed.value: "));
}

}  // namespace
}  // namespace cogstride::order_desk_test
