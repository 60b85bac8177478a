// From a timer's clock to a frequency, against the arithmetic by hand and an exhaustive search.
#include "cogstride/plan/timer_setting.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/knob.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride::timer_setting_test {
namespace {

using namespace literals;

const TimerHardware small_timer{16_MHz, 8, {1, 8, 64, 256, 1024}};

TEST(TimerSetting, AgreesWithTheArithmeticByHand) {
  const auto found = timer_settings({48_MHz, 16, {1}}, 20_kHz, Alignment::edge);
  ASSERT_EQ(found.size(), 1u);
  EXPECT_EQ(found[0].counts, 2400);
  EXPECT_EQ(found[0].frequency, Ratio(20'000));
  EXPECT_EQ(found[0].error, 0.0);
  EXPECT_NEAR(found[0].bits, std::log2(2400.0), 1e-12);
  EXPECT_EQ(timer_settings({48_MHz, 16, {1}}, 20_kHz, Alignment::centre)[0].counts, 1200);
  // 8 bits: 16 MHz / 64 / 250 = 1 kHz.
  const TimerSetting best = timer_settings(small_timer, 1_kHz, Alignment::edge)[0];
  EXPECT_EQ(best.prescaler, 64);
  EXPECT_EQ(best.counts, 250);
  EXPECT_EQ(best.overflows, 0);
}

TEST(TimerSetting, IsTheBestThatAnExhaustiveSearchFinds) {
  for (const std::int64_t hertz : {37, 123, 490, 976, 5'000, 31'250, 100'000, 1'234'567}) {
    double least = HUGE_VAL;
    for (const std::int64_t prescaler : small_timer.prescalers)
      for (std::int64_t counts = 2; counts <= 256; ++counts)
        least = std::min(least, std::abs(16e6 / static_cast<double>(prescaler * counts * hertz) - 1.0));
    const auto found = timer_settings(small_timer, ExactFrequency::from_base(Ratio(hertz)), Alignment::edge);
    for (const TimerSetting& setting : found) {
      EXPECT_GE(std::abs(setting.error), std::abs(found[0].error) - 1e-15);
      const double really = 16e6 / static_cast<double>(setting.prescaler * setting.counts *
                                                       std::max<std::int64_t>(1, setting.overflows));
      EXPECT_NEAR(setting.frequency.to_double() / really, 1.0, 1e-12);
    }
    EXPECT_LE(std::abs(found[0].error), least + 1e-12) << hertz;
  }
}

TEST(TimerSetting, CountsWholeOverflowsWhereItsTimerIsTooNarrow) {
  const TimerSetting blink = timer_settings({16_MHz, 8, {1024}}, 2_Hz, Alignment::edge)[0];
  EXPECT_EQ(blink.counts, 256);
  EXPECT_EQ(blink.overflows, 31);  // 16 MHz / 1024 / 256 / 2 Hz = 30.5
  EXPECT_NEAR(blink.frequency.to_double(), 16e6 / 1024 / 256 / 31, 1e-9);
  EXPECT_EQ(beside({16_MHz, 8, {1024}}, blink, 2_Hz, Alignment::edge, -1)->overflows, 30);
}

TEST(TimerSetting, SaysWhatItCanWhenItCannot) {
  try {
    (void)timer_settings({16_MHz, 8, {1}}, 12_MHz, Alignment::edge);
    FAIL();
  } catch (const RangeError& error) {
    EXPECT_NE(
        std::string(error.what()).find("12000 kHz cannot be had: this timer makes 62.5 kHz to 8000 kHz"),
        std::string::npos)
        << error.what();
  }
}

TEST(TimerSetting, ComparesAreExactAtBothEndsAndPhasesAreSpread) {
  const TimerSetting setting = timer_settings({48_MHz, 16, {1}}, 20_kHz, Alignment::edge)[0];
  EXPECT_EQ(compare_value(setting, 0.0), 0);
  EXPECT_EQ(compare_value(setting, 1.0), 2400);
  EXPECT_EQ(compare_value(setting, 1.0 / 3.0), 800);
  EXPECT_EQ(phase_counts(setting, 2, 3, true), 1600);
  EXPECT_EQ(phase_counts(setting, 2, 3, false), 0);
  EXPECT_EQ(beside({48_MHz, 16, {1}}, setting, 20_kHz, Alignment::edge, 1)->counts, 2401);
}

// 600 Hz of 48 MHz take 80 000 counts, and 16 bits have 65 536: one overflow is one run of all of them, and
// tells duties by its counts.
TEST(TimerSetting, OfOneOverflowIsARunOfTheWholeCounter) {
  const TimerHardware timer{48_MHz, 16, {1}};
  const TimerSetting whole = timer_settings(timer, ExactFrequency(600, units::Hz), Alignment::edge)[0];
  EXPECT_EQ(whole.overflows, 0);
  EXPECT_EQ(top_value(whole, Alignment::edge), 65'535);
  EXPECT_EQ(compare_value(whole, 0.4), 26'214);
  EXPECT_NEAR(whole.frequency.to_double(), 48e6 / 65'536, 1e-9);
  EXPECT_FALSE(beside(timer, whole, ExactFrequency(600, units::Hz), Alignment::edge, 1)) << "it is full";
  const auto usual =
      timer_settings({48_MHz, 16, usual_prescalers()}, ExactFrequency(600, units::Hz), Alignment::edge);
  EXPECT_EQ(usual[0].error, 0.0);
  EXPECT_EQ(usual[0].prescaler, 2);
}

// A counter that is let run, step by step: how long a period is, and for how much of it a channel is on.
TEST(TimerSetting, UpAndDownIsAsItsCounterGoes) {
  const TimerHardware timer{48_MHz, 16, {1}};
  for (const double duty : {0.1, 0.4, 0.9}) {
    const TimerSetting setting = timer_settings(timer, 20_kHz, Alignment::centre)[0];
    const std::int64_t top = top_value(setting, Alignment::centre);
    const std::int64_t compare = compared_with(setting, Alignment::centre, compare_value(setting, duty));
    std::int64_t ticks = 0;
    std::int64_t on = 0;
    std::int64_t count = 0;
    int way = 1;
    do {
      // Between two counts it is on where both are at the compare value or above.
      const std::int64_t next = count + way;
      if (std::min(count, next) >= compare) ++on;
      count = next;
      ++ticks;
      if (count == top) way = -1;
    } while (count != 0);
    EXPECT_EQ(ticks, 2400) << "2 x top value";
    EXPECT_EQ(on, 2 * compare_value(setting, duty));
  }
  // The top value itself has to fit: 2^16 - 1 and no more.
  const TimerSetting slow = timer_settings(timer, ExactFrequency(366, units::Hz), Alignment::centre)[0];
  EXPECT_LE(top_value(slow, Alignment::centre), 65'535);
}

TEST(TimerSetting, ADeadTimeTakesFromBothOfAPair) {
  const PairTimes pair = pair_times(20e-6, 50e-6, 1e-6);
  EXPECT_DOUBLE_EQ(pair.on, 19e-6);
  EXPECT_DOUBLE_EQ(pair.complement, 29e-6);
  EXPECT_EQ(pair_times(0.5e-6, 50e-6, 1e-6).on, 0.0) << "it never comes on";
  EXPECT_EQ(pair_times(50e-6, 50e-6, 1e-6).on, 50e-6) << "always on, it is never switched";
}

TEST(SoftwareDuty, IsBoundedByTheShortestLevelThatTheControllerMakes) {
  const SoftwareDuty duty = software_duty(60_kHz, 20_kHz);
  EXPECT_TRUE(duty.fits);
  EXPECT_NEAR(duty.lowest, 20.0 / 120.0, 1e-12);
  EXPECT_NEAR(duty.highest, 100.0 / 120.0, 1e-12);
  EXPECT_FALSE(software_duty(60_kHz, 61_kHz).fits);
}

AnalogueInputs twelve_bits() {
  return {3, 12, Voltage(3.3, units::V), Time(1e-6, units::s), Voltage(1.6e-3, units::V)};
}
HandControl some_knob() {
  HandControl hand;
  hand.name = "dial";
  hand.kind = HandControl::Kind::knob;
  hand.channel = 2;
  return hand;
}

TEST(KnobScale, GoesOverItsWholeTravelAndReachesBothEnds) {
  const KnobScale scale(some_knob(), twelve_bits());
  double last = -1.0;
  for (int i = 0; i <= 1000; ++i) {
    const double share = scale.share(scale.volts(i / 1000.0), last);
    EXPECT_GE(share, last - 1e-12);
    EXPECT_NEAR(share, i / 1000.0, 0.01);
    last = share;
  }
  EXPECT_EQ(last, 1.0);
  EXPECT_EQ(scale.share(scale.volts(0.002), 0.5), 0.0) << "the end is wider than its noise";
  EXPECT_EQ(scale.share(scale.volts(0.998), 0.5), 1.0);
}

TEST(KnobScale, StandsStillWhileTheHandDoes) {
  const KnobScale scale(some_knob(), twelve_bits());
  for (const double at : {0.0, 0.004, 0.3, 0.77, 1.0}) {
    double share = scale.share(scale.volts(at), 2.0);
    const double first = share;
    for (int i = 0; i < 2000; ++i) share = scale.share(scale.volts(at) + 2e-3 * std::sin(0.7 * i), share);
    EXPECT_EQ(share, first) << at;
  }
}

TEST(KnobScale, AStickRestsAtItsCentreAndMayBeReversed) {
  HandControl stick = some_knob();
  stick.lowest = Voltage(0.2, units::V);
  stick.highest = Voltage(3.1, units::V);
  stick.centre = Voltage(1.7, units::V);
  stick.dead_band = Voltage(0.1, units::V);
  const KnobScale scale(stick, twelve_bits());
  EXPECT_EQ(scale.share(1.7 + 0.09, 0.5), 0.0);
  EXPECT_EQ(scale.share(1.7 - 0.09, -0.5), 0.0);
  EXPECT_EQ(scale.share(3.1, 0.0), 1.0);
  EXPECT_EQ(scale.share(0.2, 0.0), -1.0);
  stick.reversed = true;
  EXPECT_EQ(KnobScale(stick, twelve_bits()).share(3.1, 0.0), -1.0);
  stick.centre = Voltage(3.09, units::V);
  EXPECT_THROW(KnobScale(stick, twelve_bits()), RangeError);
  stick.centre.reset();
  stick.highest = Voltage(0.1, units::V);
  EXPECT_THROW(KnobScale(stick, twelve_bits()), RangeError);
}

}  // namespace
}  // namespace cogstride::timer_setting_test
