// A traverse that follows a wheel on live lines: somebody turns the wheel, and its edges are counted here.
#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <thread>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/live_counters.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"
#include "support/refusal.hpp"

namespace cogstride::live_follow_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::has;
using testing_support::is_of_a_busy_computer;
using testing_support::LevelPort;
using testing_support::unless_busy;

constexpr LineId step{0};
constexpr LineId dir{1};
constexpr LineId a{40};
constexpr LineId b{41};

/// Counts what goes out on STEP, and has a wheel that a thread of its own turns.
class WheelPort final : public LevelPort {
 public:
  WheelPort() : LevelPort({LineId{2}, LineId{5}}) {}
  ~WheelPort() override { stop(); }

  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& written : levels) {
      bool& now = level(written.line);
      if (written.line == step && written.high && !now) steps_ += level(dir) ? 1 : -1;
      now = written.high;
    }
  }
  RestOutcome rest() noexcept override { return {}; }
  [[nodiscard]] std::int64_t steps() {
    const std::lock_guard lock(mutex_);
    return steps_;
  }
  /// A quarter of a line on, each so long.
  void turn(std::int64_t quarters, std::chrono::microseconds each) {
    turner_ = std::thread([this, quarters, each] {
      auto at = std::chrono::steady_clock::now();
      for (std::int64_t i = 0; i < std::abs(quarters); ++i) {
        at += each;
        std::this_thread::sleep_until(at);
        count_ += quarters > 0 ? 1 : -1;
        const std::int64_t place = ((count_ % 4) + 4) % 4;
        press(a, place == 1 || place == 2);
        press(b, place == 2 || place == 3);
      }
    });
  }
  void stop() {
    if (turner_.joinable()) turner_.join();
  }
  [[nodiscard]] std::int64_t count() const { return count_; }

  void press(LineId line, bool high) {
    bool is_new = false;
    {
      const std::lock_guard lock(mutex_);
      is_new = level(line) != high;
    }
    if (is_new) LevelPort::press(line, high);
  }

 private:
  std::int64_t steps_ = 0;
  std::int64_t count_ = 0;
  std::thread turner_;
};

Rig wheel_rig() {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.edge_lateness = Time(50.0, units::ms);
  rig.hands.clear();
  rig.bindings.clear();
  rig.outputs.clear();
  Shaft wheel;
  wheel.name = "wheel";
  wheel.speed = OutputSpeed{OutputKind::rotary, Ratio(10)};
  wheel.encoder.emplace();
  wheel.encoder->name = "encoder";
  wheel.encoder->line_a = 40;
  wheel.encoder->line_b = 41;
  wheel.encoder->lines_per_turn = 25;  // a hundred counts a turn
  rig.shafts.push_back(wheel);
  rig.mechanisms[0].follows.reset();
  return rig;
}

TEST(LiveFollow, StandsOnTheVeryStepOfTheCount) {
  unless_busy([] {
    WheelPort port;
    LiveBench bench(wheel_rig(), {.asks_for_real_time = false, .port = &port});
    GearOrder order;
    order.to.first = {.leader = "wheel", .by = OutputPosition(1.4_mm)};
    order.to.may_fall_behind = OutputPosition(20_mm);
    auto follower = bench.gear("traverse", order);
    bench.serve(0.1_s);
    port.turn(400, std::chrono::microseconds(1500));
    bench.serve(1.2_s);
    port.stop();
    bench.serve(0.4_s);
    port.turn(-150, std::chrono::microseconds(1500));
    bench.serve(0.8_s);
    port.stop();
    bench.serve(0.4_s);
    const std::string fault = follower.motion().has_ended() ? follower.motion().result() : std::string();
    if (is_of_a_busy_computer(fault)) throw MotionFault(fault, FaultCode::controller);
    ASSERT_EQ(fault, "");
    // 1.4 mm of 800/3 steps/mm for a hundred counts: 56/15 of a step a count; it came from above.
    const std::int64_t since = 250;
    EXPECT_EQ(port.count(), since);
    const Ratio belongs = Ratio(56, 15) * Ratio(since);
    EXPECT_LE(std::abs(static_cast<double>(port.steps()) - belongs.to_double()), 1.0);
    EXPECT_EQ(follower.phase(), Ratio(5, 2));
    follower.let_go();
  });
}

