#include "cogstride/quantity/quantity.hpp"

#include <gtest/gtest.h>

#include <boost/multiprecision/cpp_int.hpp>
#include <boost/rational.hpp>
#include <cmath>
#include <functional>
#include <random>
#include <type_traits>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride::quantity_test {
namespace {

using namespace literals;

template <class A, class B>
concept CanAdd = requires(A a, B b) {
  a + b;
};

static_assert(CanAdd<Length, Length>);
static_assert(!CanAdd<Length, Time>);
static_assert(!CanAdd<Angle, Ratio>, "angle is a dimension: it does not add to a number");
static_assert(!std::is_convertible_v<Length, ExactLength>, "an approximate amount never passes as exact");
static_assert(0.07_mm == ExactLength::from_base({7, 100'000}));
static_assert(1'600_mm == 1.6_m && 6.2e-6_m == ExactLength::from_base({31, 5'000'000}));
static_assert(360_deg == 1_turn && 600_rpm == 10_turn_per_s);

TEST(Ratio, ReducesAndKeepsItsSignAbove) {
  EXPECT_EQ(Ratio(6, -4), Ratio(-3, 2));
  EXPECT_EQ(Ratio(-7, 2).floor(), -4);
  EXPECT_EQ(Ratio(-7, 2).ceil(), -3);
  EXPECT_EQ(Ratio(-7, 2).rounded(), -4);
  EXPECT_EQ(Ratio(7, 2).rounded(), 4);
  EXPECT_EQ(Ratio(10, 3).rounded(), 3);
  EXPECT_EQ(to_text(Ratio(1600) * Ratio(24, 18) / Ratio(8)), "800/3");
}

TEST(Ratio, OfTheCreelsGearPairsIsExact) {
  const Ratio train = Ratio(34, 10) * Ratio(29, 9) * Ratio(35, 11) * Ratio(37, 12);
  EXPECT_EQ(train, Ratio(127687, 1188));
}

TEST(Ratio, ThrowsRatherThanRounds) {
  EXPECT_THROW(Ratio(1, 0), RangeError);
  EXPECT_THROW(Ratio(1) / Ratio(0), RangeError);
  const Ratio huge(INT64_MAX);
  EXPECT_THROW(huge * huge, RangeError);
  EXPECT_THROW(huge + huge, RangeError);
  EXPECT_EQ(huge - huge, Ratio(0));
}

TEST(Ratio, AgreesWithUnboundedArithmetic) {
  using Big = boost::rational<boost::multiprecision::cpp_int>;
  const auto big = [](Ratio r) { return Big(r.numerator(), r.denominator()); };
  std::mt19937_64 random(1);
  std::uniform_int_distribution<std::int64_t> term(-2'000'000, 2'000'000);
  for (int i = 0; i < 20'000; ++i) {
    const Ratio a(term(random), std::abs(term(random)) + 1);
    const Ratio b(term(random), std::abs(term(random)) + 1);
    ASSERT_EQ(big(a + b), big(a) + big(b));
    ASSERT_EQ(big(a - b), big(a) - big(b));
    ASSERT_EQ(big(a * b), big(a) * big(b));
    if (b != Ratio(0)) {
      ASSERT_EQ(big(a / b), big(a) / big(b));
    }
    ASSERT_EQ(a < b, big(a) < big(b));
  }
}

TEST(Quantity, CarriesItsDimensionThroughArithmetic) {
  const Speed speed = Length(60_mm) / Time(1.5_s);
  EXPECT_DOUBLE_EQ(speed.in(units::mm_per_s), 40.0);
  const Torque torque = TorqueConstant(0.199_Nm_per_A) * Current(1.6_A);
  EXPECT_DOUBLE_EQ(torque.in(units::Nm), 0.3184);
  const Voltage drop = Current(1.6_A) * Resistance(1.9_ohm);
  EXPECT_DOUBLE_EQ(drop.in(units::V), 3.04);
  EXPECT_NEAR(Angle(90_deg).in(units::rad), pi / 2, 1e-15);
  EXPECT_NEAR(AngularSpeed(600_rpm).in(units::rad_per_s), 20 * pi, 1e-12);
}

TEST(QuantityText, ReadsTheUnitsOfTheTrade) {
  EXPECT_EQ(parse_quantity<ExactLength>("85 mm"), 85_mm);
  EXPECT_EQ(parse_quantity<ExactLength>("85mm"), 85_mm);
  EXPECT_EQ(parse_quantity<ExactAngularSpeed>("600 rpm"), 600_rpm);
  EXPECT_EQ(parse_quantity<ExactFrequency>("40 kHz"), 40_kHz);
  EXPECT_EQ(parse_quantity<ExactAngle>("1.8 deg"), 1.8_deg);
  EXPECT_DOUBLE_EQ(parse_quantity<Current>("1.6 A").in(units::A), 1.6);
  EXPECT_DOUBLE_EQ(parse_quantity<Inductance>("3.4 mH").in(units::mH), 3.4);
  EXPECT_DOUBLE_EQ(parse_quantity<Inertia>("6.2e-6 kg m2").in(units::kg_m2), 6.2e-6);
  EXPECT_NEAR(parse_quantity<ViscousFriction>("1e-4 N m s").in(units::Nm_s_per_rad), 1e-4, 1e-18);
  EXPECT_DOUBLE_EQ(parse_quantity<Length>("0.4 \u00b5m").in(units::um), 0.4);
  EXPECT_DOUBLE_EQ(parse_quantity<Current>("1.6\u00a0A").in(units::A), 1.6);
  EXPECT_DOUBLE_EQ(parse_quantity<Torque>("0.45\u202fN\u00b7m").in(units::Nm), 0.45);
  EXPECT_DOUBLE_EQ(parse_quantity<Acceleration>("1500 mm/s\u00b2").in(units::mm_per_s2), 1500);
}

TEST(QuantityText, IsExactWhereAnAmountIsADecimal) {
  ExactLength sum;
  for (int i = 0; i < 1000; ++i) sum += parse_quantity<ExactLength>("0.07 mm");
  EXPECT_EQ(sum, 70_mm);
  EXPECT_EQ(to_text(sum, "mm"), "70 mm");
  EXPECT_EQ(to_text(parse_quantity<ExactLength>("-0.958 mm"), "mm"), "-0.958 mm");
  EXPECT_EQ(to_text(ExactLength::from_base({1, 3'000}), "mm"), "1/3 mm");
}

TEST(QuantityText, WritesWhatItReads) {
  std::mt19937_64 random(2);
  std::uniform_int_distribution<std::int64_t> micrometres(-1'000'000'000, 1'000'000'000);
  for (int i = 0; i < 2'000; ++i) {
    const ExactLength length(micrometres(random), units::um);
    ASSERT_EQ(parse_quantity<ExactLength>(to_text(length, "mm")), length);
  }
  for (const std::string& symbol : unit_symbols())
    EXPECT_NO_THROW((void)parse_any_quantity("1 " + symbol)) << symbol;
}

std::string message_of(const std::function<void()>& act) {
  try {
    act();
  } catch (const Error& error) {
    return error.what();
  }
  return "nothing was thrown";
}

TEST(QuantityText, FindsTheNearestWord) {
  EXPECT_EQ(edit_distance("kitten", "sitting"), 3u);
  EXPECT_EQ(edit_distance("", "abc"), 3u);
  EXPECT_EQ(nearest_word("acceleraton", {"speed", "acceleration", "travel"}), "acceleration");
  EXPECT_EQ(nearest_word("zebra", {"speed", "travel"}), "");
  EXPECT_EQ(message_of([] { (void)parse_quantity<Inductance>("3.4 mhh"); }),
            "unit 'mhh' is not known; did you mean mH?")
      << "the nearest of the wanted dimension";
}

// Whatever bytes come, the reader answers with a value or an Error of ours.
TEST(QuantityText, TakesAnyBytesWithoutHarm) {
  std::mt19937_64 random(13);
  const std::string alphabet = "0123456789.-+eE mMsAVkHzrpdegt/^ \t\xc2\xb5\xb2";
  int values = 0;
  for (int i = 0; i < 100'000; ++i) {
    std::string text;
    const std::size_t length = random() % 14;
    for (std::size_t k = 0; k < length; ++k) text += alphabet[random() % alphabet.size()];
    try {
      const ParsedQuantity parsed = parse_any_quantity(text);
      EXPECT_TRUE(std::isfinite(parsed.base)) << text;
      ++values;
    } catch (const Error& error) {
      EXPECT_GT(std::string(error.what()).size(), 10u);
    }
  }
  EXPECT_GT(values, 100);
}

TEST(QuantityText, KnowsTheUnitsThatMotorsAndScrewsAreSoldIn) {
  EXPECT_NEAR(parse_quantity<Torque>("4.5 kg cm").base(), 4.5 * 9.80665 * 0.01, 1e-12);
  EXPECT_NEAR(parse_quantity<Torque>("60 N cm").base(), 0.6, 1e-12);
  EXPECT_EQ(parse_quantity<ExactLength>("0.5 in"), ExactLength(Ratio(127, 10), units::mm));
  EXPECT_EQ(parse_quantity<ExactAngularAcceleration>("60 rpm/s"),
            ExactAngularAcceleration(360, units::deg_per_s2));
}

TEST(QuantityText, SaysWhatIsWrongAndWhatWouldDo) {
  EXPECT_EQ(message_of([] { (void)parse_quantity<Length>("12,5 mm"); }),
            "'12,5 mm' has a comma: write a point, 12.5 mm");
  EXPECT_EQ(message_of([] { (void)parse_quantity<Length>("85"); }),
            "'85' has no unit: write one, as in 85 mm or 1.6 A");
  EXPECT_EQ(message_of([] { (void)parse_quantity<Length>("85 mn"); }),
            "unit 'mn' is not known; did you mean mm?");
  EXPECT_EQ(message_of([] { (void)parse_quantity<Speed>("85 mm"); }),
            "'85 mm' is not a speed such as 40 mm/s (units: mm/s, m/s, mm/min, in/s)");
  EXPECT_EQ(message_of([] { (void)parse_quantity<Length>("fast"); }),
            "'fast' is not an amount: write a number and a unit, as in 85 mm");
  EXPECT_THROW((void)parse_quantity<ExactAngle>("1 rad"), RangeError);
  EXPECT_THROW((void)parse_quantity<ExactLength>("0.12345678901234567890123 mm"), RangeError);
  EXPECT_THROW((void)parse_quantity<Length>("1e999 mm"), RangeError);
  EXPECT_THROW((void)parse_quantity<Length>(""), TextError);
}

TEST(Nearest, IsTheOneWayFromADoubleToAnExactAmount) {
  static_assert(!std::is_convertible_v<double, Ratio>);
  static_assert(!std::is_constructible_v<Ratio, double>);
  static_assert(!std::is_constructible_v<Ratio, float, int>);
  static_assert(!std::is_constructible_v<ExactLength, double, Unit<dimensions::Length>>, "2.9 mm was 2 mm");
  static_assert(std::is_constructible_v<ExactLength, int, Unit<dimensions::Length>>);
  EXPECT_EQ(nearest(12.34, units::mm, 1_um), 12.34_mm);
  EXPECT_EQ(nearest(12.3456, units::mm, 1_um), 12.346_mm);
  EXPECT_EQ(nearest(-0.5, units::um, 1_um), -1_um) << "half away from zero";
  EXPECT_EQ(nearest(Length(1.0 / 3.0, units::m), 0.5_mm), 333.5_mm);
  EXPECT_EQ(nearest(100.0, units::deg, 7_deg), 98_deg);
  for (const double none : {std::nan(""), HUGE_VAL, 1e30})
    EXPECT_THROW((void)nearest(none, units::mm, 1_um), RangeError);
  EXPECT_THROW((void)nearest(1.0, units::mm, 0_um), RangeError);
  EXPECT_EQ(40_percent, ExactFraction(2, units::percent) * Ratio(20));
  EXPECT_EQ((2_kg).base(), Ratio(2));
}

}  // namespace
}  // namespace cogstride::quantity_test
