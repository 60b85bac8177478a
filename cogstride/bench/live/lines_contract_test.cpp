// What lines.hpp promises, held against all that play lines: a script, the simulated bench's, live ones,
// those of a chip behind a link.
#include <gtest/gtest.h>

#include <array>
#include <deque>
#include <functional>
#include <memory>
#include <string>

#include "cogstride/bench/live/link_lines.hpp"
#include "cogstride/bench/live/live_lines.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/lines/bus_line.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/plant/surroundings.hpp"
#include "cogstride/quantity/error.hpp"
#include "support/host_chip_stream.hpp"
#include "support/level_port.hpp"
#include "support/scripted_lines.hpp"

namespace cogstride::lines_contract_test {
namespace {

using Use = LineSetup::Use;

using testing_support::pin_line;

constexpr LineId step = pin_line('B', 1);
constexpr LineId dir = pin_line('D', 4);
constexpr LineId gate = pin_line('D', 2);
constexpr LineId lamp = pin_line('D', 6);
constexpr LineId fan = pin_line('D', 5);
constexpr LineId other_step = pin_line('B', 2);
constexpr std::array<LineId, 4> coils{pin_line('C', 0), pin_line('C', 1), pin_line('C', 2), pin_line('C', 3)};
constexpr LineId halt = pin_line('D', 7);
constexpr MechanismId own{7};
constexpr MechanismId other{8};
constexpr MechanismId third{9};
constexpr SourceId gate_source{2};

std::vector<LineSetup> lines() {
  std::vector<LineSetup> all{{step, "x.step", own, Use::pulses, false, 10},
                             {dir, "x.dir", own, Use::level, true},
                             {gate, "x.gate", own, Use::input, false, 0, gate_source},
                             {lamp, "lamp", own, Use::pwm},
                             {fan, "fan", other, Use::pwm},
                             {other_step, "y.step", other, Use::pulses, false, 10},
                             {halt, "halt", {}, Use::input, false, 0, SourceId{10}}};
  for (std::size_t i = 0; i < coils.size(); ++i)
    all.push_back({coils[i], "z.coil" + std::to_string(i), third, Use::rows});
  LineSetup& front = all[all.size() - coils.size()];
  front.rows = {{coils.begin(), coils.end()}, {1, 2, 4, 8}};
  return all;
}
constexpr BusId bus{1};
constexpr BusId serial{2};
/// 1 Mbit/s and 1 Mbaud: a bit is a tick.
std::vector<BusSetup> buses() {
  return {{bus, "drives", BusSetup::Kind::bus, 1.0, {Frame{0, 2, {0xff, 0x00}}}},
          {serial, "panel", BusSetup::Kind::serial, 1.0}};
}

/// Answers each frame 500 ticks later, with an id of one more and its bytes one more; keeps what it hears.
class Echo final : public BusNode {
 public:
  void hear(Tick at, const Frame& frame) override {
    heard.emplace_back(at, frame);
    if (frame.id == 0 && frame.size == 2) return;  // what brings to rest
    answers_.push_back({at + 500, frame});
  }
  [[nodiscard]] Tick next() const override { return answers_.empty() ? never : answers_.front().first; }
  [[nodiscard]] std::uint32_t next_id() const override { return answers_.front().second.id + 1; }
  Frame say(Tick) override {
    Frame frame = answers_.front().second;
    answers_.pop_front();
    ++frame.id;
    for (std::size_t i = 0; i < frame.size; ++i) ++frame.bytes[i];
    return frame;
  }
  std::vector<std::pair<Tick, Frame>> heard{};

