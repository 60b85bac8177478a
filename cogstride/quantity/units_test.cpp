// Every unit that can be written, against what a table of units says.
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "cogstride/quantity/text.hpp"

namespace cogstride::units_test {
namespace {

struct Same {
  const char* one;
  const char* other;
};

// Pairs that a table of units gives as equal.
const Same pairs[] = {
    {"1 m", "1000 mm"},
    {"1 cm", "10 mm"},
    {"1 mm", "1000 um"},
    {"1 turn", "360 deg"},
    {"2 turns", "720 deg"},
    {"1 turn", "6.283185307179586 rad"},
    {"1 h", "60 min"},
    {"1 min", "60 s"},
    {"1 s", "1000 ms"},
    {"1 ms", "1000 us"},
    {"1 us", "1000 ns"},
    {"1 m/s", "1000 mm/s"},
    {"1 mm/s", "60 mm/min"},
    {"1 m/s2", "1000 mm/s2"},
    {"1 m/s3", "1000 mm/s3"},
    {"60 rpm", "360 deg/s"},
    {"1 turn/s", "60 rpm"},
    {"2 turns/s", "120 rpm"},
    {"1 turn/s", "6.283185307179586 rad/s"},
    {"1 turn/s2", "360 deg/s2"},
    {"1 turn/s2", "6.283185307179586 rad/s2"},
    {"1 turn/s3", "360 deg/s3"},
    {"1 MHz", "1000 kHz"},
    {"1 kHz", "1000 Hz"},
    {"1 A", "1000 mA"},
    {"1 V", "1000 mV"},
    {"1 kohm", "1000 ohm"},
    {"1 ohm", "1000 mohm"},
    {"1 H", "1000 mH"},
    {"1 mH", "1000 uH"},
    {"1 F", "1e6 uF"},
    {"1 uF", "1000 nF"},
    {"1 kg", "1000 g"},
    {"1 N m", "1000 mN m"},
    {"1 N m", "100 N cm"},
    {"1 kg cm", "98.0665 mN m"},
    {"1 in", "25.4 mm"},
    {"1 in/s", "25.4 mm/s"},
    {"1 in/s2", "25.4 mm/s2"},
    {"60 rpm/s", "360 deg/s2"},
    {"1 kg m2", "1e7 g cm2"},
    {"1 N m s", "1 N m s/rad"},
    {"1 A h", "1000 mA h"},
};

TEST(Units, AgreeWithATableOfUnits) {
  for (const Same& pair : pairs) {
    const ParsedQuantity one = parse_any_quantity(pair.one);
    const ParsedQuantity other = parse_any_quantity(pair.other);
    EXPECT_EQ(one.powers, other.powers) << pair.one << " and " << pair.other;
    EXPECT_NEAR(one.base / other.base, 1.0, 1e-15) << pair.one << " and " << pair.other;
    if (one.is_exact && other.is_exact) {
      EXPECT_EQ(one.exact, other.exact) << pair.one;
    }
  }
}

TEST(Units, AreAllInTheTableOrStandAlone) {
  std::set<std::string> seen = {"N", "W", "K", "K/W", "J/K", "N m/A", "V s/rad", "%"};
  for (const Same& pair : pairs) {
    for (const std::string text : {pair.one, pair.other}) seen.insert(text.substr(text.find(' ') + 1));
  }
  for (const std::string& symbol : unit_symbols()) EXPECT_EQ(seen.count(symbol), 1u) << symbol;
}

TEST(Units, EachIsNamedInWordsWithAnExampleThatCanBeRead) {
  std::set<std::string> phrases;
  for (const std::string& symbol : unit_symbols()) {
    const ParsedQuantity parsed = parse_any_quantity("3 " + symbol);
    const std::string phrase = describe_dimension(parsed.powers);
    const std::size_t example = phrase.find("such as ");
    ASSERT_NE(example, std::string::npos) << symbol;
    EXPECT_EQ(parse_any_quantity(phrase.substr(example + 8)).powers, parsed.powers) << phrase;
    phrases.insert(phrase);
  }
  EXPECT_EQ(phrases.size(), 28u);
}

TEST(Units, OfAShareArePercent) {
  EXPECT_EQ(parse_quantity<ExactFraction>("80 %").base(), Ratio(4, 5));
  EXPECT_EQ(to_text(ExactFraction(Ratio(25, 2), units::percent), "%"), "12.5 %");
  EXPECT_THROW((void)parse_quantity<ExactFraction>("0.8"), TextError) << "a unit is always written";
  EXPECT_THROW((void)parse_quantity<ExactFraction>("80 mm"), TextError);
}

TEST(Units, OfAChargeAreThoseOfBatteries) {
  EXPECT_DOUBLE_EQ(parse_quantity<Charge>("2.2 A h").in(units::Ah), 2.2);
  EXPECT_DOUBLE_EQ(parse_quantity<Charge>("2200 mA h").base(), 7920.0);
  EXPECT_THROW((void)parse_quantity<Charge>("2.2 A"), TextError);
}

TEST(Units, WrittenAsPastedFromADatasheetAreUnderstood) {
  EXPECT_DOUBLE_EQ(parse_any_quantity("2200\u00b5F").base, 2200e-6);
  EXPECT_DOUBLE_EQ(parse_any_quantity("270 \u03a9").base, 270.0);
  EXPECT_EQ(parse_any_quantity("1.8\u00b0").exact, Ratio(18, 3600));
  EXPECT_DOUBLE_EQ(parse_any_quantity("1500 mm/s\u00b2").base, 1.5);
  EXPECT_DOUBLE_EQ(parse_any_quantity("0.45 N\u00b7m").base, 0.45);
  EXPECT_DOUBLE_EQ(parse_any_quantity("6.2e-6 kg m^2").base, 6.2e-6);
}

}  // namespace
}  // namespace cogstride::units_test
