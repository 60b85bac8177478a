// Duties on live lines: played edge by edge, or by hardware behind the port; and what of a rig can be had.
#include "cogstride/bench/live/live_duty.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <fstream>
#include <mutex>

#include "cogstride/bench/live/edge_player.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/port/analogue_reader.hpp"
#include "cogstride/port/kernel_files.hpp"
#include "cogstride/port/null_port.hpp"
#include "cogstride/port/pwm_channels.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/report/reports.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::live_duty_test {
namespace {

using namespace literals;
using testing_support::comes_to;
using testing_support::demo_rig;
using testing_support::end_of;
using testing_support::is_of_a_busy_computer;
using testing_support::unless_busy;
namespace fs = std::filesystem;

constexpr LineId forward{28};
constexpr LineId backward{29};
constexpr LineId enable{30};

/// Keeps what is written, on a clock that goes on by a little with every look, or by this computer's.
class DutyPort final : public LinePort {
 public:
  struct Change {
    std::int64_t at_ns;
    LineId line;
    bool high;
  };
  explicit DutyPort(bool own_clock) : own_clock_(own_clock) {}
  [[nodiscard]] std::int64_t now_ns() override { return own_clock_ ? ns += 50 : real_.now_ns(); }
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& level : levels) changes.push_back({ns, level.line, level.high});
  }
  void write_duty(LineId line, std::int64_t high_ns) override {
    const std::lock_guard lock(mutex_);
    duties.emplace_back(line, high_ns);
  }
  RestOutcome rest() noexcept override {
    const std::lock_guard lock(mutex_);
    ++rests;
    return {};
  }
  [[nodiscard]] bool read(LineId) override { return true; }
  void take_edges(std::vector<PortEdge>&) override {}
  void sleep_until(std::int64_t until) override {
    if (own_clock_) {
      ns = std::max(ns, until);
    } else {
      real_.sleep_until(until);
    }
  }
  void wake() noexcept override { real_.wake(); }

  [[nodiscard]] std::int64_t last_duty(LineId line) {
    const std::lock_guard lock(mutex_);
    std::int64_t last = 0;
    for (const auto& [of, high_ns] : duties)
      if (of == line) last = high_ns;
    return last;
  }
  [[nodiscard]] std::int64_t most_duty(LineId line) {
    const std::lock_guard lock(mutex_);
    std::int64_t most = 0;
    for (const auto& [of, high_ns] : duties)
      if (of == line) most = std::max(most, high_ns);
    return most;
  }

  std::int64_t ns = 0;
  int rests = 0;
  std::vector<Change> changes;
  std::vector<std::pair<LineId, std::int64_t>> duties;

 private:
  bool own_clock_;
  NullPort real_;
  std::mutex mutex_;
};

constexpr double ticks_per_second = 1e6;  // a tick is a microsecond

EdgePlayer::Setup one_duty(bool by_hardware, bool rests_high = false) {
  EdgePlayer::Setup setup;
  setup.lines = {{forward, "x.input_a", {}, LineSetup::Use::pwm, rests_high}};
  setup.pwm = {{1000, PwmAlignment::edge, 0, {{forward, std::nullopt}}, by_hardware}};
  setup.ticks_per_second = ticks_per_second;
  setup.bound = 100;
  setup.spin_ns = 10'000;
  return setup;
}

LiveCommand duty_at(Tick at, Tick on) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::duties;
  command.at = at;
  command.compare_count = 1;
  command.compares[0] = {forward, on};
  return command;
}

/// us of a window for which the line was high.
double high_between(const DutyPort& port, double from, double to) {
  double high = 0.0;
  double up = -1.0;
  for (const DutyPort::Change& change : port.changes) {
    const double at = 1e-3 * static_cast<double>(change.at_ns);
    if (change.high) up = at;
    if (!change.high && up >= 0.0) {
      high += std::max(0.0, std::min(at, to) - std::max(up, from));
      up = -1.0;
    }
  }
  return high + (up >= 0.0 ? std::max(0.0, to - std::max(up, from)) : 0.0);
}

