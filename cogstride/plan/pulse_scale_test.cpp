#include "cogstride/plan/pulse_scale.hpp"

#include <gtest/gtest.h>

#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::pulse_scale_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

constexpr double us = 1e-6;

Mechanism demo_mechanism(const std::string& name) {
  return mechanism_named(demo_rig(), name);
}

TEST(PulseScale, GoesThroughTheMeasuredEndPoints) {
  const PulseScale snips(demo_mechanism("snips"));
  EXPECT_NEAR(snips.pulse_at(0.0), 920 * us, 1e-12);
  EXPECT_NEAR(snips.pulse_at(1.0), 2060 * us, 1e-12);
  EXPECT_NEAR(snips.pulse_at(70.0 / 168.0), 920 * us + 70.0 / 168.0 * 1140 * us, 1e-12);
  const PulseScale fan(demo_mechanism("fan"));
  EXPECT_NEAR(fan.pulse_at(0.6), 1600 * us, 1e-12);
  EXPECT_NEAR(fan.safe_pulse(), 1000 * us, 1e-12);
  EXPECT_FALSE(fan.goes_both_ways());
}

TEST(PulseScale, BendsAtACentreThatIsNotHalfWay) {
  Mechanism snips = demo_mechanism("snips");
  std::get<PulseWidthInput>(snips.board).centre_pulse = Time(1.45, units::ms);
  const PulseScale scale(snips);
  EXPECT_NEAR(scale.pulse_at(0.25), 920 * us + 0.5 * (1450 - 920) * us, 1e-12);
  EXPECT_NEAR(scale.pulse_at(0.5), 1450 * us, 1e-12);
  EXPECT_NEAR(scale.pulse_at(0.75), 1450 * us + 0.5 * (2060 - 1450) * us, 1e-12);
  EXPECT_NEAR(scale.seconds_per_share(0.2), 2.0 * (1450 - 920) * us, 1e-12);
}

TEST(PulseScale, OfASpeedControllerWithACentreGoesBothWays) {
  Mechanism fan = demo_mechanism("fan");
  std::get<PulseWidthInput>(fan.board).centre_pulse = Time(1.48, units::ms);
  const PulseScale scale(fan);
  EXPECT_TRUE(scale.goes_both_ways());
  EXPECT_NEAR(scale.safe_pulse(), 1480 * us, 1e-12);
  EXPECT_NEAR(scale.pulse_at(-1.0), 1000 * us, 1e-12);
  EXPECT_NEAR(scale.pulse_at(-0.5), 1240 * us, 1e-12);
  EXPECT_NEAR(scale.pulse_at(1.0), 2000 * us, 1e-12);
}

TEST(PulseScale, TurnedRoundTakesTheOtherEndFirst) {
  for (const char* const name : {"snips", "fan"}) {
    Mechanism turned = demo_mechanism(name);
    turned.reversed = true;
    const PulseScale there(demo_mechanism(name));
    const PulseScale back(turned);
    for (const double share : {0.0, 0.2, 0.5, 0.8, 1.0})
      EXPECT_NEAR(back.pulse_at(share), there.pulse_at(1.0 - share), 1e-12) << name << " " << share;
  }
}

TEST(PulseScale, BackFromAPulseIsTheSameShare) {
  for (const bool has_centre : {false, true})
    for (const bool reversed : {false, true})
      for (const char* const name : {"snips", "fan"}) {
        Mechanism mechanism = demo_mechanism(name);
        mechanism.reversed = reversed;
        if (has_centre) std::get<PulseWidthInput>(mechanism.board).centre_pulse = Time(1.4, units::ms);
        const PulseScale scale(mechanism);
        for (double share = scale.least() - 0.2; share < 1.25; share += 0.05)
          EXPECT_NEAR(scale.share_at(scale.pulse_at(share)), share, 1e-9) << name << has_centre << reversed;
      }
}

TEST(PulseScale, IsRefusedWhatTakesNoPulses) {
  EXPECT_THROW(PulseScale{demo_mechanism("feeder")}, RangeError);
  EXPECT_THROW((void)range_of(demo_mechanism("fan")), RangeError);
}

TEST(PulseScale, ASwingIsThatOfTheOutputBehindGears) {
  Mechanism snips = demo_mechanism("snips");
  EXPECT_EQ(range_of(snips), OutputPosition(168_deg));
  snips.train.stages.push_back(GearPair{20, 30});
  EXPECT_EQ(range_of(snips), OutputPosition(112_deg));
}

}  // namespace
}  // namespace cogstride::pulse_scale_test
