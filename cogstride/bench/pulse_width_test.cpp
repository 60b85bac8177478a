// Hobby servos and speed controllers on the simulated bench: what goes out on their lines, and what they do.
#include <gtest/gtest.h>

#include <cmath>
#include <map>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::pulse_width_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

constexpr double clock = 48e6;

/// The widths of all pulses of one line, and when they began.
class Pulses final : public TraceSink {
 public:
  explicit Pulses(std::uint16_t line) : line_(static_cast<LineId>(line)) {}
  struct Pulse {
    double at = 0.0;
    double width = 0.0;
  };
  std::vector<Pulse> pulses{};

  void begin(const TraceLayout&) override {}
  void edge(Tick at, LineId line, bool high) override {
    if (line != line_) return;
    if (high) {
      rose_ = at;
    } else if (rose_ >= 0) {
      pulses.push_back({static_cast<double>(rose_) / clock, static_cast<double>(at - rose_) / clock});
    }
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

 private:
  LineId line_;
  Tick rose_ = -1;
};

constexpr std::uint16_t fan_line = 33;
constexpr std::uint16_t snips_line = 34;

struct Bench48 {
  Pulses pulses;
  SimulatedBench bench;
  explicit Bench48(std::uint16_t line, std::vector<OutsideEvent> events = {}, Rig rig = demo_rig(),
                   std::optional<Rig> actual = {})
      : pulses(line),
        bench(std::move(rig), {.actual = std::move(actual), .events = std::move(events), .trace = &pulses}) {}
  double angle() { return 168.0 * bench.pulsed_plant("snips").position(); }
  double speed() { return bench.pulsed_plant("fan").speed(); }
};

TEST(SwingingServo, PulsesAreThoseOfItsAngles) {
  Bench48 b(snips_line);
  b.bench.serve(100_ms);
  EXPECT_TRUE(b.pulses.pulses.empty()) << "nothing goes out before the first order";
  auto snips = b.bench.servo("snips");
  for (const int degrees : {0, 70, 35}) {
    snips.swing({.to = OutputPosition(ExactAngle(degrees, units::deg))}).wait();
    EXPECT_NEAR(b.pulses.pulses.back().width, 920e-6 + degrees / 168.0 * 1140e-6, 0.51 * 16 / clock);
    EXPECT_NEAR(b.angle(), degrees, 0.59) << "within its dead band";
  }
  for (std::size_t i = 1; i < b.pulses.pulses.size(); ++i)
    EXPECT_NEAR(b.pulses.pulses[i].at - b.pulses.pulses[i - 1].at, 0.02, 1e-9) << "one pulse a frame";
}

TEST(SwingingServo, TakesPulsesAtAnyFrameRate) {
  for (const std::int64_t hertz : {50, 100, 333}) {
    Rig rig = demo_rig();
    for (Mechanism& mechanism : rig.mechanisms)
      if (mechanism.name == "snips")
        std::get<PulseWidthInput>(mechanism.board).frame_rate = ExactFrequency(hertz, units::Hz);
    Bench48 b(snips_line, {}, rig);
    auto snips = b.bench.servo("snips");
    snips.swing({.to = 0_deg}).wait();
    snips.swing({.to = 70_deg, .speed = 200_deg_per_s}).wait();
    EXPECT_NEAR(b.angle(), 70.0, 0.65) << hertz;
    const auto& pulses = b.pulses.pulses;
    EXPECT_NEAR(pulses.back().at - pulses[pulses.size() - 2].at, 1.0 / static_cast<double>(hertz), 1e-6)
        << hertz;
    EXPECT_NEAR(pulses.back().width, 920e-6 + 70.0 / 168.0 * 1140e-6, 0.51 * 16 / clock);
  }
  Rig rig = demo_rig();
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == "snips")
      std::get<PulseWidthInput>(mechanism.board).frame_rate = ExactFrequency(10, units::Hz);
  EXPECT_THROW(SimulatedBench{rig}, RangeError) << "its 16-bit timer cannot";
}