TEST(LiveDuty, IsPlayedEdgeByEdgeFromTheNextPeriodOn) {
  for (const bool rests_high : {false, true}) {
    DutyPort port(true);
    EdgePlayer::Commands commands(64);
    EdgePlayer::Reports reports(4096);
    EdgePlayer player(one_duty(false, rests_high), port, commands, reports);
    for (const LiveCommand& command :
         {duty_at(1500, 300), duty_at(10'500, 1000), duty_at(15'500, 0), duty_at(20'000, 1)})
      ASSERT_TRUE(commands.push(command));
    while (player.now() < 25'000) player.turn();
    const auto on = [&](double from, double to) {
      const double high = high_between(port, from, to);
      return rests_high && from >= 2000.0 ? to - from - high : high;
    };
    EXPECT_EQ(on(0, 2000), 0.0) << "nothing before the period that begins at 2000";
    EXPECT_NEAR(on(2000, 11'000), 9 * 300.0, 9 * 1.5) << rests_high;
    EXPECT_NEAR(on(11'000, 16'000), 5000.0, 2.0) << "full has no gaps";
    EXPECT_NEAR(on(16'000, 20'000), 0.0, 2.0);
    EXPECT_NEAR(on(20'000, 25'000), 5 * 1.0, 5 * 1.5);
    const auto changes = std::count_if(port.changes.begin(), port.changes.end(),
                                       [](const auto& change) { return change.at_ns < 19'990'000; });
    EXPECT_EQ(changes, 9 * 2 + 2) << "none while it is full or none";
    player.end();
    EXPECT_EQ(port.changes.back().high, rests_high);
  }
}

TEST(LiveDuty, HardwareIsToldTheShareOnce) {
  for (const bool rests_high : {false, true}) {
    DutyPort port(true);
    EdgePlayer::Commands commands(64);
    EdgePlayer::Reports reports(4096);
    EdgePlayer player(one_duty(true, rests_high), port, commands, reports);
    for (const LiveCommand& command : {duty_at(1500, 300), duty_at(10'500, 1000), duty_at(15'500, 0)})
      ASSERT_TRUE(commands.push(command));
    while (player.now() < 25'000) player.turn();
    std::vector<std::int64_t> told;
    for (const auto& [line, high_ns] : port.duties) told.push_back(high_ns);
    const std::vector<std::int64_t> low_rest{300'000, 1'000'000, 0};
    const std::vector<std::int64_t> high_rest{700'000, 0, 1'000'000};
    EXPECT_EQ(told, rests_high ? high_rest : low_rest);
    EXPECT_TRUE(port.changes.empty());
  }
}

TEST(LiveDuty, WithdrawnDutiesNeverCome) {
  DutyPort port(true);
  EdgePlayer::Commands commands(64);
  EdgePlayer::Reports reports(4096);
  EdgePlayer player(one_duty(false), port, commands, reports);
  ASSERT_TRUE(commands.push(duty_at(2000, 300)));
  ASSERT_TRUE(commands.push(duty_at(8000, 900)));
  while (player.now() < 5000) player.turn();
  LiveCommand withdraw;
  withdraw.kind = LiveCommand::Kind::withdraw;
  withdraw.at = 7000;
  ASSERT_TRUE(commands.push(withdraw));
  while (player.now() < 12'000) player.turn();
  EXPECT_NEAR(high_between(port, 2000, 12'000), 10 * 300.0, 15.0);
}

TEST(LiveDuty, SaysWhichDutiesCanBeHadAndHow) {
  Controller controller = demo_rig().controller;
  const std::array<std::int64_t, 2> lines{28, 29};
  const LiveDuty fast = live_duty(controller, lines, 20_kHz);
  EXPECT_EQ(fast.by, LiveDuty::By::nothing);
  EXPECT_NE(fast.words.find("1000 Hz can be had so"), std::string::npos) << fast.words;
  const LiveDuty slow = live_duty(controller, lines, 500_Hz);
  EXPECT_EQ(slow.by, LiveDuty::By::edges);
  EXPECT_NE(slow.words.find("5 % of full duty off"), std::string::npos) << slow.words;
  controller.pwm_chips = {{"x", "pwmchip0", {28}, {0}}};
  EXPECT_NE(live_duty(controller, lines, 20_kHz).words.find("name all of them, or none"), std::string::npos);
  controller.pwm_chips = {{"x", "pwmchip0", {28}, {0}}, {"y", "pwmchip1", {7, 29}, {3, 1}}};
  EXPECT_EQ(live_duty(controller, lines, 20_kHz).by, LiveDuty::By::hardware);
}

/// The demo's feeder with a PWM chip and a shunt, on a bench whose port makes its duties.
Rig feeder_rig() {
  Rig rig = only_with(demo_rig(), {"feeder"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.pwm_chips = {{"bench", "pwmchip0", {28, 29}, {0, 1}}};
  rig.controller.edge_lateness = Time(50.0, units::ms);
  rig.controller.analogue->channels = 4;
  rig.controller.analogue->chip = "bench-iio";
  rig.outputs.clear();
  rig.mechanisms[0].sensors.emplace_back(Shunt{"current", 3, Resistance(0.05, units::ohm), 10});
  return rig;
}

class FixedCodes final : public Converter {
 public:
  [[nodiscard]] std::int64_t read(std::int64_t) override { return code; }
  std::atomic<std::int64_t> code{0};
};

TEST(LiveDuty, DrivesABrushedMotorAndHoldsItsCurrentBack) {
  unless_busy([] {
    DutyPort port(false);
    FixedCodes converter;
    Rig rig = feeder_rig();
    std::erase_if(rig.mechanisms[0].sensors,
                  [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
    LiveBench bench(std::move(rig), {.asks_for_real_time = false, .port = &port, .converter = &converter});
    auto feeder = bench.brushed("feeder");
    auto spin = feeder.spin({.duty = 40_percent, .in = 50_ms});
    ASSERT_EQ(end_of(spin), "");
    bench.serve(0.05_s);
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(forward) == 20'000; })) << "40 % of 50 us";
    EXPECT_EQ(port.most_duty(backward), 0);
    converter.code = 3000;  // 4.8 A
    bench.serve(1_s);
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(forward) < 2000; }));
    EXPECT_NEAR(feeder.measured_current().base(), 4.8, 0.1);
    converter.code = 0;
    bench.serve(1_s);
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(forward) == 20'000; }));
    feeder.stop();
    bench.wait_for_all();
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(forward) == 0; }));
    bench.close();
    if (is_of_a_busy_computer(bench.verdict().fault))
      throw MotionFault(bench.verdict().fault, FaultCode::controller);
    const MoverVerdict& verdict = bench.verdict().of("feeder");
    EXPECT_NEAR(verdict.figure("highest_duty_share"), 0.4, 1e-12);
    EXPECT_GT(verdict.figure("driven"), 2.0);
    EXPECT_FALSE(port.changes.back().line == enable && port.changes.back().high);
  });
}

TEST(LiveDuty, SaysWhatARigHasLessOfOnLiveLines) {
  Rig rig = feeder_rig();
  EXPECT_TRUE(live_obstacles(rig).empty());
  EXPECT_TRUE(live_notes(rig).empty()) << "the edges of its encoder are counted";
  Rig elsewhere = rig;
  elsewhere.controller.chips[0].lines = 31;
  ASSERT_EQ(live_notes(elsewhere).size(), 1u);
  EXPECT_NE(live_notes(elsewhere)[0].find("encoder disc is not read"), std::string::npos);
  rig.controller.analogue->chip.reset();
  ASSERT_EQ(live_obstacles(rig).size(), 1u);
  EXPECT_NE(live_obstacles(rig)[0].why.find("controller.analogue.chip"), std::string::npos);
  Rig stepped = only_with(demo_rig(), {"traverse"});
  stepped.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  stepped.controller.pwm_chips = {{"bench", "pwmchip0", {0}, {0}}};
  ASSERT_EQ(live_obstacles(stepped).size(), 1u);
  EXPECT_NE(live_obstacles(stepped)[0].why.find("has to be a plain line"), std::string::npos);
}

/// The demo's fan and snips, their pulses made by a PWM chip, or edge by edge.
Rig pulses_rig(bool has_chip, Time lateness) {
  Rig rig = only_with(demo_rig(), {"fan", "snips"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  if (has_chip) rig.controller.pwm_chips = {{"bench", "pwmchip0", {33, 34}, {0, 1}}};
  rig.controller.edge_lateness = lateness;
  rig.outputs.clear();
  rig.hands.clear();
  rig.bindings.clear();
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.is_throttled())
      std::get<PulseWidthInput>(mechanism.board).arming = {{Time(1, units::ms), 0.2_s}};
  return rig;
}

TEST(LivePulses, AreMadeByHardwareFrameByFrame) {
  unless_busy([] {
    constexpr LineId fan_line{33};
    constexpr LineId snips_line{34};
    DutyPort port(false);
    LiveBench bench(pulses_rig(true, Time(50, units::ms)), {.asks_for_real_time = false, .port = &port});
    auto snips = bench.servo("snips");
    auto fan = bench.speed_controller("fan");
    snips.swing({.to = 70_deg}).wait();
    EXPECT_NEAR(static_cast<double>(port.last_duty(snips_line)), 920e3 + 70.0 / 168.0 * 1140e3, 170.0);
    EXPECT_EQ(port.most_duty(fan_line), 0) << "nothing before it is armed";
    fan.arm().wait();
    EXPECT_EQ(port.most_duty(fan_line), 1'000'000);
    fan.throttle({.duty = 50_percent}).wait();
    EXPECT_TRUE(comes_to(bench, [&] { return std::abs(port.last_duty(fan_line) - 1'500'000) <= 170; }));
    fan.stop().wait();
    snips.release();
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(fan_line) == 1'000'000; }));
    EXPECT_TRUE(comes_to(bench, [&] { return port.last_duty(snips_line) == 0; }));
    bench.close();
    for (const char* const name : {"fan", "snips"})
      EXPECT_TRUE(std::isnan(bench.verdict().of(name).figure("asked"))) << "closed, its lines carry no pulse";
  });
}

TEST(LivePulses, AMotorWhosePulsesAreCutMayStillTurn) {
  unless_busy([] {
    DutyPort port(false);
    LiveBench bench(pulses_rig(true, Time(50, units::ms)), {.asks_for_real_time = false, .port = &port});
    auto fan = bench.speed_controller("fan");
    fan.arm().wait();
    fan.throttle({.duty = 50_percent}).wait();
    bench.serve(0.05_s);
    bench.stop();
    bench.serve(0.1_s);
    bench.close();
    if (is_of_a_busy_computer(bench.verdict().fault))
      throw MotionFault(bench.verdict().fault, FaultCode::controller);
    const MoverVerdict& seen = bench.verdict().of("fan");
    EXPECT_TRUE(std::isnan(seen.figure("asked")));
    EXPECT_NEAR(seen.figure("cut_with_share"), 0.5, 1e-9);
    EXPECT_NEAR(seen.figure("cut_before"), 0.1, 0.02);
    const std::string text = drive_text({"rig", "script", bench.verdict(), bench.played(), {}}, EventLog{});
    EXPECT_NE(text.find("its motor had 50 % throttle until 0.1"), std::string::npos) << text;
  });
}

TEST(LiveGates, BareOnesAreRefusedWithWhatWouldMakeThemSafe) {
  Rig rig = only_with(demo_rig(), {"spindle"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  ASSERT_EQ(live_obstacles(rig).size(), 1u);
  const std::string why = live_obstacles(rig)[0].why;
  EXPECT_NE(why.find("its six gates are bare"), std::string::npos) << why;
  EXPECT_NE(why.find("board.locks_legs"), std::string::npos) << why;
  EXPECT_THROW(LiveBench{rig}, RangeError);
}

/// A small motor of much resistance behind a board that keeps its own dead time, stepped by time.
Rig locked_rig() {
  Rig rig = only_with(demo_rig(), {"spindle"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.edge_lateness = Time(19.0, units::ms);
  Mechanism& spindle = rig.mechanisms[0];
  spindle.sensors.clear();
  spindle.common.timer.reset();
  std::get<SixGateInverter>(spindle.board).locks_legs = true;
  std::get<GateWiring>(spindle.wiring).pwm_frequency = 5_Hz;
  auto& motor = std::get<BrushlessMotor>(spindle.motor);
  motor.resistance = Resistance(8.0, units::ohm);
  motor.inductance = Inductance(8.0, units::mH);
  spindle.load.inertia = Inertia(6e-5, units::kg_m2);
  spindle.load.most_inertia.reset();
  return rig;
}

TEST(LiveGates, OfABoardThatLocksItsLegsAreSteppedSlowlyByTime) {
  unless_busy([] {
    const Rig rig = locked_rig();
    ASSERT_TRUE(live_obstacles(rig).empty()) << live_obstacles(rig)[0].why;
    EXPECT_EQ(live_notes(rig).size(), 2u);
    DutyPort port(false);
    LiveBench bench(rig, {.asks_for_real_time = false, .port = &port});
    auto spindle = bench.brushless("spindle");
    spindle.spin({.at = 4_rpm, .lasts = 7_s}).wait();
    bench.close();
    // Low sides, one leg after the other: B, C, A.
    const auto& gates = std::get<GateWiring>(rig.mechanisms[0].wiring).gates;
    std::array<bool, 6> on{};
    std::vector<std::size_t> legs;
    bool both = false;
    for (const DutyPort::Change& change : port.changes)
      for (std::size_t i = 0; i < 6; ++i) {
        if (gates[i].number != static_cast<std::int64_t>(change.line)) continue;
        on[i] = change.high == (gates[i].active == ActiveLevel::high);
        both = both || (on[i] && on[i ^ 1U]);
        const std::size_t leg = i / 2;
        if (i % 2 == 1 && on[i] && (legs.empty() || legs.back() != leg)) legs.push_back(leg);
      }
    EXPECT_FALSE(both);
    EXPECT_EQ(std::count(on.begin(), on.end(), true), 0) << "all off at the end";
    ASSERT_GT(legs.size(), 7u);
    for (std::size_t i = legs.size() - 5; i < legs.size(); ++i) EXPECT_EQ(legs[i], (legs[i - 1] + 1) % 3);
  });
}

TEST(LiveGates, WhatStillTurnsWhenItsGatesGoOffIsSaidToTurn) {
  unless_busy([] {
    const Rig rig = locked_rig();
    DutyPort port(false);
    LiveBench bench(rig, {.asks_for_real_time = false, .port = &port});
    auto spindle = bench.brushless("spindle");
    auto spin = spindle.spin({.at = 4_rpm});
    ASSERT_EQ(end_of(spin), "");
    bench.serve(0.3_s);
    bench.close();
    if (is_of_a_busy_computer(bench.verdict().fault))
      throw MotionFault(bench.verdict().fault, FaultCode::controller);
    const MoverVerdict& runs_on = bench.verdict().of("spindle");
    EXPECT_NEAR(runs_on.figure("runs_on_at"), 4.0, 0.1) << "rpm";
    EXPECT_GT(runs_on.figure("stands_in"), 0.0);
    const std::string text = drive_text({"rig", "script", bench.verdict(), bench.played(), {}}, EventLog{});
    EXPECT_NE(text.find("spindle       STILL TURNS without drive, at up to"), std::string::npos) << text;
  });
}

TEST(LiveGates, WhatIsTooFastOrTooCoarseForThemIsRefusedWithTheFigure) {
  Rig fast = locked_rig();
  std::get<GateWiring>(fast.mechanisms[0].wiring).pwm_frequency = 20_kHz;
  ASSERT_EQ(live_obstacles(fast).size(), 1u);
  EXPECT_NE(live_obstacles(fast)[0].why.find("would be made edge by edge"), std::string::npos);
  Rig coarse = locked_rig();
  std::get<BrushlessMotor>(coarse.mechanisms[0].motor).resistance = Resistance(0.42, units::ohm);
  std::get<BrushlessMotor>(coarse.mechanisms[0].motor).inductance = Inductance(0.31, units::mH);
  ASSERT_EQ(live_obstacles(coarse).size(), 1u);
  EXPECT_NE(live_obstacles(coarse)[0].why.find("its current would swing up to"), std::string::npos);
  Rig sensed = locked_rig();
  sensed.mechanisms[0].sensors = mechanism_named(demo_rig(), "spindle").sensors;
  std::erase_if(sensed.mechanisms[0].sensors,
                [](const Sensor& sensor) { return std::holds_alternative<Shunt>(sensor); });
  ASSERT_EQ(live_obstacles(sensed).size(), 1u);
  EXPECT_NE(live_obstacles(sensed)[0].why.find("commutated_by"), std::string::npos);
  std::get<GateWiring>(sensed.mechanisms[0].wiring).commutated_by = CommutatedBy::time;
  EXPECT_TRUE(live_obstacles(sensed).empty());
}

TEST(LivePulses, EdgeByEdgeOnlyWhereAnEdgeIsNearEnough) {
  EXPECT_TRUE(live_obstacles(pulses_rig(true, Time(100, units::us))).empty());
  const auto refused = live_obstacles(pulses_rig(false, Time(100, units::us)));
  ASSERT_EQ(refused.size(), 2u);
  EXPECT_NE(refused[0].why.find("which is 10 % of their range: 20 us would do"), std::string::npos)
      << refused[0].why;
  const Rig near = pulses_rig(false, Time(15, units::us));
  EXPECT_TRUE(live_obstacles(near).empty());
  ASSERT_EQ(live_notes(near).size(), 2u);
  EXPECT_NE(live_notes(near)[0].find("a width may be 1.5 % of its range off"), std::string::npos);
}

/// A folder with files as the kernel shows a PWM chip or a converter, whose channels are there already.
class KernelFolder {
 public:
  KernelFolder() : folder_(fs::path(testing::TempDir()) / "cogstride-kernel-folder") {
    fs::remove_all(folder_);
    fs::create_directories(folder_);
  }
  ~KernelFolder() { fs::remove_all(folder_); }
  void put(const std::string& file, const std::string& text) const {
    fs::create_directories((folder_ / file).parent_path());
    std::ofstream(folder_ / file) << text << "\n";
  }
  void put_channel(const std::string& channel) const {
    for (const char* const file : {"period", "duty_cycle", "enable"}) put(channel + "/" + file, "0");
    put(channel + "/polarity", "inversed");
  }
  [[nodiscard]] std::string says(const std::string& file) const {
    std::string text = text_of_file(folder_ / file).value_or("nothing");
    return text.substr(0, text.find_last_not_of(" 0") == std::string::npos ? 1 : text.size());
  }
  [[nodiscard]] std::string path() const { return folder_; }

 private:
  fs::path folder_;
};

TEST(PwmChannels, AreAtRestFirstAndLast) {
  const KernelFolder folder;
  folder.put("pwmchip0/npwm", "4");
  folder.put("pwmchip0/export", "");
  folder.put("pwmchip0/unexport", "");
  folder.put_channel("pwmchip0/pwm0");
  folder.put_channel("pwmchip0/pwm3");
  Controller controller;
  controller.pwm_chips = {{"bench", "pwmchip0", {28, 29}, {0, 3}}};
  {
    PwmChannels channels(controller,
                         {{forward, "x.input_a", false, 50'000}, {backward, "x.input_b", true, 50'000}},
                         folder.path());
    EXPECT_EQ(folder.says("pwmchip0/pwm0/period"), "50000");
    EXPECT_EQ(folder.says("pwmchip0/pwm0/duty_cycle"), "0");
    EXPECT_EQ(folder.says("pwmchip0/pwm0/enable"), "1");
    EXPECT_EQ(folder.says("pwmchip0/pwm0/polarity").substr(0, 6), "normal");
    EXPECT_EQ(folder.says("pwmchip0/pwm3/duty_cycle"), "50000") << "it rests high";
    channels.write(forward, 20'000);
    EXPECT_EQ(folder.says("pwmchip0/pwm0/duty_cycle"), "20000");
    channels.write(Level{backward, false});
    EXPECT_FALSE(channels.is_high(backward));
    for (const RestWrite& rest : channels.rest_writes()) EXPECT_TRUE(write_at_rest(rest));
    EXPECT_EQ(folder.says("pwmchip0/pwm0/duty_cycle").front(), '0');
    EXPECT_EQ(folder.says("pwmchip0/pwm3/duty_cycle"), "50000");
  }
  EXPECT_EQ(folder.says("pwmchip0/pwm0/enable"), "0");
  EXPECT_EQ(folder.says("pwmchip0/pwm3/enable"), "1") << "switched off it would be low";
}

TEST(PwmChannels, SayWhatIsNotThere) {
  const KernelFolder folder;
  Controller controller;
  controller.pwm_chips = {{"bench", "other", {28}, {7}}};
  const auto why = [&] {
    try {
      const PwmChannels channels(controller, {{forward, "x.input_a", false, 50'000}}, folder.path());
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_EQ(why(), "controller.pwm.bench: this machine has no PWM chip, so none is called other");
  folder.put("pwmchip2/npwm", "4");
  folder.put("pwmchip2/export", "");
  EXPECT_EQ(why(), "controller.pwm.bench: this machine has no PWM chip other; it has: pwmchip2");
  controller.pwm_chips[0].chip = "pwmchip2";
  EXPECT_EQ(why(), "controller.pwm.bench: pwmchip2 has 4 channels, and no channel 7");
  controller.pwm_chips[0].channels = {1};
  EXPECT_NE(why().find("pwmchip2 channel 1 (x.input_a): does not take 50000 as its period"),
            std::string::npos)
      << why();
}

TEST(KernelConverter, ReadsCodesAndHoldsTheirScaleAgainstTheRig) {
  const KernelFolder folder;
  folder.put("iio:device3/name", "bench");
  folder.put("iio:device3/in_voltage_scale", "0.805664062");
  folder.put("iio:device3/in_voltage0_raw", "17");
  folder.put("iio:device3/in_voltage1_raw", "4095");
  AnalogueInputs inputs{2, 12, 3.3_V, 1_us, {}, "bench"};
  KernelConverter converter(inputs, folder.path());
  EXPECT_EQ(converter.read(0), 17);
  EXPECT_EQ(converter.read(1), 4095);
  folder.put("iio:device3/in_voltage0_raw", "2048");
  EXPECT_EQ(converter.read(0), 2048) << "each time anew";
  inputs.channels = 3;
  EXPECT_THROW((KernelConverter(inputs, folder.path())), Error);
  inputs.channels = 2;
  inputs.full_scale = 5_V;
  try {
    const KernelConverter wrong(inputs, folder.path());
    FAIL() << "another full scale";
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("12 bits of such codes are 3.299 V"), std::string::npos)
        << error.what();
  }
}

TEST(AnalogueReader, CountsWhatASlowConverterLeavesOut) {
  class Slow final : public Converter {
   public:
    [[nodiscard]] std::int64_t read(std::int64_t channel) override {
      now += 2'500;  // of 1000 that there are between two codes
      if (now > 100'000) throw PortGone("iio:device0 was taken away");
      return 10 + channel;
    }
    std::atomic<Tick> now{0};
  };
  Slow converter;
  std::atomic<int> rung{0};
  AnalogueReader reader(converter, 2, {[&] { return ++converter.now; }, 1e6}, [&] { ++rung; });
  EXPECT_TRUE(reader.has(analogue_source(1)));
  EXPECT_FALSE(reader.has(analogue_source(2)));
  reader.sample(analogue_source(1), 1000, 1000);
  for (int i = 0; i < 10'000 && reader.gone().empty(); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  EXPECT_EQ(reader.gone(), "iio:device0 was taken away");
  std::vector<Reading> readings;
  reader.take(readings);
  ASSERT_EQ(static_cast<std::int64_t>(readings.size()), reader.read());
  for (const Reading& reading : readings) EXPECT_EQ(reading.raw, 11);
  EXPECT_GE(reader.left_out(), reader.read());
  EXPECT_LE(reader.read() + reader.left_out(), 101);
  EXPECT_GE(rung, static_cast<int>(readings.size()));
}

}  // namespace
}  // namespace cogstride::live_duty_test