 private:
  std::deque<std::pair<Tick, Frame>> answers_;
};

/// All lines come to rest at `halt`, and at `gate` while x moves, unless that is answered within 40 ms.
std::vector<CutOn> cuts() {
  return {{.line = halt, .released_for = 20'000}, {.line = gate, .waits = 40'000, .while_runs = own}};
}
std::vector<PwmSetup> pwm() {
  return {{20'000, PwmAlignment::edge, 0, {{lamp, {}}, {fan, {}}}}};
}

/// Somebody presses the gate, and then the halt, which bounces.
std::vector<LineEdge> presses() {
  return {{100'000, gate, true},
          {150'000, gate, false},
          {200'000, halt, true},
          {201'000, halt, false},
          {202'000, halt, true}};
}

class PlainPort final : public testing_support::LevelPort {
 public:
  PlainPort() : LevelPort({}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) level(each.line) = each.high;
  }
  RestOutcome rest() noexcept override { return {}; }
  void send(BusId to, const Frame& frame) override {
    const std::lock_guard lock(mutex_);
    if (to == bus) echo->hear(now_ns() / 1000, frame);
  }
  void take_frames(std::vector<PortFrame>& frames) override {
    const std::lock_guard lock(mutex_);
    while (echo->next() <= now_ns() / 1000) frames.push_back({now_ns(), bus, echo->say(now_ns() / 1000)});
  }
  void sleep_until(std::int64_t ns) override {
    std::int64_t comes = INT64_MAX;
    {
      const std::lock_guard lock(mutex_);
      if (echo->next() != never) comes = echo->next() * 1000;
    }
    LevelPort::sleep_until(std::min(ns, comes));
  }
  [[nodiscard]] std::vector<std::pair<Tick, Frame>> heard() {
    const std::lock_guard lock(mutex_);
    return echo->heard;
  }
  Echo* echo = nullptr;
};

/// Lines as somebody plays them, behind their front. A tick is a microsecond.
struct Played {
  std::unique_ptr<testing_support::HostChip> chip{};
  std::unique_ptr<testing_support::HostChipStream> stream{};
  std::unique_ptr<Surroundings> hands{};
  std::unique_ptr<Echo> echo = std::make_unique<Echo>();
  std::unique_ptr<PlainPort> port{};
  std::unique_ptr<TimedLines> player{};
  std::unique_ptr<CheckedLines> front{};
  bool takes_late = false;
  bool has_buses = true;
  std::function<bool(LineId)> level{};
};

Played scripted() {
  Played played;
  played.player = std::make_unique<testing_support::ScriptedPlayer>(lines(), 2000, 20'000);
  played.front = std::make_unique<CheckedLines>(
      CheckedLines::Setup{lines(), pwm(), [](SourceId source) { return source == gate_source; }, false,
                          buses()},
      *played.player);
  return played;
}

Played simulated() {
  Played played;
  SimulatedLines::Setup setup;
  setup.lines = lines();
  setup.pwm = pwm();
  setup.lead = 2000;
  setup.horizon = 20'000;
  setup.cuts = cuts();
  setup.buses = buses();
  auto player = std::make_unique<SimulatedLines>(std::move(setup));
  SimulatedLines& made = *player;
  played.hands = std::make_unique<Surroundings>(std::vector<Level>{{gate, false}, {halt, false}}, presses());
  made.attach(*played.hands);
  made.attach(bus, *played.echo);
  played.level = [&made](LineId line) { return made.level(line); };
  played.player = std::move(player);
  played.front = std::make_unique<CheckedLines>(
      CheckedLines::Setup{lines(), pwm(), [&made](SourceId source) { return made.answers(source); }, false,
                          buses()},
      made);
  return played;
}

Played live() {
  Played played;
  played.takes_late = true;
  played.port = std::make_unique<PlainPort>();
  played.port->echo = played.echo.get();
  LiveLines::Setup setup;
  setup.lines = lines();
  setup.pwm = pwm();
  setup.clock = ExactFrequency(Ratio(1'000'000), units::Hz);
  setup.lead = 2000;
  setup.horizon = 20'000;
  setup.bound = 1'000'000;
  setup.cuts = cuts();
  setup.buses = buses();
  setup.asks_for_real_time = false;
  auto player = std::make_unique<LiveLines>(std::move(setup), *played.port);
  LiveLines& made = *player;
  played.player = std::move(player);
  played.front = std::make_unique<CheckedLines>(
      CheckedLines::Setup{lines(), pwm(), [&made](SourceId source) { return made.answers(source); }, true,
                          buses()},
      made);
  return played;
}

/// Two axes of steps of a chip whose tick is a sixteenth of a microsecond; it has no bus.
Played linked() {
  using testing_support::HostChip;
  Played played;
  played.takes_late = true;
  played.has_buses = false;
  played.chip = std::make_unique<HostChip>();
  played.stream = std::make_unique<testing_support::HostChipStream>(*played.chip);
  LinkLines::Setup setup;
  setup.lines = lines();
  std::erase_if(setup.lines, [](const LineSetup& line) { return line.owner == third; });
  for (const LineSetup& line : setup.lines)
    setup.map.lines.push_back({*link_code(line.id), *pin_of(static_cast<std::int64_t>(line.id)),
                               line.use == Use::input    ? LinkMap::Use::input
                               : line.use == Use::pulses ? LinkMap::Use::step
                               : line.use == Use::pwm    ? LinkMap::Use::duty
                                                         : LinkMap::Use::output,
                               line.rest_high});
  setup.map.axes = {static_cast<std::size_t>(own), static_cast<std::size_t>(other)};
  setup.map.mark = HostChip::Machine::mark;
  setup.ticks_per_second = HostChip::ticks_per_second;
  setup.bytes_per_second = 50'000.0;
  setup.slack = 16'000;
  setup.lead = 160'000;
  setup.horizon = 1'600'000;
  setup.reads = 32'000;
  setup.port = "made up";
  auto player = std::make_unique<LinkLines>(setup, *played.stream);
  LinkLines& made = *player;
  played.player = std::move(player);
  played.front = std::make_unique<CheckedLines>(
      CheckedLines::Setup{setup.lines, pwm(), [&made](SourceId source) { return made.answers(source); },
                          true},
      made);
  return played;
}

chip::PulseRun steady(Tick gap, std::uint16_t steps) {
  return {static_cast<std::uint64_t>(gap) << 16, 0, 0, steps, 0, 0};
}

class LinesContract : public testing::TestWithParam<const char*> {
 protected:
  LinesContract() : played_(made(GetParam())), on_(*played_.front) {}
  static Played made(const std::string& by) {
    if (by == "linked") return linked();
    return by == "scripted" ? scripted() : by == "simulated" ? simulated() : live();
  }
  /// What is said when it is refused; "" when it is not.
  static std::string refused(const std::function<void()>& deed) {
    try {
      deed();
    } catch (const RangeError& error) {
      return error.what();
    }
    return {};
  }
  [[nodiscard]] Tick soon() const { return on_.now() + on_.lead() + 50'000; }
  void put_steps(Tick at, LineId line = step, std::optional<StopOn> stop = {}) {
    on_.put(FineTick{at, 0}, line, std::array{steady(1000, 10)}, stop);
  }
  void run_to(Tick until) {
    std::vector<Reading> readings;
    while (on_.now() < until) on_.wait_until(until, readings);
  }
  /// With what somebody presses meanwhile.
  void run_with_hands_to(Tick until) {
    for (const std::vector<LineEdge> all = presses(); pressed_ < all.size(); ++pressed_) {
      const LineEdge& press = all[pressed_];
      if (press.at > until) break;
      run_to(press.at);
      if (played_.port) played_.port->press(press.line, press.high);
    }
    run_to(until);
  }
  [[nodiscard]] std::int64_t steps_of(MechanismId mechanism) {
    return on_.withdraw(mechanism, on_.now() + on_.lead()).steps;
  }

  Played played_;
  TimedLines& on_;
  std::size_t pressed_ = 0;
};

TEST_P(LinesContract, LevelsGoToPlainOutputsAlone) {
  const auto put = [&](LineId line) { on_.put(soon(), std::array{Level{dir, true}, Level{line, true}}); };
  EXPECT_EQ(refused([&] { put(dir); }), "");
  EXPECT_EQ(refused([&] { put(gate); }), "x.gate is an input");
  EXPECT_EQ(refused([&] { put(step); }), "x.step makes pulses: no level is put on it");
  EXPECT_EQ(refused([&] { put(lamp); }), "lamp carries a duty: no level is put on it");
  EXPECT_EQ(refused([&] { put(LineId{99}); }), "line 99 has not been opened");
  std::vector<Level> many(most_levels_together + 1, {dir, true});
  EXPECT_NE(refused([&] { on_.put(soon(), many); }).find("can change together"), std::string::npos);
}

TEST_P(LinesContract, PulsesDoNotOverlapAndTheirLineMakesThem) {
  const Tick at = soon();
  EXPECT_EQ(refused([&] { put_steps(at); }), "");
  EXPECT_NE(refused([&] { put_steps(at + 5000); }).find("overlap those put before"), std::string::npos);
  EXPECT_EQ(refused([&] { put_steps(at + 10'000); }), "") << "right behind";
  EXPECT_EQ(refused([&] { put_steps(at, other_step); }), "") << "each line by itself";
  EXPECT_EQ(refused([&] { put_steps(at, dir); }), "x.dir makes no pulses");
  EXPECT_EQ(refused([&] { put_steps(at, LineId{99}); }), "line 99 has not been opened");
  EXPECT_NE(refused([&] {
              put_steps(at + 30'000, step, StopOn{dir, Edge::rising});
            }).find("is no input"),
            std::string::npos);
}

TEST_P(LinesContract, WithdrawingFreesALineAndSaysWhatGoesOut) {
  const Tick at = soon();
  put_steps(at);
  const Withdrawn left = on_.withdraw(own, at + 5500);
  EXPECT_EQ(left.steps, 5);
  EXPECT_EQ(left.last_pulse, at + 5000);
  EXPECT_EQ(refused([&] { put_steps(at + 5500); }), "");
  EXPECT_EQ(on_.withdraw(other, at).steps, 0) << "another's are left alone";
  EXPECT_NE(refused([&] { put_steps(at + 6000); }), "");
}

TEST_P(LinesContract, CuttingFreesAllLines) {
  const Tick at = soon();
  put_steps(at);
  put_steps(at, other_step);
  on_.cut();
  EXPECT_EQ(refused([&] { put_steps(at); }), "");
  EXPECT_EQ(refused([&] { put_steps(at, other_step); }), "");
  on_.cut();
}

TEST_P(LinesContract, DutiesLieWithinTheirPeriod) {
  const auto put = [&](LineId line, Tick on) {
    on_.put(soon(), std::array{Compare{fan, 100}, Compare{line, on}});
  };
  EXPECT_EQ(refused([&] { put(lamp, 20'000); }), "");
  EXPECT_EQ(refused([&] { put(lamp, 20'001); }), "lamp: on for 20001 ticks of a period of 20000");
  EXPECT_EQ(refused([&] { put(lamp, -1); }), "lamp: on for -1 ticks of a period of 20000");
  EXPECT_EQ(refused([&] { put(dir, 10); }), "x.dir is no duty channel");
  EXPECT_EQ(refused([&] { put(LineId{99}, 10); }), "line 99 has not been opened");
  std::vector<Compare> many(most_duties_together + 1, {lamp, 0});
  EXPECT_NE(refused([&] { on_.put(soon(), many); }).find("can change together"), std::string::npos);
  on_.cut();
}

TEST_P(LinesContract, OnlyWhatAnswersIsSampled) {
  EXPECT_EQ(refused([&] { on_.sample(gate_source, soon(), 0); }), "");
  EXPECT_EQ(refused([&] { on_.sample(SourceId{77}, soon(), 0); }), "nothing answers on source 77");
  EXPECT_EQ(refused([&] { on_.sample(gate_source, soon(), -1); }), "a sample each -1 ticks");
  EXPECT_EQ(refused([&] { on_.sample(gate_source, never, 0); }), "");
}

TEST_P(LinesContract, WhatComesTooLateIsRefusedWhereTimeStands) {
  std::vector<Reading> readings;
  const Tick until = on_.now() + 3000;
  while (on_.now() < until) on_.wait_until(until, readings);
  const Tick late = on_.now() + on_.lead() - 1;
  const auto is_late = [&](const std::string& why) {
    return played_.takes_late ? why.empty() : why.find("comes too late") != std::string::npos;
  };
  EXPECT_TRUE(is_late(refused([&] { on_.put(late, std::array{Level{dir, false}}); })));
  EXPECT_TRUE(is_late(refused([&] { put_steps(late - 1000); })));
  EXPECT_TRUE(is_late(refused([&] { on_.put(late, std::array{Compare{lamp, 5}}); })));
  on_.cut();
}

TEST_P(LinesContract, OfWhatIsRefusedNothingIsPut) {
  const Tick at = soon();
  EXPECT_NE(refused([&] { on_.put(at, std::array{Compare{lamp, 20'000}, Compare{fan, 99'999}}); }), "");
  EXPECT_NE(refused([&] { put_steps(at, step, StopOn{LineId{99}, Edge::rising}); }), "");
  EXPECT_EQ(refused([&] { put_steps(at - 20'000); }), "") << "nothing is there that it could overlap";
  on_.cut();
}

TEST_P(LinesContract, AnEdgeBrakesWhereLinesSayThatItDoes) {
  const Tick at = soon();
  const auto with = [&](std::uint32_t speed, std::uint32_t acceleration) {
    return refused([&] {
      put_steps(at, step, StopOn{gate, Edge::rising, chip::ChipLimits{speed, 10, acceleration}});
    });
  };
  EXPECT_NE(with(0, 1000), "");
  EXPECT_NE(with(1000, 0), "");
  EXPECT_EQ(with(1000, 1000) == "", on_.brakes_at_edges());
  on_.cut();
}

TEST_P(LinesContract, BusesCarryFramesOfTheirKindAlone) {
  const auto put = [&](BusId to, const Frame& frame) {
    return refused([&] { on_.put(soon(), to, frame, own); });
  };
  if (!played_.has_buses) {
    EXPECT_EQ(put(bus, {5, 0, {}}), "bus 1 has not been opened");
    return;
  }
  EXPECT_EQ(put(bus, {largest_bus_id, 8, {1, 2, 3, 4, 5, 6, 7, 8}}), "");
  EXPECT_EQ(put(bus, {5, 0, {}}), "");
  EXPECT_EQ(put(bus, {largest_bus_id + 1, 1, {}}), "drives: id 0x20000000; 0x1fffffff is the largest");
  EXPECT_EQ(put(bus, {5, 9, {}}), "drives: 9 bytes in one go; 8 are the most");
  EXPECT_EQ(put(serial, {0, 3, {1, 2, 3}}), "");
  EXPECT_EQ(put(serial, {1, 3, {1, 2, 3}}), "panel: a serial port has no ids");
  EXPECT_EQ(put(serial, {0, 0, {}}), "panel: nothing to send");
  EXPECT_EQ(put(BusId{9}, {1, 1, {}}), "bus 9 has not been opened");
  on_.withdraw(own, 0);
}

/// Those that have buses and lines that change together.
class LinesOfAllKinds : public LinesContract {};

TEST_P(LinesOfAllKinds, AFrameGoesOutAtItsTickAndItsAnswerIsRead) {
  const Tick at = soon();
  on_.put(at, bus, Frame{0x123, 3, {1, 2, 255}}, own);
  on_.put(at + 2000, bus, Frame{0x124, 1, {9}}, other);
  on_.put(at + 100'000, bus, Frame{0x125, 1, {9}}, own);
  std::vector<Reading> readings;
  while (on_.now() < at + 20'000) on_.wait_until(at + 20'000, readings);
  (void)on_.withdraw(own, on_.now() + on_.lead());
  while (on_.now() < at + 110'000) on_.wait_until(at + 110'000, readings);
  const auto heard = played_.port ? played_.port->heard() : played_.echo->heard;
  if (std::string(GetParam()) == "scripted") return;  // it keeps what is put, and there is no bus
  ASSERT_EQ(heard.size(), 2u) << "the third was taken back";
  EXPECT_EQ(heard[0].second, (Frame{0x123, 3, {1, 2, 255}}));
  std::erase_if(readings, [](const Reading& each) { return each.source != bus_source(bus); });
  ASSERT_EQ(readings.size(), 2u);
  EXPECT_EQ(frame_of(readings[0]), (Frame{0x124, 3, {2, 3, 0}}));
  EXPECT_EQ(frame_of(readings[1]), (Frame{0x125, 1, {10}}));
  if (!played_.takes_late) {
    // 34 + 24 bits checked, 14 of them stuffed, and 13; its answer as many.
    EXPECT_EQ(heard[0].first, at + 85);
    EXPECT_EQ(readings[0].at, at + 85 + 500 + 85);
  }
}

TEST_P(LinesOfAllKinds, WhatBringsABusToRestIsSentByACut) {
  on_.put(soon(), bus, Frame{0x123, 1, {1}}, own);
  on_.cut();
  run_to(on_.now() + 100'000);
  if (std::string(GetParam()) == "scripted") return;
  const auto heard = played_.port ? played_.port->heard() : played_.echo->heard;
  ASSERT_EQ(heard.size(), 1u);
  EXPECT_EQ(heard[0].second, (Frame{0, 2, {0xff, 0x00}}));
}

TEST_P(LinesOfAllKinds, RowsFollowEachOtherAStepEach) {
  const LineId front = coils[0];
  const Tick at = soon();
  on_.put(FineTick{at, 0}, front, std::array{steady(1000, 6)}, std::nullopt);
  EXPECT_EQ(refused([&] {
              on_.put(FineTick{soon() + 90'000, 0}, coils[1], std::array{steady(1000, 6)}, std::nullopt);
            }),
            "z.coil1 changes with others: runs go to the first of them");
  EXPECT_NE(refused([&] { put_steps(at + 1000, front); }).find("overlap"), std::string::npos);
  const auto on = [&] {
    unsigned found = 0;
    for (std::size_t i = 0; i < coils.size(); ++i) found |= played_.level(coils[i]) ? 1U << i : 0U;
    return found;
  };
  run_to(at + 8000);
  if (played_.level) {
    EXPECT_EQ(on(), 4U) << "the seventh of 1, 2, 4, 8, from the first on";
  }
  chip::PulseRun back = steady(1000, 3);
  back.flags = chip::run_backwards;
  const Tick then = soon();
  on_.put(FineTick{then, 0}, front, std::array{back}, std::nullopt);
  run_to(then + 5000);
  if (played_.level) {
    EXPECT_EQ(on(), 8U) << "three rows back";
  }
  EXPECT_EQ(steps_of(third), 3);
  EXPECT_EQ(refused([&] { on_.put(soon(), std::array{Level{coils[0], true}, Level{front, false}}); }), "");
  on_.cut();
  if (played_.level) {
    EXPECT_EQ(on(), 0U);
  }
}

INSTANTIATE_TEST_SUITE_P(Of, LinesContract, testing::Values("scripted", "simulated", "live", "linked"),
                         [](const auto& info) { return std::string(info.param); });

INSTANTIATE_TEST_SUITE_P(Of, LinesOfAllKinds, testing::Values("scripted", "simulated", "live"),
                         [](const auto& info) { return std::string(info.param); });

/// Those that cut at an input by themselves.
class LinesThatCut : public LinesContract {
 protected:
  /// 300 steps, one each millisecond, from 10 ms on.
  void begin() { on_.put(FineTick{9'000, 0}, step, std::array{steady(1000, 300)}, std::nullopt); }
  void expect_steps(Tick until) {
    const double late = played_.port ? 60.0 : 1.0;  // steps: a live press comes when this computer can
    EXPECT_NEAR(static_cast<double>(steps_of(own)), static_cast<double>(until - 9'000) / 1000.0, late);
  }
};

TEST_P(LinesThatCut, AtAnInputWhateverPlanningDoes) {
  begin();
  run_with_hands_to(102'000);
  on_.answer_cuts();  // the gate: planning acts itself
  run_with_hands_to(250'000);
  expect_steps(200'000);
  const std::int64_t made = steps_of(own);
  put_steps(on_.now() + 10'000);
  run_to(on_.now() + 30'000);
  EXPECT_EQ(steps_of(own), made) << "what was planned before planning knew";
  on_.cut();
  put_steps(on_.now() + 10'000);
  run_to(on_.now() + 30'000);
  EXPECT_EQ(steps_of(own), made + 10);
}

TEST_P(LinesThatCut, WhenPlanningDoesNotAnswer) {
  begin();
  run_with_hands_to(180'000);
  expect_steps(140'000);
  on_.cut();
}

TEST_P(LinesThatCut, NotWhereTheyAreNotToWatch) {
  begin();
  on_.watch(own, false);
  run_with_hands_to(180'000);
  EXPECT_GT(steps_of(own), 165);
  on_.cut();
}

INSTANTIATE_TEST_SUITE_P(Of, LinesThatCut, testing::Values("simulated", "live"),
                         [](const auto& info) { return std::string(info.param); });

TEST(CheckedLines, RefuseRowsOfLinesThatDoNotChangeTogether) {
  testing_support::ScriptedPlayer player({}, 0, 100);
  const auto refused = [&](const std::function<void(LineSetup&)>& change) -> std::string {
    std::vector<LineSetup> all = lines();
    change(all[all.size() - coils.size()]);
    try {
      (void)CheckedLines({all, {}, {}}, player);
      return {};
    } catch (const RangeError& error) {
      return error.what();
    }
  };
  EXPECT_EQ(refused([](LineSetup&) {}), "");
  EXPECT_EQ(refused([](LineSetup& front) { front.rows.lines.push_back(dir); }),
            "z.coil0: x.dir is no line that changes with it");
  EXPECT_EQ(refused([](LineSetup& front) { front.rows.lines.resize(9, coils[1]); }),
            "z.coil0: 9 lines in 4 rows; 1 to 8 can change together, in 1 to 255 rows");
  EXPECT_EQ(refused([](LineSetup& front) { front.rows.cycle.clear(); }),
            "z.coil0: 4 lines in 0 rows; 1 to 8 can change together, in 1 to 255 rows");
}

TEST(CheckedLines, RefuseTwoOfOneNumberAndDutiesOnNoLine) {
  testing_support::ScriptedPlayer player({}, 0, 100);
  std::vector<LineSetup> twice = lines();
  twice.push_back({step, "z.step"});
  try {
    (void)CheckedLines({twice, {}, {}}, player);
    FAIL();
  } catch (const RangeError& error) {
    EXPECT_STREQ(error.what(), "line 1057 is used by x.step and by z.step");
  }
  EXPECT_THROW((void)CheckedLines({{}, pwm(), {}}, player), RangeError);
}

TEST(CheckedLines, AnEdgeThatEndsARunFreesItsLine) {
  testing_support::ScriptedLines on(lines());
  const std::array runs{steady(1000, 100)};
  on.checked.put(FineTick{10'000, 0}, step, runs, StopOn{gate, Edge::rising});
  on.player.edge(15'500, gate, true);
  std::vector<Reading> readings;
  while (readings.empty()) on.checked.wait_until(never - 1, readings);
  EXPECT_EQ(on.checked.now(), 15'500);
  EXPECT_EQ(on.player.pulses[step].size(), 5u);
  EXPECT_NO_THROW(on.checked.put(FineTick{20'000, 0}, step, runs, {}));
}

}  // namespace
}  // namespace cogstride::lines_contract_test