TEST(SwingingServo, AngleAskedGoesWithSpeedAndAcceleration) {
  Bench48 b(snips_line);
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 0_deg}).wait();
  const std::size_t first = b.pulses.pulses.size();
  snips.swing({.to = 60_deg, .speed = 100_deg_per_s, .acceleration = 500_deg_per_s2}).wait();
  const auto& pulses = b.pulses.pulses;
  const double a_degree = 1140e-6 / 168.0;
  double fastest = 0.0;
  double speed_before = 0.0;
  for (std::size_t i = first; i < pulses.size(); ++i) {
    const double speed = (pulses[i].width - pulses[i - 1].width) / a_degree / 0.02;
    EXPECT_LE(speed, 100.0 + 3.0) << "a count more or less in a frame is 2.5 deg/s";
    EXPECT_LE(std::abs(speed - speed_before) / 0.02, 500.0 + 260.0);
    fastest = std::max(fastest, speed);
    speed_before = speed;
  }
  EXPECT_GT(fastest, 95.0);
  // 60 deg at 100 deg/s with 0.2 s at each end: 0.8 s, and then what makes sure that it has come there.
  EXPECT_NEAR(b.bench.now().base() - 0.476, 0.8 + 0.14, 0.06);
}

TEST(SwingingServo, ASwingInMidSwingGoesOnFromThere) {
  Bench48 b(snips_line);
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 0_deg}).wait();
  Motion there = snips.swing({.to = 70_deg, .speed = 100_deg_per_s, .acceleration = 1000_deg_per_s2});
  b.bench.serve(300_ms);
  const std::size_t first = b.pulses.pulses.size();
  snips.swing({.to = 0_deg, .speed = 100_deg_per_s, .acceleration = 1000_deg_per_s2}).wait();
  EXPECT_EQ(there.status(), MotionStatus::cancelled);
  for (std::size_t i = first; i < b.pulses.pulses.size(); ++i)
    EXPECT_LT(std::abs(b.pulses.pulses[i].width - b.pulses.pulses[i - 1].width), 2.3 * 1140e-6 / 168.0)
        << "no jump in what is asked for";
  EXPECT_NEAR(b.angle(), 0.0, 0.59);
}

TEST(SwingingServo, RefusesWhatItCannotDo) {
  SimulatedBench bench(demo_rig());
  auto snips = bench.servo("snips");
  EXPECT_THROW(snips.swing({.by = 10_deg}), RangeError) << "nobody knows where it stands";
  snips.swing({.to = 10_deg}).wait();
  EXPECT_THROW(snips.swing({.to = 71_deg}), RangeError) << "a soft limit";
  EXPECT_THROW(snips.swing({.by = -11_deg}), RangeError);
  EXPECT_THROW(snips.swing({.to = 20_deg, .speed = 501_deg_per_s}), RangeError);
  EXPECT_THROW(snips.swing({.to = 20_mm}), RangeError);
  EXPECT_THROW((void)bench.servo("fan"), RangeError);
  EXPECT_THROW((void)bench.servo("nothing"), RangeError);
  snips.swing({.by = 5_deg}).wait();
  EXPECT_EQ(snips.position(), OutputPosition(15_deg));
}

TEST(SwingingServo, ReleasedItGoesLimpAndForgetsWhereItStands) {
  Bench48 b(snips_line);
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 40_deg}).wait();
  snips.release();
  const std::size_t last = b.pulses.pulses.size();
  b.bench.serve(300_ms);
  EXPECT_LE(b.pulses.pulses.size(), last + 1);
  EXPECT_FALSE(snips.position());
  EXPECT_NEAR(b.bench.pulsed_plant("snips").current(), 0.0, 1e-9);
  EXPECT_FALSE(b.bench.pulsed_plant("snips").obeys());
}

