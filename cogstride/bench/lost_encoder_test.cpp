// An encoder that is lost is noticed, whether a loop goes by it or not.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/fault_watch.hpp"
#include "support/trials.hpp"

namespace cogstride::lost_encoder_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::FaultWatch;
using testing_support::trials;

void is_noticed(const FaultWatch& fault, double from, double within, const char* says) {
  EXPECT_NE(fault.what.find(says), std::string::npos) << "told: '" << fault.what << "'";
  EXPECT_GT(fault.at, from);
  EXPECT_LT(fault.at, from + within);
}

TEST(LostEncoder, IsNoticedWhereAMotorIsDrivenByDutyAlone) {
  for (const double duty : {0.3, -0.3}) {
    SimulatedBench bench(demo_rig(), {.events = {{.at = 2_s, .what = "feeder.disc", .on = false}}});
    const FaultWatch fault(bench);
    auto feeder = bench.brushed("feeder");
    feeder.spin({.duty = Fraction::from_base(duty)}).wait();
    bench.serve(4_s);
    is_noticed(fault, 2.0, 0.3, "disc has not counted for 0.2 s");
    EXPECT_EQ(feeder.duty().base(), 0.0);
  }
}

TEST(LostEncoder, OfASlowRampNothingIsToldBeforeItTurns) {
  SimulatedBench bench(demo_rig());
  const FaultWatch fault(bench);
  auto feeder = bench.brushed("feeder");
  feeder.spin({.duty = 30_percent, .in = 5_s}).wait();
  feeder.reverse().wait();
  bench.serve(1_s);
  feeder.stop().wait();
  bench.serve(3_s);
  EXPECT_EQ(fault.what, "");
}

TEST(LostEncoder, OfRandomRigsWithTheirEncodersNoneIsTakenForLost) {
  std::mt19937_64 random(31);
  const auto times = [&](double most) {
    return std::exp(std::uniform_real_distribution<double>(-std::log(most), std::log(most))(random));
  };
  for (int i = 0; i < trials(40, 400); ++i) {
    Rig rig = only_with(demo_rig(), {"feeder"});
    Mechanism& feeder = rig.mechanisms[0];
    feeder.load.inertia = Inertia::from_base(feeder.load.inertia.base() * 17.0 * times(17.0));
    feeder.load.coulomb_friction = Torque::from_base(feeder.load.coulomb_friction.base() * times(2.0));
    feeder.load.stiction = Torque::from_base(feeder.load.coulomb_friction.base() * 1.5);
    for (Sensor& sensor : feeder.sensors)
      if (auto* const encoder = std::get_if<Encoder>(&sensor))
        encoder->lines_per_turn = std::uniform_int_distribution<std::int64_t>(3, 24)(random);
    feeder.limits.lowest_duty.reset();
    SimulatedBench bench(rig, {.seed = random()});
    const FaultWatch fault(bench);
    auto drive = bench.brushed("feeder");
    const double duty =
        start_duty(model_of(feeder)) * std::uniform_real_distribution<double>(1.25, 2.0)(random);
    drive.spin({.duty = Fraction::from_base(i % 2 == 0 ? duty : -duty)}).wait();
    bench.serve(3_s);
    EXPECT_EQ(fault.what, "") << i << ": " << duty << ", inertia " << feeder.load.inertia.base();
  }
}

TEST(LostEncoder, IsNoticedBeforeAZeroIsFound) {
  Rig rig = demo_rig();
  rig.mechanisms[0].sensors.push_back(testing_support::scale_on_the_screw());
  const std::string scale = "traverse." + name_of(rig.mechanisms[0].sensors.back());
  for (const bool is_lost : {true, false}) {
    SimulatedBench::Options options{.start_positions = {{"traverse", 60_mm}}};
    if (is_lost) options.events = {{.at = 1_s, .what = scale, .on = false}};
    SimulatedBench bench(rig, options);
    const FaultWatch fault(bench);
    const std::string result = bench.stepper("traverse").home().result();
    if (is_lost) {
      is_noticed(fault, 1.0, 1.0, "where its steps went");
      EXPECT_NE(result, "");
    } else {
      EXPECT_EQ(fault.what, "");
      EXPECT_EQ(result, "");
    }
  }
}

TEST(LostEncoder, IsNoticedBesideHallSensors) {
  Rig rig = only_with(demo_rig(), {"spindle"});
  Encoder beside;
  beside.name = "disc";
  beside.lines_per_turn = 100;
  beside.line_a = 60;
  beside.line_b = 61;
  rig.mechanisms[0].sensors.push_back(beside);
  for (const bool is_lost : {true, false}) {
    SimulatedBench::Options options;
    if (is_lost) options.events = {{.at = 2_s, .what = "spindle.disc", .on = false}};
    SimulatedBench bench(rig, options);
    const FaultWatch fault(bench);
    bench.brushless("spindle").spin({.at = 900_rpm}).wait();
    bench.serve(2_s);
    if (is_lost) {
      is_noticed(fault, 2.0, 0.2, "disc has counted");
    } else {
      EXPECT_EQ(fault.what, "");
    }
  }
}

}  // namespace
}  // namespace cogstride::lost_encoder_test
