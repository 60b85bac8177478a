#include "cogstride/bench/simulated/simulated_lines.hpp"

#include <gtest/gtest.h>

#include <random>

#include <array>
#include <cmath>
#include <map>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride::simulated_lines_test {
namespace {

using Use = LineSetup::Use;

constexpr LineId step{0};
constexpr LineId dir{1};
constexpr LineId gate{2};
constexpr LineId gate_2{3};
constexpr MechanismId owner{7};

struct SeenEdge {
  Tick at;
  LineId line;
  bool high;
  friend bool operator==(const SeenEdge&, const SeenEdge&) = default;
};

SimulatedLines::Setup stepper_setup() {
  SimulatedLines::Setup setup;
  setup.lines = {{step, "x.step", owner, Use::pulses, false, 10, {}},
                 {dir, "x.dir", owner, Use::level, true, 0, {}},
                 {gate, "x.gate", owner, Use::input, false, 0, SourceId{2}},
                 {gate_2, "y.gate", owner, Use::input, false, 0, SourceId{3}}};
  setup.lead = 5;
  return setup;
}

/// Changes its line at set ticks, whatever happens.
class TimedPlant final : public Plant {
 public:
  TimedPlant(LineId line, std::vector<Tick> edges) : line_(line), edges_(std::move(edges)) {}
  [[nodiscard]] std::span<const LineId> hears() const override { return {}; }
  [[nodiscard]] std::vector<Level> drives() const override { return {{line_, made_ % 2 == 1}}; }
  void hear(LineId, bool) override {}
  std::optional<LineEdge> advance(Tick until) override {
    now_ = until;
    if (made_ == edges_.size() || edges_[made_] > until) return std::nullopt;
    now_ = edges_[made_++];
    return LineEdge{now_, line_, made_ % 2 == 1};
  }
  void keep() override { kept_ = {made_, now_}; }
  void go_back() override { std::tie(made_, now_) = kept_; }
  [[nodiscard]] Tick now() const { return now_; }

