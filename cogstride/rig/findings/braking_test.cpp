// What braking pumps back, against the closed form and against integrating it.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "support/inspected.hpp"

namespace cogstride::braking_test {
namespace {

using namespace literals;

/// A drum on a brushless motor whose supply has a capacitor and no clamp.
Rig drum(double microfarad) {
  Rig rig = parse_rig(new_rig_text({"Drum", {{"drum", "brushless", ""}}, {}, {}}), "x");
  for (Supply* supply : {&rig.supplies[0], &rig.mechanisms[0].supply}) {
    supply->clamp_voltage.reset();
    supply->clamp_resistance.reset();
    supply->capacitance = Capacitance(microfarad, units::uF);
  }
  std::get<GateWiring>(rig.mechanisms[0].wiring).complementary = true;
  return rig;
}

double energy(const Rig& rig) {
  const double shaft = 2.0 * pi * rig.mechanisms[0].limits.speed.base.to_double();
  return 0.5 * rig.mechanisms[0].load.inertia.base() * shaft * shaft;
}

TEST(Braking, PumpsACapacitorUpByTheEnergyOfTheMotion) {
  // The capacitor that just reaches the 40 V which the board stands.
  const double just = 2.0 * energy(drum(1000)) / (40.0 * 40.0 - 24.0 * 24.0) * 1e6;
  EXPECT_TRUE(testing_support::inspected(drum(1.01 * just)).findings.empty());
  const Inspection inspection = testing_support::inspected(drum(0.99 * just));
  ASSERT_EQ(inspection.findings.size(), 1u);
  EXPECT_EQ(inspection.findings[0].code, "braking-energy");
  EXPECT_NE(inspection.findings[0].way_out.find(fmt::format("{:.3g} uF", just)), std::string::npos)
      << inspection.findings[0].way_out;
}

// Charge flows into the capacitor at the power of braking: the sum is the same energy.
TEST(Braking, IsTheSameWhenItIsIntegrated) {
  const Rig rig = drum(500);
  double speed = 2.0 * pi * rig.mechanisms[0].limits.speed.base.to_double();
  const double inertia = rig.mechanisms[0].load.inertia.base();
  const double torque = 0.05;
  double volts = 24.0;
  constexpr double step = 1e-6;
  while (speed > 0.0) {
    volts += torque * speed / volts / 500e-6 * step;
    speed -= torque / inertia * step;
  }
  EXPECT_NEAR(volts, std::sqrt(24.0 * 24.0 + 2.0 * energy(rig) / 500e-6), 0.01);
  const Inspection inspection = testing_support::inspected(rig);
  ASSERT_EQ(inspection.findings.size(), 1u);
  EXPECT_NE(inspection.findings[0].what.find(fmt::format("up to {:.4g} V", volts)), std::string::npos)
      << inspection.findings[0].what;
}

TEST(Braking, AClampTakesWhatItsResistorTakes) {
  Rig rig = drum(100);
  const RotaryMotorModel model = model_of(rig.mechanisms[0]);
  const double shaft = 2.0 * pi * rig.mechanisms[0].limits.speed.base.to_double();
  const double power = model.torque_per_ampere * 4.0 * shaft - model.winding_loss * 16.0;
  const auto codes = [&](double ohm, double volts) {
    rig.supplies[0].clamp_voltage = Voltage(volts, units::V);
    rig.supplies[0].clamp_resistance = Resistance(ohm, units::ohm);
    return testing_support::inspected(rig).findings.size();
  };
  EXPECT_EQ(codes(0.99 * 30.0 * 30.0 / power, 30.0), 0u);
  EXPECT_EQ(codes(1.01 * 30.0 * 30.0 / power, 30.0), 1u);
  EXPECT_EQ(codes(0.5 * 30.0 * 30.0 / power, 41.0), 1u) << "the board gives way first";
}

TEST(Braking, CannotBeCheckedWithoutACapacitance) {
  Rig rig = drum(1000);
  rig.supplies[0].capacitance.reset();
  const Inspection inspection = testing_support::inspected(rig);
  EXPECT_TRUE(inspection.findings.empty());
  const bool said = std::any_of(inspection.unchecked.begin(), inspection.unchecked.end(),
                                [](const Unchecked& u) { return u.needs == "supply.main.capacitance"; });
  EXPECT_TRUE(said);
}

TEST(Braking, OfASteeperRampPumpsMore) {
  Rig rig = drum(1);
  rig.supplies[0].clamp_voltage = 30_V;
  rig.supplies[0].clamp_resistance = 100_ohm;  // takes 9 W
  Mechanism& mechanism = rig.mechanisms[0];
  mechanism.limits.acceleration = OutputAcceleration(ExactAngularAcceleration(10'000, units::deg_per_s2));
  // 1.2e-4 kg m2 x 174.5 rad/s2 x 188.5 rad/s = 3.9 W
  EXPECT_TRUE(testing_support::inspected(rig).findings.empty());
  mechanism.limits.acceleration = OutputAcceleration(ExactAngularAcceleration(30'000, units::deg_per_s2));
  EXPECT_EQ(testing_support::inspected(rig).findings.size(), 1u);
}

}  // namespace
}  // namespace cogstride::braking_test
