// Through duty on live lines, whose port has a motor behind it.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <mutex>

#include "cogstride/port/counter_port.hpp"
#include "cogstride/port/null_port.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/report/sweep_report.hpp"
#include "cogstride/study/duty_sweep.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::live_duty_sweep_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::has;
using testing_support::is_of_a_busy_computer;
using testing_support::refusal_of;
using testing_support::unless_busy;

/// A motor that starts at 15.5 % duty and drops out at 9.5 %, 40 000 counts/s for all of it.
class MotorPort final : public LinePort {
 public:
  [[nodiscard]] std::int64_t now_ns() override { return real_.now_ns(); }
  void write(std::span<const Level>) override {}
  void write_duty(LineId line, std::int64_t high_ns) override {
    const std::lock_guard lock(mutex_);
    go_on();
    if (line != LineId{28}) return;
    const double duty = static_cast<double>(high_ns) / 50'000.0;
    if (duty > 0.155) turns_ = true;
    if (duty < 0.095) turns_ = false;
    speed_ = turns_ ? way_ * 40'000.0 * duty : 0.0;
    most_ = std::max(most_, duty);
  }
  RestOutcome rest() noexcept override { return {}; }
  [[nodiscard]] bool read(LineId line) override { return line == LineId{5}; }  // the supply is up
  void take_edges(std::vector<PortEdge>&) override {}
  void sleep_until(std::int64_t until) override { real_.sleep_until(until); }
  void wake() noexcept override { real_.wake(); }

  [[nodiscard]] PortCount read_counted() {
    const std::lock_guard lock(mutex_);
    go_on();
    return {std::llround(std::floor(place_)), at_ns_};
  }

  void turn_by(double way) { way_ = way; }
  [[nodiscard]] double most() const { return most_; }

 private:
  void go_on() {
    const std::int64_t now = real_.now_ns();
    place_ += speed_ * 1e-9 * static_cast<double>(now - at_ns_);
    at_ns_ = now;
  }

  NullPort real_;
  std::mutex mutex_;
  std::int64_t at_ns_ = real_.now_ns();
  double place_ = 0.0;
  double speed_ = 0.0;
  double way_ = 1.0;
  double most_ = 0.0;
  bool turns_ = false;
};

class MotorCounter final : public CounterPort {
 public:
  explicit MotorCounter(MotorPort& port) : port_(port) {}
  [[nodiscard]] bool has(LineId line_a) const override { return line_a == LineId{31}; }
  [[nodiscard]] bool tells_times(LineId) const override { return true; }
  [[nodiscard]] PortCount read(LineId) override { return port_.read_counted(); }

 private:
  MotorPort& port_;
};

Rig feeder_rig() {
  Rig rig = only_with(demo_rig(), {"feeder"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.pwm_chips = {{"bench", "pwmchip0", {28, 29}, {0, 1}}};
  rig.controller.edge_lateness = Time(50.0, units::ms);
  rig.outputs.clear();
  rig.hands.clear();
  rig.bindings.clear();
  Mechanism& feeder = rig.mechanisms[0];
  feeder.limits.highest_duty = 24_percent;
  feeder.limits.full_ramp = Time(0.1, units::s);
  return rig;
}

DutySweep sweep_of(const Rig& rig, MotorPort& port, std::vector<double>* seen = nullptr) {
  MotorCounter counter(port);
  LiveDutySweep how;
  how.bench = {.asks_for_real_time = false, .port = &port, .counters = &counter};
  how.settles = Time(10.0, units::ms);
  how.looks = Time(20.0, units::ms);
  if (seen != nullptr) how.on_point = [seen](const DutyPoint& point) { seen->push_back(point.duty); };
  try {
    return sweep_duty_live(rig, rig.mechanisms[0], how);
  } catch (const MotionFault& fault) {
    if (is_of_a_busy_computer(fault.what())) throw MotionFault(fault.what(), FaultCode::controller);
    throw;
  }
}

TEST(LiveDutySweep, TellsWhereAMotorStartsAndDropsOut) {
  unless_busy([] {
    MotorPort port;
    std::vector<double> seen;
    const DutySweep sweep = sweep_of(feeder_rig(), port, &seen);
    ASSERT_EQ(sweep.curves.size(), 1u);
    const DutyCurve& curve = sweep.curves[0];
    EXPECT_NEAR(curve.start().value_or(0.0), 0.16, 1e-9);
    EXPECT_NEAR(curve.drop_out().value_or(0.0), 0.10, 1e-9);
    EXPECT_NEAR(port.most(), 0.24, 1e-4) << "no more than its limits give";
    EXPECT_EQ(seen.size(), 50u);
    // 48 counts a turn of the motor, 4:19 down to the output.
    const double rpm = 40'000.0 * 0.24 / 48.0 * 4.0 / 19.0 * 60.0;
    EXPECT_NEAR(curve.up.back().speed, rpm, 0.05 * rpm);
    const std::string text = duty_sweep_text(sweep);
    EXPECT_TRUE(has(text, "feeder: how it answers to duty, on live lines, by its encoder"));
    EXPECT_TRUE(has(text, "slow decay at 20 kHz (the rig)"));
    EXPECT_FALSE(has(text, "nan"));
    EXPECT_TRUE(has(duty_sweep_json(sweep), "\"current_A\": null"));
  });
}

TEST(LiveDutySweep, EndsWhereTheEncoderDoesNotTell) {
  unless_busy([] {
    MotorPort port;
    port.turn_by(-1.0);
    EXPECT_TRUE(has(refusal_of<MotionFault>([&] { (void)sweep_of(feeder_rig(), port); }),
                    "counts backwards when it is driven forwards"));
    EXPECT_NEAR(port.most(), 0.16, 1e-4);
  });
}

TEST(LiveDutySweep, RefusesWhatMayNotTurnOnAndOn) {
  Rig rig = feeder_rig();
  MotorPort port;
  rig.mechanisms[0].limits.travel_from = OutputPosition(0_deg);
  rig.mechanisms[0].limits.travel_to = OutputPosition(90_deg);
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { (void)sweep_of(rig, port); }), "its travel has ends"));
  rig = feeder_rig();
  std::erase_if(rig.mechanisms[0].sensors,
                [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
  EXPECT_TRUE(has(refusal_of<RangeError>([&] { (void)sweep_of(rig, port); }), "has no encoder"));
  EXPECT_EQ(port.most(), 0.0);
}

}  // namespace
}  // namespace cogstride::live_duty_sweep_test