TEST(SwingingServo, StopsOnItsRampAndHolds) {
  Bench48 b(snips_line);
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 0_deg}).wait();
  snips.swing({.to = 70_deg, .speed = 100_deg_per_s, .acceleration = 500_deg_per_s2});
  b.bench.serve(400_ms);
  snips.stop().wait();
  // 0.2 s up is 10 deg, 0.2 s at full speed 20, and 10 more down; a frame more or less.
  const double at = b.angle();
  EXPECT_NEAR(at, 40.0, 2.6);
  b.bench.serve(500_ms);
  EXPECT_NEAR(b.angle(), at, 0.05);
  EXPECT_TRUE(b.bench.pulsed_plant("snips").obeys());
}

TEST(SwingingServo, HeldFastItDrawsItsStallCurrentAndWarmsUpAsTheClosedFormSays) {
  Bench48 b(snips_line, {{.at = 1_s, .what = "snips.jam"}});
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 0_deg}).wait();
  b.bench.serve(Time(1.0, units::s) - b.bench.now());
  snips.swing({.to = 70_deg});
  b.bench.serve(10_s);
  const PulsePlant& plant = b.bench.pulsed_plant("snips");
  EXPECT_NEAR(plant.current(), 1.01, 1e-6);
  EXPECT_NEAR(plant.power(), 5.05, 1e-6);
  // 5 W at 22 K/W, 308 s.
  EXPECT_NEAR(plant.rise(), 110.0 * (1.0 - std::exp(-10.0 / 308.0)), 0.06);
  const MoverVerdict verdict = b.bench.verdict().of("snips");
  EXPECT_GT(verdict.figure("longest_stall"), 9.5);
  EXPECT_FALSE(verdict.is_sound());
  EXPECT_TRUE(verdict.moments.empty()) << "it was not too warm";
  EXPECT_NEAR(verdict.figure("rest"), 308.0 * std::log(2.0), 0.01);
}

TEST(SwingingServo, SaysWhenItWasTooWarm) {
  Rig rig = demo_rig();
  for (Mechanism& mechanism : rig.mechanisms)
    if (auto* const servo = std::get_if<HobbyServo>(&mechanism.motor))
      servo->heat.highest_rise = Temperature(10.0, units::K);
  Bench48 b(snips_line, {{.at = 0_s, .what = "snips.jam"}}, rig);
  b.bench.servo("snips").swing({.to = 70_deg});
  b.bench.serve(60_s);
  const MoverVerdict verdict = b.bench.verdict().of("snips");
  ASSERT_EQ(verdict.moments.size(), 1u);
  EXPECT_NEAR(static_cast<double>(verdict.moments[0].at) / 48e6, -308.0 * std::log(1.0 - 10.0 / 110.0), 0.2);
  EXPECT_NEAR(verdict.figure("motor_rise"), 110.0 * (1.0 - std::exp(-60.0 / 308.0)), 0.2);
}

TEST(SwingingServo, WhoseEndPointsWereGuessedPressesAgainstItsStop) {
  Rig guessed = demo_rig();
  for (Mechanism& mechanism : guessed.mechanisms)
    if (mechanism.name == "snips") {
      auto& input = std::get<PulseWidthInput>(mechanism.board);
      input.shortest_pulse = Time(0.5, units::ms);
      input.longest_pulse = Time(2.5, units::ms);
    }
  Bench48 b(snips_line, {}, guessed, demo_rig());
  auto snips = b.bench.servo("snips");
  snips.swing({.to = 0_deg}).wait();
  b.bench.serve(1_s);
  const PulsePlant& plant = b.bench.pulsed_plant("snips");
  EXPECT_EQ(plant.position(), 0.0);
  EXPECT_NEAR(plant.current(), 1.01, 0.01) << "pulled against its own stop";
  EXPECT_GT(b.bench.verdict().of("snips").figure("longest_stall"), 1.0);
  // A measured one draws nothing but its idle current there.
  Bench48 measured(snips_line);
  measured.bench.servo("snips").swing({.to = 0_deg}).wait();
  measured.bench.serve(1_s);
  EXPECT_NEAR(measured.bench.pulsed_plant("snips").current(), 0.01, 1e-9);
}