/// A counter of the hardware that somebody turns by hand.
class HandCounter final : public CounterPort {
 public:
  [[nodiscard]] bool has(LineId line_a) const override { return line_a == a; }
  [[nodiscard]] bool tells_times(LineId) const override { return true; }
  [[nodiscard]] PortCount read(LineId) override {
    if (fails_) throw PortGone("counter0 does not say any more how far it has counted");
    return {count_, changed_ns_};
  }
  void turn_to(std::int64_t count, std::int64_t at_ns) {
    changed_ns_ = at_ns;
    count_ = count;
  }
  void fail() { fails_ = true; }

 private:
  std::atomic<std::int64_t> count_{0};
  std::atomic<std::int64_t> changed_ns_{0};
  std::atomic<bool> fails_{false};
};

TEST(LiveFollow, FollowsACounterOfTheHardware) {
  unless_busy([] {
    WheelPort port;
    HandCounter counter;
    LiveBench bench(wheel_rig(), {.asks_for_real_time = false, .port = &port, .counters = &counter});
    GearOrder order;
    order.to.first = {.leader = "wheel", .by = OutputPosition(1.4_mm)};
    order.to.may_fall_behind = OutputPosition(20_mm);
    auto follower = bench.gear("traverse", order);
    bench.serve(0.1_s);
    counter.turn_to(250, port.now_ns());
    bench.serve(1.5_s);
    const std::string fault = follower.motion().has_ended() ? follower.motion().result() : std::string();
    if (is_of_a_busy_computer(fault)) throw MotionFault(fault, FaultCode::controller);
    ASSERT_EQ(fault, "");
    EXPECT_EQ(port.steps(), (Ratio(56, 15) * Ratio(250)).floor());
    EXPECT_EQ(follower.phase(), Ratio(5, 2));
    counter.fail();
    bench.serve(0.1_s);
    ASSERT_TRUE(follower.motion().has_ended());
    EXPECT_TRUE(has(follower.motion().result(), "does not say any more how far it has counted"));
  });
}

TEST(LiveCounters, CountEdgesAndNoticeWhatWasMissed) {
  CounterSetup setup;
  setup.source = counter_source(40);
  setup.edge_source = counter_edge_source(40);
  setup.line_a = a;
  setup.line_b = b;
  LiveCounters counters({setup}, nullptr, [](std::int64_t ns) { return Tick{ns}; });
  counters.begin([](LineId) { return false; });
  EXPECT_TRUE(counters.has(setup.source));
  EXPECT_FALSE(counters.has(counter_source(42)));
  counters.sample(setup.source, 100, 100);
  counters.sample(setup.edge_source, 100, 100);
  EXPECT_EQ(counters.next(), 100);
  EXPECT_TRUE(counters.take(a, true, 10));
  EXPECT_TRUE(counters.take(b, true, 20));
  std::vector<Reading> readings;
  counters.read(99, readings);
  EXPECT_TRUE(readings.empty());
  counters.read(350, readings);
  ASSERT_EQ(readings.size(), 2u);
  EXPECT_EQ(readings[0].raw, 2);
  EXPECT_EQ(readings[1].raw, 20);
  EXPECT_EQ(counters.next(), 400) << "what was missed is left out";
  EXPECT_TRUE(counters.take(a, false, 360));
  EXPECT_FALSE(counters.take(a, false, 370)) << "it must have been high in between";
  counters.forget();
  EXPECT_EQ(counters.next(), never);
}

TEST(LiveCounters, LeaveToTheHardwareWhatItCounts) {
  CounterSetup own;
  own.source = counter_source(40);
  own.edge_source = counter_edge_source(40);
  own.line_a = a;
  own.line_b = b;
  CounterSetup other = own;
  other.source = counter_source(42);
  other.edge_source = counter_edge_source(42);
  other.line_a = LineId{42};
  other.line_b = LineId{43};
  HandCounter hardware;
  hardware.turn_to(-7, 3'000);
  LiveCounters counters({own, other}, &hardware, [](std::int64_t ns) { return Tick{ns / 10}; });
  EXPECT_FALSE(counters.counts(a));
  EXPECT_TRUE(counters.counts(LineId{43}));
  counters.begin([](LineId line) { return line == LineId{42}; });
  counters.sample(own.source, 100, 100);
  counters.sample(own.edge_source, 100, 100);
  std::vector<Reading> readings;
  counters.read(250, readings);
  ASSERT_EQ(readings.size(), 2u);
  EXPECT_EQ(readings[0].raw, -7);
  EXPECT_EQ(readings[1].raw, 250) << "no change is to come";
  counters.read(1'000, readings);
  EXPECT_EQ(readings.back().raw, 300);
}

}  // namespace
}  // namespace cogstride::live_follow_test
