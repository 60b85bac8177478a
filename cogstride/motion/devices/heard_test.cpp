#include "cogstride/motion/devices/heard.hpp"

#include <gtest/gtest.h>

#include "cogstride/motion/devices/amounts.hpp"
#include "cogstride/quantity/error.hpp"
#include "support/panel.hpp"
#include "support/refusal.hpp"

namespace cogstride::heard_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

std::vector<SaidControl> controls() {
  std::vector<SaidControl> all = controls_of(testing_support::panel());
  all.push_back({.name = "pad.go", .says = SaidControl::Says::hold});
  all.push_back({.name = "pad.along", .says = SaidControl::Says::share, .has_centre = true});
  return all;
}

TEST(HeardControls, KeepsWhatWasSaidLastAndHowOften) {
  HeardControls heard(controls());
  const std::size_t station = heard.place_of("panel.station");
  EXPECT_EQ(heard.number("panel.station"), std::nullopt);
  for (const char* const words : {"panel.station 5", "panel.station 3", "panel.station 3"})
    heard.take(heard.read(words));
  EXPECT_EQ(heard.times(station), 3);
  EXPECT_EQ(heard.number(station), 3);
  EXPECT_TRUE(heard.has_said(station, 5, 0));
  EXPECT_FALSE(heard.has_said(station, 5, 1));
  EXPECT_TRUE(heard.has_said(station, 3, 2));
  EXPECT_FALSE(heard.has_said(station, 3, 3));
  const std::size_t go = heard.place_of("pad.go");
  heard.take(heard.read("pad.go on"));
  EXPECT_TRUE(heard.is_held(go));
  heard.take(heard.read("pad.go off"));
  EXPECT_FALSE(heard.is_held(go));
  EXPECT_EQ(heard.times(go), 1);
  heard.take(heard.read("pad.along -370"));
  EXPECT_EQ(heard.number("pad.along"), -370);
}

// Of a device that never stops talking it keeps no more than a few numbers.
TEST(HeardControls, KeepsTheLastFewNumbers) {
  HeardControls heard(controls());
  const std::size_t pitch = heard.place_of("panel.pitch");
  for (int i = 0; i < 1000; ++i) heard.take(heard.read("panel.pitch " + std::to_string(i)));
  EXPECT_TRUE(heard.has_said(pitch, 999, 900));
  EXPECT_TRUE(heard.has_said(pitch, 940, 0));
  EXPECT_FALSE(heard.has_said(pitch, 900, 0));
  EXPECT_EQ(heard.times(pitch), 1000);
}

TEST(HeardControls, RefusesWhatNoDeviceSays) {
  const HeardControls heard(controls());
  for (const auto& [words, says] : {
           std::pair{"panel.statoin 5",
                     "no device of this rig says 'panel.statoin', did you mean panel.station?"},
           std::pair{"panel.station", "says a number"},
           std::pair{"panel.station 5x", "says a number"},
           std::pair{"panel.station 99999999999999999999", "says a number"},
           std::pair{"panel.hold 1", "has nothing behind it"},
           std::pair{"pad.go", "is on or off"},
           std::pair{"pad.along 1001", "in thousandths"},
           std::pair{"pad.along -1001", "in thousandths"},
           std::pair{"", "no device of this rig says ''"},
       })
    EXPECT_TRUE(has(refusal_of<RangeError>([&, &said = words] { (void)heard.read(said); }), says)) << words;
}

TEST(Amounts, ReachFromJustAboveNothingToTheEnd) {
  const TravelAmount speed("300 rpm", "1800 rpm");
  EXPECT_EQ(speed.text(0.0), "0 rpm");
  EXPECT_EQ(speed.text(0.01), "300 rpm");
  EXPECT_EQ(speed.text(1.0), "1800 rpm");
  EXPECT_EQ(speed.text(-1.0), "-1800 rpm");
  EXPECT_EQ(speed.text(0.505), "1050 rpm");
  EXPECT_EQ(UnitAmount("0.01 mm").text(137), "1.37 mm");
  EXPECT_EQ(UnitAmount("-0.5deg").text(3), "-1.5 deg");
  EXPECT_THROW(TravelAmount("3 rpm", "3 mm"), RangeError);
  EXPECT_THROW(UnitAmount("3"), Error);
}

}  // namespace
}  // namespace cogstride::heard_test