TEST(SpeedController, GetsOnlyItsArmingPulsesBeforeItIsArmed) {
  Bench48 b(fan_line);
  auto fan = b.bench.speed_controller("fan");
  EXPECT_THROW(fan.throttle({.duty = 40_percent}), RangeError);
  b.bench.serve(200_ms);
  EXPECT_TRUE(b.pulses.pulses.empty());
  fan.arm().wait();
  EXPECT_TRUE(fan.is_armed());
  EXPECT_TRUE(b.bench.pulsed_plant("fan").obeys());
  EXPECT_GE(b.bench.now().base(), 2.2);
  EXPECT_LE(b.bench.now().base(), 2.3);
  for (const Pulses::Pulse& pulse : b.pulses.pulses) EXPECT_NEAR(pulse.width, 1e-3, 1e-9);
  EXPECT_THROW(fan.arm(), RangeError);
}

TEST(SpeedController, ArmsByStagesAndByThoseOfItsOwnRig) {
  Rig rig = demo_rig();
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == "fan")
      std::get<PulseWidthInput>(mechanism.board).arming = {{Time(2, units::ms), 0.5_s},
                                                           {Time(1, units::ms), 1_s}};
  Bench48 b(fan_line, {}, rig);
  b.bench.speed_controller("fan").arm().wait();
  EXPECT_TRUE(b.bench.pulsed_plant("fan").obeys());
  // One that wants them in the other order does not arm, and does not obey.
  Bench48 other(fan_line, {}, demo_rig(), rig);
  auto fan = other.bench.speed_controller("fan");
  fan.arm().wait();
  fan.throttle({.duty = 50_percent}).wait();
  other.bench.serve(1_s);
  EXPECT_FALSE(other.bench.pulsed_plant("fan").obeys());
  EXPECT_EQ(other.speed(), 0.0);
  EXPECT_GT(other.bench.verdict().of("fan").figure("pulses_too_soon"), 10);
  EXPECT_FALSE(other.bench.verdict().is_sound());
}

TEST(SpeedController, ThrottleIsAPulseAndItsSpeedLagsAsTheClosedFormSays) {
  Bench48 b(fan_line);
  auto fan = b.bench.speed_controller("fan");
  fan.arm().wait();
  fan.throttle({.duty = 50_percent, .in = 0.1_s}).wait();
  b.bench.serve(3_s);
  EXPECT_NEAR(b.pulses.pulses.back().width, 1.5e-3, 0.51 * 16 / clock);
  EXPECT_NEAR(b.speed(), 0.5, 1e-4);
  // 30 mA at any speed, the rest of 0.4 A with the third power of it.
  EXPECT_NEAR(b.bench.pulsed_plant("fan").current(), 0.03 + 0.37 * 0.125, 1e-4);
  fan.stop().wait();
  const double begins = b.speed();
  b.bench.serve(600_ms);
  EXPECT_NEAR(b.speed(), begins * std::exp(-0.6 / 0.3), 0.01);
  EXPECT_NEAR(b.pulses.pulses.back().width, 1e-3, 1e-9) << "after a stop the pulse of no throttle goes on";
}

