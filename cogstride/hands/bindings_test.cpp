// The controls of a rig give orders: hands at its lines, keys of a terminal, devices of every kind.
#include "cogstride/hands/bindings.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"
#include "support/hand_wheel.hpp"
#include "support/panel.hpp"
#include "support/refusal.hpp"
#include "support/until_then.hpp"

namespace cogstride::bindings_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::go_on;
using testing_support::has;
using testing_support::refusal_of;

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
      for (OutsideEvent& event : parse_events(fmt::format("at {} s {}", at, what), "x.events", rig))
        options.events.push_back(std::move(event));
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

/// The traverse, with a panel, a remote, a pad and a sensor.
Rig rig_of_devices() {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse"});
  rig.bindings.clear();
  rig.devices.push_back(testing_support::panel());
  Remote remote{.name = "remote", .line = 47};
  RemoteKey on{.name = "on"};
  on.code = 0xe916fb04;
  RemoteKey once{.name = "once"};
  once.code = 0xe817fb04;
  remote.keys = {on, once};
  rig.remotes.push_back(remote);
  InputDevice pad{.name = "pad", .called = "Pad"};
  pad.keys = {{"go", "BTN_SOUTH"}};
  pad.axes = {{"along", "ABS_Y"}};
  pad.wheels = {{"fine", "REL_DIAL"}};
  rig.input_devices.push_back(pad);
  BusSensor watcher{.name = "watcher", .bus = "/dev/i2c-1", .address = 0x39, .line = 46};
  watcher.events = {{"across", 1}};
  rig.bus_sensors.push_back(watcher);
  const auto bind = [&](const char* control, const char* key, const char* order) -> Binding& {
    Binding binding;
    binding.name = fmt::format("b{}", rig.bindings.size());
    binding.control = control;
    (std::string_view(key) == "on" ? binding.on : binding.value) = order;
    rig.bindings.push_back(binding);
    return rig.bindings.back();
  };
  bind("panel.hold", "on", "jog traverse on at 20 mm/s");
  bind("panel.pitch", "value", "nudge traverse by VALUE").each = "0.01 mm";
  bind("remote.on", "on", "jog traverse on at 20 mm/s");
  bind("remote.once", "on", "nudge traverse by 1 mm");
  bind("pad.go", "on", "jog traverse on at 20 mm/s");
  bind("pad.fine", "value", "nudge traverse by VALUE").each = "0.5 mm";
  Binding& along = bind("pad.along", "value", "jog traverse at VALUE");
  along.from = "1 mm/s";
  along.to = "20 mm/s";
  bind("watcher.across", "on", "nudge traverse by 2 mm");
  return rig;
}

TEST(Bindings, ADeviceThatRepeatsHoldsAsLongAsItDoes) {
  Controlled at({{1.0, "panel.hold on for 1 s"}, {4.0, "panel.pitch 150"}}, rig_of_devices());
  at.go(1.9);
  EXPECT_GT(at.place_mm(), 15.0);
  EXPECT_EQ(at.operation->held(), std::vector<std::string>{"traverse on"});
  at.go(1.5);
  EXPECT_TRUE(at.operation->held().empty());
  const double stands = at.place_mm();
  EXPECT_NEAR(stands, 20.0 * 1.3, 2.0) << "a second, and until it was not said again";
  at.go(1.5);
  EXPECT_NEAR(at.place_mm(), stands + 1.5, 0.01);
  EXPECT_TRUE(at.told.empty());
}

TEST(Bindings, AKeyOfARemoteIsHeldByItsRepeatsAndPressedOnceByAReflection) {
  Controlled at({{1.0, "remote.on on for 1 s"},
                 {4.0, "remote.once on for 1 s"},
                 {7.0, "remote.on on for 2 s"},
                 {7.5, "remote says \"0xee11fb04\""}},
                rig_of_devices());
  at.go(3.5);
  const double stands = at.place_mm();
  EXPECT_NEAR(stands, 20.0 * 1.2, 3.0);
  EXPECT_TRUE(at.operation->held().empty());
  at.go(3.0);
  EXPECT_NEAR(at.place_mm(), stands + 1.0, 0.01) << "held, it is one press";
  at.go(1.2);
  EXPECT_TRUE(at.operation->held().empty()) << "another key in the middle of a hold";
  EXPECT_LT(at.place_mm(), stands + 1.0 + 20.0 * 0.7);
}

TEST(Bindings, KeysAxesAndWheelsOfAPad) {
  Controlled at({{1.0, "pad.go on"},
                 {2.0, "pad.go off"},
                 {3.0, "pad.fine 3 clicks"},
                 {4.0, "pad.fine -1 click"},
                 {5.0, "pad.along -100 %"},
                 {5.5, "pad.along 0 %"},
                 {7.0, "watcher.across on"}},
                rig_of_devices());
  at.go(2.9);
  const double stands = at.place_mm();
  EXPECT_NEAR(stands, 20.0, 1.5);
  at.go(1.0);
  EXPECT_NEAR(at.place_mm(), stands + 1.5, 0.01);
  at.go(1.0);
  EXPECT_NEAR(at.place_mm(), stands + 1.0, 0.01);
  at.go(1.9);
  const double back = at.place_mm();
  EXPECT_LT(back, stands + 1.0 - 5.0) << "half a second at 20 mm/s, back";
  EXPECT_TRUE(at.operation->held().empty());
  at.go(1.0);
  EXPECT_NEAR(at.place_mm(), back + 2.0, 0.01);
  EXPECT_TRUE(at.told.empty()) << at.told.front();
}

// A stop and its clearing between two repeats.
TEST(Bindings, WhatADeviceHoldsThroughAStopAndItsClearingWaitsForASilence) {
  Controlled at({{1.0, "panel.hold on for 2 s"},
                 {4.0, "panel.hold on for 1 s"},
                 {6.0, "pad.go on"},
                 {9.0, "pad.go off"},
                 {9.5, "pad.go on"}},
                rig_of_devices());
  const auto stop_and_clear = [&] {
    at.operation->take("stop everything", "keyboard", {});
    at.operation->take("clear", "keyboard", {});
  };
  at.go(2.05);
  stop_and_clear();
  at.go(0.3);
  const double stands = at.place_mm();
  at.go(1.5);
  EXPECT_EQ(at.place_mm(), stands);
  at.go(1.1);
  EXPECT_GT(at.place_mm(), stands + 5.0) << "said again after a silence";
  at.go(2.0);
  stop_and_clear();
  at.go(0.5);
  const double again = at.place_mm();
  at.go(1.5);
  EXPECT_EQ(at.place_mm(), again) << "the key is down still";
  at.go(1.5);
  EXPECT_GT(at.place_mm(), again + 5.0) << "let go and pressed again";
}

}  // namespace
}  // namespace cogstride::bindings_test