 private:
  LineId line_;
  std::vector<Tick> edges_;
  std::size_t made_ = 0;
  Tick now_ = 0;
  std::pair<std::size_t, Tick> kept_{};
};

chip::PulseRun steady(Tick gap, std::uint16_t steps, bool backwards = false) {
  return {static_cast<std::uint64_t>(gap) << 16,
          0,
          0,
          steps,
          static_cast<std::uint8_t>(backwards ? chip::run_backwards : 0),
          0};
}

class SimulatedLinesTest : public testing::Test {
 protected:
  void listen(SimulatedLines& lines) {
    lines.on_edge([this](Tick at, LineId line, bool high) { seen.push_back({at, line, high}); });
  }
  static void run(SimulatedLines& lines, Tick until) {
    std::vector<Reading> readings;
    while (lines.now() < until) lines.wait_until(until, readings);
  }
  std::vector<SeenEdge> seen;
};

TEST_F(SimulatedLinesTest, PutsLevelsBeforePulsesOfTheSameTick) {
  SimulatedLines lines(stepper_setup());
  listen(lines);
  const std::array runs{steady(100, 2)};
  lines.put(FineTick{0, 0}, step, runs, {});
  lines.put(100, std::array{Level{dir, false}});
  run(lines, 1000);
  const std::vector<SeenEdge> expected = {
      {100, dir, false}, {100, step, true}, {110, step, false}, {200, step, true}, {210, step, false}};
  EXPECT_EQ(seen, expected);
  EXPECT_EQ(lines.steps_made(step), 2);
}

TEST_F(SimulatedLinesTest, WithdrawSaysWhichStepsGoOutAndEndsThePulseProperly) {
  SimulatedLines lines(stepper_setup());
  listen(lines);
  const std::array runs{steady(100, 50), steady(100, 20, true)};
  lines.put(FineTick{0, 0}, step, runs, {});
  lines.put(2000, std::array{Level{dir, false}});
  run(lines, 1050);
  const Withdrawn left = lines.withdraw(owner, 1305);
  EXPECT_EQ(left.steps, 13);
  EXPECT_EQ(left.last_pulse, 1300);
  run(lines, 9000);
  EXPECT_EQ(lines.steps_made(step), 13);
  EXPECT_EQ(seen.back(), (SeenEdge{1310, step, false}));
}

TEST_F(SimulatedLinesTest, StopOnEndsARunAtTheEdgeWithoutAnyoneActing) {
  SimulatedLines lines(stepper_setup());
  TimedPlant plant(gate, {555});
  lines.attach(plant);
  const std::array runs{steady(100, 50)};
  lines.put(FineTick{0, 0}, step, runs, StopOn{gate, Edge::rising});
  std::vector<Reading> readings;
  EXPECT_EQ(lines.wait_until(5000, readings), 555);
  ASSERT_EQ(readings.size(), 1u);
  EXPECT_EQ(readings[0].raw, 1);
  run(lines, 5000);
  EXPECT_EQ(lines.steps_made(step), 5);
}

TEST_F(SimulatedLinesTest, CutBringsAllLinesToRestThroughAllQueues) {
  SimulatedLines lines(stepper_setup());
  listen(lines);
  const std::array runs{steady(100, 50)};
  lines.put(FineTick{0, 0}, step, runs, {});
  lines.put(50, std::array{Level{dir, false}});
  run(lines, 305);  // in the middle of a pulse
  lines.cut();
  EXPECT_EQ(seen[seen.size() - 2], (SeenEdge{305, step, false}));
  EXPECT_EQ(seen.back(), (SeenEdge{305, dir, true}));
  const std::size_t edges = seen.size();
  run(lines, 9000);
  EXPECT_EQ(seen.size(), edges);
}

TEST_F(SimulatedLinesTest, TakesTheEarliestEdgeOfSeveralPlants) {
  SimulatedLines lines(stepper_setup());
  TimedPlant late(gate, {300, 700});
  TimedPlant early(gate_2, {200, 300, 900});
  lines.attach(late);
  lines.attach(early);
  std::vector<Reading> readings;
  std::vector<std::pair<Tick, int>> order;
  while (lines.now() < 1000) {
    readings.clear();
    lines.wait_until(1000, readings);
    for (const Reading& reading : readings) order.emplace_back(reading.at, static_cast<int>(reading.source));
  }
  const std::vector<std::pair<Tick, int>> expected = {{200, 3}, {300, 2}, {300, 3}, {700, 2}, {900, 3}};
  EXPECT_EQ(order, expected);
  EXPECT_EQ(late.now(), 1000);
}

TEST_F(SimulatedLinesTest, SamplesAnInputLineOnRequest) {
  SimulatedLines lines(stepper_setup());
  TimedPlant plant(gate, {50});
  lines.attach(plant);
  lines.sample(SourceId{2}, 40, 20);
  std::vector<int> levels;
  std::vector<Reading> readings;
  while (lines.now() < 85) {
    readings.clear();
    lines.wait_until(85, readings);
    for (const Reading& reading : readings) levels.push_back(static_cast<int>(reading.raw));
  }
  EXPECT_EQ(levels, (std::vector<int>{0, 1, 1, 1})) << "sample at 40, edge at 50, samples at 60 and 80";
}

struct PwmSeen {
  Tick line_on = 0;
  Tick complement_on = 0;
  bool overlap = false;
  Tick shortest_gap = never;  // from one off to the other on
};

PwmSeen watch_leg(PwmAlignment alignment, Tick on_ticks, Tick dead_time) {
  PwmTimer timer({1000, alignment, dead_time, {{LineId{0}, LineId{1}}}});
  timer.put(0, Compare{LineId{0}, on_ticks});
  PwmSeen seen;
  bool on[2] = {false, false};
  Tick changed[2] = {-1'000'000, -1'000'000};
  Tick last = 0;
  std::vector<Level> changes;
  while (timer.next() <= 20'000) {
    const Tick at = timer.next();
    if (at > 10'000) {  // whole periods, settled
      const Tick from = std::max<Tick>(last, 10'000);
      if (on[0]) seen.line_on += at - from;
      if (on[1]) seen.complement_on += at - from;
    }
    last = at;
    changes.clear();
    timer.advance(changes);
    for (const Level& change : changes) {
      const auto side = static_cast<std::size_t>(change.line);
      on[side] = change.high;
      if (change.high) seen.shortest_gap = std::min(seen.shortest_gap, at - changed[1 - side]);
      changed[side] = at;
    }
    seen.overlap = seen.overlap || (on[0] && on[1]);
  }
  const Tick from = std::max<Tick>(last, 10'000);  // what stands still has no next change
  if (on[0]) seen.line_on += 20'000 - from;
  if (on[1]) seen.complement_on += 20'000 - from;
  return seen;
}

TEST(PwmTimer, ComplementaryLinesNeverOverlapAndKeepTheirDeadTime) {
  for (const PwmAlignment alignment : {PwmAlignment::edge, PwmAlignment::centre}) {
    for (Tick on = 0; on <= 1000; on += 25) {
      const PwmSeen seen = watch_leg(alignment, on, 39);
      EXPECT_FALSE(seen.overlap) << on;
      EXPECT_GE(seen.shortest_gap, 39) << on;
      const bool both = on > 0 && on < 1000;
      EXPECT_EQ(seen.line_on, 10 * std::max<Tick>(0, both ? on - 39 : on)) << on;
      EXPECT_EQ(seen.complement_on, 10 * std::max<Tick>(0, both ? 1000 - on - 39 : 1000 - on)) << on;
    }
  }
}

/// Whatever compare values come, at whatever times.
TEST(PwmTimer, ComplementaryLinesNeverOverlapByATickUnderRandomCommands) {
  std::mt19937 random(7);
  const auto any = [&](Tick low, Tick high) {
    return std::uniform_int_distribution<Tick>(low, high)(random);
  };
  for (int round = 0; round < 300; ++round) {
    const Tick period = any(20, 400);
    const Tick dead = any(0, period / 3);
    const auto alignment = any(0, 1) == 0 ? PwmAlignment::edge : PwmAlignment::centre;
    PwmTimer timer({period, alignment, dead, {{LineId{0}, LineId{1}}}});
    bool on[2] = {false, false};
    Tick off_since[2] = {-1'000'000, -1'000'000};
    std::vector<Level> changes;
    Tick now = 0;
    for (int command = 0; command < 40; ++command) {
      now += any(0, 3 * period);
      while (timer.next() < now) {
        const Tick at = timer.next();
        changes.clear();
        timer.advance(changes);
        for (const Level& change : changes) {
          const auto side = static_cast<std::size_t>(change.line);
          if (on[side] && !change.high) off_since[side] = at;
          on[side] = change.high;
          ASSERT_FALSE(change.high && on[1 - side]) << round << " at " << at;
          if (change.high) {
            ASSERT_GE(at - off_since[1 - side], dead) << round << " at " << at;
          }
        }
      }
      const Tick choice = any(0, 3);
      timer.put(now, {LineId{0},
                      choice == 0   ? 0
                      : choice == 1 ? period
                                    : any(0, period),
                      static_cast<PwmDrive>(any(0, 3))});
      if (any(0, 9) == 0) timer.withdraw(now);
    }
  }
}

TEST(PwmTimer, DrivesOneLineOfAPairAloneOrNone) {
  PwmTimer timer({100, PwmAlignment::centre, 5, {{LineId{0}, LineId{1}}}});
  const auto on_for = [&](Tick from, Compare compare) {
    timer.put(from, compare);
    std::array<Tick, 2> on{};
    std::array<Tick, 2> since{-1, -1};
    std::vector<Level> changes;
    while (timer.next() < from + 300) {
      const Tick at = timer.next();
      changes.clear();
      timer.advance(changes);
      for (const Level& change : changes) {
        const auto side = static_cast<std::size_t>(change.line);
        if (since[side] >= 0 && at > from) on[side] += at - std::max(from, since[side]);
        since[side] = change.high ? at : -1;
      }
    }
    for (std::size_t side = 0; side < 2; ++side)
      if (since[side] >= 0) on[side] += from + 300 - std::max(from, since[side]);
    return on;
  };
  EXPECT_EQ(on_for(0, {LineId{0}, 40, PwmDrive::line}), (std::array<Tick, 2>{120, 0}));
  EXPECT_EQ(on_for(300, {LineId{0}, 40, PwmDrive::complement}), (std::array<Tick, 2>{0, 120}));
  EXPECT_EQ(on_for(600, {LineId{0}, 40, PwmDrive::none}), (std::array<Tick, 2>{0, 0}));
  EXPECT_EQ(on_for(900, {LineId{0}, 40, PwmDrive::both})[0], 105) << "40 less the dead time, three times";
  EXPECT_EQ(on_for(1200, {LineId{0}, 100, PwmDrive::complement})[0], 0) << "for good";
}

TEST(PwmTimer, WithdrawsWhatHasNotBegun) {
  SimulatedLines::Setup setup;
  setup.lines = {{LineId{5}, "coil.pwm", owner, Use::pwm, false, 0, {}}};
  setup.pwm = {{1000, PwmAlignment::edge, 0, {{LineId{5}, {}}}}};
  SimulatedLines lines(std::move(setup));
  std::vector<Tick> rises;
  lines.on_edge([&](Tick at, LineId, bool high) {
    if (high) rises.push_back(at);
  });
  lines.put(10, std::array{Compare{LineId{5}, 300}});
  lines.put(2500, std::array{Compare{LineId{5}, 0}});
  std::vector<Reading> readings;
  while (lines.now() < 1500) lines.wait_until(1500, readings);
  lines.withdraw(MechanismId{1}, 1500);
  lines.withdraw(owner, 1500);
  while (lines.now() < 4500) lines.wait_until(4500, readings);
  EXPECT_EQ(rises, (std::vector<Tick>{1000, 2000, 3000, 4000})) << "the 0 put for 3000 never comes";
}

TEST(PwmTimer, ChannelsOfTwoOwnersKeepInStepAndAreWithdrawnAlone) {
  SimulatedLines::Setup setup;
  constexpr MechanismId other{1};
  setup.lines = {{LineId{5}, "lamp", owner, Use::pwm, false, 0, {}},
                 {LineId{6}, "fan", other, Use::pwm, false, 0, {}}};
  setup.pwm = {{1000, PwmAlignment::edge, 0, {{LineId{5}, {}}, {LineId{6}, {}}}}};
  SimulatedLines lines(std::move(setup));
  std::map<LineId, std::vector<Tick>> rises;
  lines.on_edge([&](Tick at, LineId line, bool high) {
    if (high) rises[line].push_back(at);
  });
  lines.put(10, std::array{Compare{LineId{5}, 300}, Compare{LineId{6}, 700}});
  lines.put(2500, std::array{Compare{LineId{5}, 0}, Compare{LineId{6}, 0}});
  std::vector<Reading> readings;
  while (lines.now() < 1500) lines.wait_until(1500, readings);
  lines.withdraw(owner, 1500);
  while (lines.now() < 4500) lines.wait_until(4500, readings);
  EXPECT_EQ(rises[LineId{5}], (std::vector<Tick>{1000, 2000, 3000, 4000}));
  EXPECT_EQ(rises[LineId{6}], (std::vector<Tick>{1000, 2000})) << "its 0 is still put";
}

TEST(PwmTimer, RefusesWhatItCannotDo) {
  EXPECT_THROW(PwmTimer({0, PwmAlignment::edge, 0, {}}), RangeError);
  EXPECT_THROW(PwmTimer({100, PwmAlignment::edge, -1, {}}), RangeError);
  EXPECT_EQ(PwmTimer({100, PwmAlignment::edge, 0, {{LineId{0}, {}}}}).next(), never);
}

/// A resistor and inductor behind one PWM line that switches 24 V, with a shunt amplifier.
class RlPlant final : public Plant {
 public:
  static constexpr double resistance = 2.0;
  static constexpr double inductance = 1e-3;
  static constexpr double supply = 24.0;
  static constexpr double volts_an_ampere = 0.5;
  static constexpr double clock = 48e6;

  [[nodiscard]] std::span<const LineId> hears() const override { return hears_; }
  [[nodiscard]] std::vector<Level> drives() const override { return {}; }
  [[nodiscard]] std::span<const SourceId> measures() const override { return measures_; }
  [[nodiscard]] double measure(SourceId) const override { return volts_an_ampere * current_; }
  void hear(LineId, bool high) override { on_ = high; }
  std::optional<LineEdge> advance(Tick until) override {
    const double target = on_ ? supply / resistance : 0.0;
    const double seconds = static_cast<double>(until - now_) / clock;
    current_ = target + (current_ - target) * std::exp(-seconds * resistance / inductance);
    now_ = until;
    return std::nullopt;
  }
  void keep() override { kept_ = {now_, current_}; }
  void go_back() override { std::tie(now_, current_) = kept_; }
  [[nodiscard]] double current() const { return current_; }

 private:
  std::array<LineId, 1> hears_{LineId{5}};
  std::array<SourceId, 1> measures_{SourceId{9}};
  bool on_ = false;
  Tick now_ = 0;
  double current_ = 0.0;
  std::pair<Tick, double> kept_{};
};

/// PI control of the shunt's code, one compare value a PWM period. Knows the lines and nothing else.
class CurrentLoop final : public Participant {
 public:
  static constexpr Tick period = 2400;  // 20 kHz
  double wanted = 3.0;                  // A
  int cycles = 0;

  void start(Lines& lines) { lines.sample(SourceId{9}, period / 2, period); }
  [[nodiscard]] Tick next_act() const override { return never; }
  void act(Lines& lines, std::span<const Reading> readings) override {
    for (const Reading& reading : readings) {
      const double measured = static_cast<double>(reading.raw) / 4095.0 * 3.3 / RlPlant::volts_an_ampere;
      const double error = wanted - measured;
      // Pole of R and L cancelled by the zero, crossover at 1 kHz: kp = L w, ki = R w.
      constexpr double crossover = 2 * 3.14159265358979 * 1000;
      integral_ += RlPlant::resistance * crossover * error / 20'000;
      const double volts = RlPlant::inductance * crossover * error + integral_;
      const auto on = static_cast<Tick>(std::lround(std::clamp(volts / RlPlant::supply, 0.0, 1.0) * period));
      lines.put(lines.now() + lines.lead(), std::array{Compare{LineId{5}, on}});
      ++cycles;
    }
  }

 private:
  double integral_ = 0.0;
};

TEST(Lines, CloseATwentyKilohertzCurrentLoop) {
  SimulatedLines::Setup setup;
  setup.lines = {{LineId{5}, "coil.pwm", owner, Use::pwm, false, 0, {}}};
  setup.pwm = {{CurrentLoop::period, PwmAlignment::centre, 0, {{LineId{5}, {}}}}};
  setup.adc = {{SourceId{9}, 3.3, 12, 2.0}};
  setup.lead = 100;
  SimulatedLines lines(std::move(setup));
  RlPlant plant;
  lines.attach(plant);
  CurrentLoop loop;
  loop.start(lines);
  BenchLoop run(lines);
  run.add(loop);
  const auto settle_at = [&](double amperes, Tick until) {
    loop.wanted = amperes;
    run.run(until, [] { return false; });
    // Mean over ten periods: the ripple of the switching lies around it.
    double sum = 0.0;
    for (int i = 1; i <= 200; ++i) {
      run.run(until + i * CurrentLoop::period / 20, [] { return false; });
      sum += plant.current();
    }
    return sum / 200;
  };
  EXPECT_NEAR(settle_at(3.0, 240'000), 3.0, 0.03);
  EXPECT_NEAR(settle_at(1.0, 480'000), 1.0, 0.03);
  EXPECT_EQ(loop.cycles, 210) << "one a period, from 0 to 10.5 ms";
}

TEST(BenchLoop, HandsTimeFromWishToWish) {
  SimulatedLines lines(stepper_setup());
  struct Clockwork final : Participant {
    std::vector<Tick> acts;
    [[nodiscard]] Tick next_act() const override { return 100 * static_cast<Tick>(acts.size() + 1); }
    void act(Lines& l, std::span<const Reading>) override { acts.push_back(l.now()); }
  } clockwork;
  BenchLoop loop(lines);
  loop.add(clockwork);
  EXPECT_TRUE(loop.run(10'000, [&] { return clockwork.acts.size() == 3; }));
  EXPECT_EQ(clockwork.acts, (std::vector<Tick>{100, 200, 300}));
  loop.remove(clockwork);
  EXPECT_FALSE(loop.run(10'000, [] { return false; }));
  EXPECT_EQ(lines.now(), 10'000);
}

}  // namespace
}  // namespace cogstride::simulated_lines_test