// A motor between its back-EMF and its load: i = i_0 + (i_1 - i_0) n^3 + (i_s - i_0) (u - n), n behind u by
// its lag.
TEST(SpeedController, TakesASurgeUntilItsSpeedHasComeUp) {
  Bench48 b(fan_line);
  auto fan = b.bench.speed_controller("fan");
  fan.arm().wait();
  (void)fan.throttle({.duty = 60_percent, .in = 0.15_s});
  b.bench.serve(0.2_s);
  const double n_then = b.speed();
  double highest = 0.03 + 0.37 * n_then * n_then * n_then + 1.17 * (0.6 - n_then);
  for (int i = 0; i < 100; ++i) {
    b.bench.serve(10_ms);
    const double n = b.speed();
    const double told = 0.03 + 0.37 * n * n * n + 1.17 * std::max(0.0, 0.6 - n);
    EXPECT_NEAR(b.bench.pulsed_plant("fan").current(), told, 0.01) << n;
    highest = std::max(highest, told);
  }
  EXPECT_GT(highest, 0.4) << "more than it takes at full throttle";
  EXPECT_GE(b.bench.pulsed_plant("fan").highest_current(), highest - 0.01);
  EXPECT_LT(b.bench.pulsed_plant("fan").highest_current(), 0.03 + 1.17 * 0.6);
}

TEST(SpeedController, KeepsItsThrottlesLimits) {
  SimulatedBench bench(demo_rig());
  auto fan = bench.speed_controller("fan");
  fan.arm().wait();
  EXPECT_THROW(fan.throttle({.duty = 81_percent}), RangeError);
  EXPECT_THROW(fan.throttle({.duty = 9_percent}), RangeError);
  EXPECT_THROW(fan.throttle({.duty = -30_percent}), RangeError) << "it turns one way";
  EXPECT_THROW(fan.faster(ExactFraction(5, units::percent)), RangeError) << "it does not turn";
  fan.throttle({.duty = 70_percent}).wait();
  EXPECT_THROW(fan.faster(ExactFraction(11, units::percent)), RangeError);
  fan.slower(ExactFraction(20, units::percent)).wait();
  EXPECT_NEAR(fan.throttle().base(), 0.5, 1e-9);
}

TEST(SpeedController, ThatGoesBothWaysWaitsBeforeItReverses) {
  Rig rig = demo_rig();
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == "fan") {
      auto& input = std::get<PulseWidthInput>(mechanism.board);
      input.centre_pulse = Time(1.5, units::ms);
      input.arming = {{Time(1.5, units::ms), 1_s}};
    }
  Bench48 b(fan_line, {}, rig);
  auto fan = b.bench.speed_controller("fan");
  fan.arm().wait();
  fan.throttle({.duty = 50_percent}).wait();
  b.bench.serve(2_s);
  const std::size_t first = b.pulses.pulses.size();
  fan.reverse().wait();
  b.bench.serve(2_s);
  EXPECT_NEAR(b.speed(), -0.5, 1e-3);
  double quiet = 0.0;
  for (std::size_t i = first; i < b.pulses.pulses.size(); ++i)
    if (std::abs(b.pulses.pulses[i].width - 1.5e-3) < 1e-6) quiet += 0.02;
  EXPECT_NEAR(quiet, 0.9, 0.05) << "three time constants";
}

TEST(SpeedController, WithoutPulsesItStopsAndMustBeArmedAgain) {
  Bench48 b(fan_line, {{.at = 5_s, .what = "fan.signal", .on = false}, {.at = 6_s, .what = "fan.signal"}});
  auto fan = b.bench.speed_controller("fan");
  fan.arm().wait();
  fan.throttle({.duty = 50_percent}).wait();
  b.bench.serve(Time(5.0, units::s) - b.bench.now());
  EXPECT_NEAR(b.speed(), 0.5, 0.01);
  b.bench.serve(0.9_s);
  EXPECT_LT(b.speed(), 0.06);
  b.bench.serve(3_s);
  EXPECT_EQ(b.bench.pulsed_plant("fan").obeys(), false)
      << "its wire is whole again, and it wants to be armed";
  fan.release();
  EXPECT_FALSE(fan.is_armed());
  EXPECT_THROW(fan.throttle({.duty = 50_percent}), RangeError);
  b.bench.serve(200_ms);
  fan.arm().wait();
  fan.throttle({.duty = 50_percent}).wait();
  b.bench.serve(2_s);
  EXPECT_NEAR(b.speed(), 0.5, 0.01);
}

