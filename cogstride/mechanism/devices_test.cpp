#include "cogstride/mechanism/devices.hpp"

#include <gtest/gtest.h>

#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::devices_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

TEST(InputAxis, ItsWholeTravelIsUsefulAndItsMiddleIsNothing) {
  InputAxis stick{.name = "along", .code = "ABS_Y"};
  const auto share = [&](std::int64_t value, std::int64_t flat = 15) {
    return thousandths_of(stick, value, 0, 255, flat);
  };
  for (const std::int64_t value : {113, 120, 127, 128, 142}) EXPECT_EQ(share(value), 0) << value;
  EXPECT_EQ(share(255), 1000);
  EXPECT_EQ(share(0), -1000);
  EXPECT_EQ(share(143), 4);
  EXPECT_EQ(share(112), -4);
  EXPECT_EQ(share(127, 0), 0) << "neither of the two in the middle is off it";
  EXPECT_EQ(share(128, 0), 0);
  EXPECT_EQ(share(300), 1000);
  stick.dead_zone = ExactFraction::from_base({1, 2});
  EXPECT_EQ(share(190), 0);
  EXPECT_EQ(share(255), 1000);
  stick.reversed = true;
  EXPECT_EQ(share(255), -1000);
  InputAxis lever{.name = "lever", .code = "ABS_Z", .centred = false};
  EXPECT_EQ(thousandths_of(lever, 0, 0, 1023, 0), 0);
  EXPECT_EQ(thousandths_of(lever, 1023, 0, 1023, 0), 1000);
  EXPECT_EQ(thousandths_of(lever, 512, 0, 1023, 0), 500);
  lever.reversed = true;
  EXPECT_EQ(thousandths_of(lever, 1023, 0, 1023, 0), 0);
  EXPECT_EQ(thousandths_of(lever, 0, 0, 1023, 0), 1000);
  EXPECT_EQ(thousandths_of(lever, 5, 7, 7, 0), 0) << "one without a travel";
}

TEST(InputDevice, WhatMakesNoSenseIsRefused) {
  InputDevice pad{.name = "pad", .called = "Pad"};
  pad.keys = {{"go", "BTN_SOUTH"}};
  pad.axes = {{"along", "ABS_Y"}};
  pad.wheels = {{"fine", "REL_DIAL"}};
  EXPECT_NO_THROW(require_sound(pad));
  const auto wrong = [&](const auto& change) {
    InputDevice one = pad;
    change(one);
    return refusal_of<RangeError>([&] { require_sound(one); });
  };
  EXPECT_TRUE(has(wrong([](InputDevice& d) { d.called.clear(); }), "called"));
  EXPECT_TRUE(has(wrong([](InputDevice& d) { d.keys[0].code = "ABS_X"; }), "it begins with KEY_ or BTN_"));
  EXPECT_TRUE(
      has(wrong([](InputDevice& d) { d.axes[0].name = "go"; }), "two of its controls have this name"));
  EXPECT_TRUE(has(wrong([](InputDevice& d) { d.axes.push_back({"x", "ABS_Y"}); }), "ABS_Y is said twice"));
  EXPECT_TRUE(has(wrong([](InputDevice& d) {
                    d.axes[0].dead_zone = ExactFraction::from_base({1, 1});
                  }),
                  "below 100 %"));
}

TEST(BusSensor, WhatMakesNoSenseIsRefused) {
  BusSensor watcher{.name = "watcher", .bus = "/dev/i2c-1", .address = 0x39};
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { require_sound(watcher); }), "its events are missing"));
  watcher.events = {{"along", 1}, {"across", 2}};
  EXPECT_NO_THROW(require_sound(watcher));
  EXPECT_NEAR(watcher.read_takes().in(units::s), 360e-6, 1e-9) << "36 bits at 100 kHz";
  watcher.events.push_back({"near", 2});
  EXPECT_TRUE(
      has(refusal_of<RangeError>([&] { require_sound(watcher); }), "event near: 0x02 is another event's"));
}

TEST(Device, ANumberIsNoMoreThanItsDigitsSay) {
  Device panel{.name = "panel"};
  panel.messages = {{.name = "a", .text = "NUMBER", .most_digits = 3, .negative = true, .lowest = -5000},
                    {.name = "b", .text = "=NUMBER", .most_digits = 18, .highest = 7}};
  const std::vector<SaidControl> controls = controls_of(panel);
  EXPECT_EQ(controls[0].lowest, -999);
  EXPECT_EQ(controls[0].highest, 999);
  EXPECT_EQ(controls[1].highest, 7);
}

}  // namespace
}  // namespace cogstride::devices_test