TEST(SpeedController, AStopOfEverythingLeavesNoThrottle) {
  for (const StopBy how : {StopBy::cut, StopBy::steepest_ramp}) {
    Bench48 b(fan_line);
    auto fan = b.bench.speed_controller("fan");
    auto snips = b.bench.servo("snips");
    fan.arm().wait();
    fan.throttle({.duty = 70_percent}).wait();
    Motion swing = snips.swing({.to = 70_deg, .speed = 50_deg_per_s});
    b.bench.serve(100_ms);
    const double stopped = b.bench.now().base();
    b.bench.stop(how, "tried");
    b.bench.serve(3_s);
    EXPECT_LT(b.speed(), 1e-3);
    EXPECT_EQ(swing.status(), MotionStatus::faulted);
    for (const Pulses::Pulse& pulse : b.pulses.pulses)
      if (pulse.at > stopped + 0.25) {
        EXPECT_NEAR(pulse.width, 1e-3, 1e-9);
      }
    EXPECT_EQ(b.pulses.pulses.back().at > stopped + 2.5, how == StopBy::steepest_ramp)
        << "cut lines carry no pulse";
    EXPECT_EQ(fan.is_armed(), how == StopBy::steepest_ramp);
  }
}

TEST(SpeedController, AnEmergencyStopEndsArming) {
  SimulatedBench bench(demo_rig(), {.events = {{.at = 1_s, .what = "halt"}}});
  auto fan = bench.speed_controller("fan");
  Motion arming = fan.arm();
  EXPECT_NE(arming.result().find("emergency stop"), std::string::npos);
  EXPECT_FALSE(fan.is_armed());
  EXPECT_THROW(fan.arm(), RangeError) << "it is still pressed";
}

/// Random orders at random instants: what goes out before arming and after stops, and how fast it changes.
TEST(SpeedController, RandomOrdersKeepPulsesWithinWhatTheyMayBe) {
  std::uint64_t state = 12345;
  const auto random = [&state](std::uint64_t below) {
    state = state * 6364136223846793005u + 1442695040888963407u;
    return (state >> 33) % below;
  };
  Bench48 b(fan_line);
  auto fan = b.bench.speed_controller("fan");
  for (int i = 0; i < testing_support::repeated(300, 60); ++i) {
    try {
      switch (random(8)) {
        case 0:
          fan.arm();
          break;
        case 1:
          fan.stop();
          break;
        case 2:
          if (random(4) == 0) fan.release();
          break;
        case 3:
          fan.faster(ExactFraction(static_cast<std::int64_t>(1 + random(20)), units::percent));
          break;
        default:
          fan.throttle({.duty = Fraction::from_base(0.01 * static_cast<double>(random(100)))});
      }
    } catch (const RangeError&) {
    }
    b.bench.serve(Time(0.001 * static_cast<double>(random(900)), units::s));
  }
  ASSERT_GT(b.pulses.pulses.size(), 1000u);
  double before = 1e-3;
  for (const Pulses::Pulse& pulse : b.pulses.pulses) {
    EXPECT_GE(pulse.width, 1e-3 - 1e-9);
    EXPECT_LE(pulse.width, 1.8e-3 + 1e-6) << "not over the highest throttle";
    // A frame of the steepest ramp, with the jump over what does not turn.
    EXPECT_LE(pulse.width - before, (0.02 / 0.2 + 0.1) * 1e-3 + 1e-6);
    if (pulse.width > 1e-3 + 1e-6) {
      EXPECT_GE(pulse.width, 1.1e-3 - 1e-6) << "none that does not turn it";
    }
    before = pulse.width;
  }
}

}  // namespace
}  // namespace cogstride::pulse_width_test
