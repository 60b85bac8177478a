// The lines of a chip that stands in for one: what is put comes out, what is told comes back, and whoever
// listens hears of both.
#include "cogstride/bench/live/link_lines.hpp"

#include <gtest/gtest.h>

#include <array>
#include <map>
#include <memory>
#include <random>

#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/run_fitter.hpp"
#include "support/host_chip_stream.hpp"

namespace cogstride::link_lines_test {
namespace {

using testing_support::HostChip;
using Use = LineSetup::Use;

using testing_support::pin_line;

constexpr LineId step = pin_line('B', 1);
constexpr LineId dir = pin_line('D', 4);
constexpr LineId lamp = pin_line('D', 6);
constexpr LineId gate = pin_line('D', 2);
constexpr LineId track_a = pin_line('C', 4);
constexpr LineId track_b = pin_line('C', 5);
constexpr MechanismId own{0};
constexpr SourceId gate_source{1};
constexpr SourceId count_source{2};
constexpr SourceId edge_source{3};
constexpr Tick ms = 16'000;
constexpr Tick reads = 2 * ms;

struct Told {
  Tick at;
  LineId line;
  bool high;
};

class Bench {
 public:
  Bench() {
    LinkLines::Setup setup;
    setup.lines = {{step, "x.step", own, Use::pulses, false, 40},
                   {dir, "x.dir", own, Use::level},
                   {lamp, "lamp", own, Use::pwm},
                   {gate, "x.gate", own, Use::input, false, 0, gate_source},
                   {track_a, "x.a", own, Use::input, false, 0, SourceId{8}},
                   {track_b, "x.b", own, Use::input, false, 0, SourceId{9}}};
    const auto add = [&](LineId line, LinkMap::Use use) {
      setup.map.lines.push_back({*link_code(line), *pin_of(static_cast<std::int64_t>(line)), use});
    };
    add(step, LinkMap::Use::step);
    add(dir, LinkMap::Use::output);
    add(lamp, LinkMap::Use::duty);
    add(gate, LinkMap::Use::input);
    setup.map.axes = {0, LinkMap::not_there};
    setup.map.mark = HostChip::Machine::mark;
    setup.map.counters.push_back({*link_code(track_a), *link_code(track_b)});
    setup.map.duties.push_back({lamp, Pin{'D', 6}, LinkDuty::By::first_output, false, 256 * 8, 8, 0, "lamp"});
    setup.counters.push_back({count_source, edge_source, track_a, track_b});
    setup.ticks_per_second = HostChip::ticks_per_second;
    setup.bytes_per_second = 50'000.0;
    setup.slack = ms;
    setup.lead = 10 * ms;
    setup.horizon = 100 * ms;
    setup.reads = reads;
    setup.port = "made up";
    lines = std::make_unique<LinkLines>(setup, stream);
    lines->on_edge([this](Tick at, LineId line, bool high) { told.push_back({at, line, high}); });
  }
  void run_to(Tick until) {
    while (lines->now() < until && !lines->has_trouble()) lines->wait_until(until, readings);
  }
  [[nodiscard]] std::vector<Told> of(LineId line) const {
    std::vector<Told> all;
    for (const Told& each : told)
      if (each.line == line) all.push_back(each);
    return all;
  }
  [[nodiscard]] std::vector<Reading> from(SourceId source) const {
    std::vector<Reading> all;
    for (const Reading& each : readings)
      if (each.source == source) all.push_back(each);
    return all;
  }
  void put_steps(Tick at, Tick gap, std::uint16_t steps, std::optional<StopOn> stop = {}) {
    lines->put(
        FineTick{at, 0}, step,
        std::array{chip::PulseRun{static_cast<std::uint64_t>(gap) << 16, 0, 0, steps, chip::run_ends, 0}},
        stop);
  }

  /// Of the chip's ticks the lines know the lower 32 bits from the start on.
  [[nodiscard]] Tick at(std::int64_t chips) const {
    constexpr std::int64_t turn = std::int64_t{1} << 32;
    return chips - (HostChip::now() - lines->now() + turn / 2) / turn * turn;
  }
  [[nodiscard]] Tick chip_now() const { return at(HostChip::now()); }

  HostChip chip{};
  testing_support::HostChipStream stream{chip};
  std::vector<Told> told{};
  std::vector<Reading> readings{};
  std::unique_ptr<LinkLines> lines{};
};

TEST(LinkLines, TellEachPulseAsTheChipMakesIt) {
  Bench bench;
  const Tick at = bench.lines->now() + 12 * ms;
  bench.put_steps(at, 3'000, 50);
  bench.run_to(at + 40 * ms);
  const auto& made = bench.chip.steps(0);
  const std::vector<Told> told = bench.of(step);
  ASSERT_EQ(made.size(), 50u);
  ASSERT_EQ(told.size(), 100u);
  for (std::size_t i = 0; i < 50; ++i) {
    EXPECT_EQ(told[2 * i].at, bench.at(made[i].at)) << i;
    EXPECT_TRUE(told[2 * i].high);
    EXPECT_EQ(told[2 * i + 1].at, bench.at(made[i].at) + 40) << "until the pulse's width is over";
    EXPECT_FALSE(told[2 * i + 1].high);
  }
  EXPECT_FALSE(bench.lines->has_trouble());
}

TEST(LinkLines, TellNoPulseThatWasTakenBackOrCut) {
  Bench bench;
  const Tick at = bench.lines->now() + 12 * ms;
  bench.put_steps(at, 3'000, 200);
  bench.run_to(at + 6 * ms);
  const Withdrawn left = bench.lines->withdraw(own, bench.lines->now() + bench.lines->lead());
  bench.put_steps(left.last_pulse + ms, 4'000, 150);
  bench.run_to(left.last_pulse + 10 * ms);
  bench.lines->cut();
  const std::size_t made = bench.chip.steps(0).size();
  bench.run_to(bench.lines->now() + 30 * ms);
  EXPECT_EQ(bench.chip.steps(0).size(), made);
  EXPECT_GT(static_cast<std::int64_t>(made), left.steps);
  std::vector<Tick> rises;
  for (const Told& each : bench.of(step))
    if (each.high) rises.push_back(each.at);
  // What the chip made while the cut was on its way is told as well.
  ASSERT_EQ(rises.size(), made);
  for (std::size_t i = 0; i < rises.size(); ++i)
    EXPECT_EQ(rises[i], bench.at(bench.chip.steps(0)[i].at)) << i;
}

TEST(LinkLines, TellLevelsAndInputsInTheOrderOfTime) {
  Bench bench;
  const Tick at = bench.lines->now() + 20 * ms;
  bench.lines->put(at, std::array{Level{dir, true}});
  bench.lines->put(at + 10 * ms, std::array{Level{dir, false}});
  bench.lines->put(at + 20 * ms, std::array{Level{dir, true}});
  bench.run_to(at + 5 * ms);
  bench.chip.edge(*link_code(gate), true);
  const Tick pressed = bench.chip_now();
  bench.run_to(at + 12 * ms);
  (void)bench.lines->withdraw(own, at + 15 * ms);
  bench.run_to(at + 50 * ms);
  std::vector<Told> both;
  for (const Told& each : bench.told)
    if (each.line == dir || each.line == gate) both.push_back(each);
  ASSERT_EQ(both.size(), 3u) << "the last level was taken back";
  EXPECT_EQ(both[0].at, at);
  EXPECT_EQ(both[1].line, gate);
  EXPECT_EQ(both[1].at, pressed);
  EXPECT_EQ(both[2].at, at + 10 * ms);
  EXPECT_FALSE(both[2].high);
  const std::vector<Reading> read = bench.from(gate_source);
  ASSERT_EQ(read.size(), 1u);
  EXPECT_EQ(read[0].at, pressed);
  EXPECT_EQ(bench.chip.puts().size(), 2u);
}

TEST(LinkLines, EndRunsAtAnEdgeAndSayWhereTheyEnded) {
  Bench bench;
  const Tick at = bench.lines->now() + 12 * ms;
  bench.put_steps(at, 8'000, 100, StopOn{gate, Edge::rising});
  bench.run_to(at + 10 * ms);
  while (bench.chip.steps(0).size() < 25) bench.run_to(bench.lines->now() + ms / 4);
  bench.chip.edge(*link_code(gate), true);
  const std::size_t made = bench.chip.steps(0).size();
  bench.run_to(bench.lines->now() + 20 * ms);
  ASSERT_EQ(bench.from(gate_source).size(), 1u);
  EXPECT_EQ(bench.chip.steps(0).size(), made);
  EXPECT_EQ(bench.lines->withdraw(own, bench.lines->now() + bench.lines->lead()).steps,
            static_cast<std::int64_t>(made));
  std::size_t rises = 0;
  for (const Told& each : bench.of(step)) rises += each.high ? 1 : 0;
  EXPECT_EQ(rises, made);
}

/// A ramp up to a speed that is held, as planning puts it: in the form of chips.
std::vector<chip::PulseRun> approach(double speed, double acceleration) {
  const Ramp ramp = plan_ramp({{0, 0.0}, 0.0}, -20'000, {speed, acceleration, 60.0, 0.0});
  RunForm form = narrow_runs;
  form.tolerance = 32.0;
  RunFitter fitter(ramp, 0, {0, 0}, HostChip::ticks_per_second, 1, form);
  std::vector<chip::PulseRun> runs;
  chip::PulseRun run{};
  while (fitter.next(run)) runs.push_back(run);
  return runs;
}

/// The chip, the mirror of it here and the lines of a rehearsal come to rest by the same steps on the same
/// ticks, wherever the edge comes.
TEST(LinkLines, AnEdgeBrakesThemOnARampThatAllKnow) {
  std::mt19937 random(7);
  for (int i = 0; i < 40; ++i) {
    SCOPED_TRACE(i);
    Bench bench;
    const double speed = std::uniform_real_distribution(150.0, 4'000.0)(random);
    const double acceleration = std::uniform_real_distribution(2'000.0, 40'000.0)(random);
    const Tick edge_after = std::uniform_int_distribution<Tick>(3 * ms, 900 * ms)(random);
    const StopOn stop{gate, Edge::rising,
                      chip::ChipLimits{static_cast<std::uint32_t>(speed) + 1, 60,
                                       static_cast<std::uint32_t>(acceleration)}};
    const std::vector<chip::PulseRun> runs = approach(speed, acceleration);
    const Tick start = bench.lines->now() + 12 * ms;
    bench.lines->put(start - 5 * ms, std::array{Level{dir, true}});
    PulseQueue rehearsed;
    FineTick at{start, 0};
    std::size_t put = 0;
    const auto put_ahead = [&] {
      for (; put < runs.size() && at.tick < bench.lines->now() + 100 * ms; ++put) {
        bench.lines->put(at, step, {&runs[put], 1}, stop);
        rehearsed.put(at, {&runs[put], 1}, stop);
        at = end_of_run(at, runs[put]);
      }
    };
    put_ahead();
    while (bench.lines->now() < start + edge_after && !bench.lines->has_trouble()) {
      bench.run_to(std::min(bench.lines->now() + ms, start + edge_after));
      put_ahead();
    }
    ASSERT_FALSE(bench.lines->has_trouble()) << bench.lines->take_trouble().gone;
    const Tick edge_at = bench.chip_now();
    std::vector<Tick> wanted;
    const auto play = [&](Tick until) {
      for (Tick next = rehearsed.next(); next < until; next = rehearsed.next()) {
        EXPECT_TRUE(rehearsed.make());
        wanted.push_back(next);
      }
    };
    play(edge_at + 1);
    bench.chip.edge(*link_code(gate), true);
    rehearsed.edge(gate, true, HostChip::ticks_per_second);
    play(never - 1);
    const Tick until = std::max(wanted.back(), edge_at) + 60 * ms;
    bool is_told = false;
    while (bench.lines->now() < until && !bench.lines->has_trouble()) {
      bench.run_to(bench.lines->now() + ms);
      if (!is_told) put_ahead();  // nobody has told planning yet
      is_told = !bench.from(gate_source).empty();
    }
    ASSERT_FALSE(bench.lines->has_trouble()) << bench.lines->take_trouble().gone;
    const std::vector<HostChip::Step>& made = bench.chip.steps(0);
    ASSERT_EQ(made.size(), wanted.size());
    for (std::size_t k = 0; k < made.size(); ++k) ASSERT_EQ(bench.at(made[k].at), wanted[k]) << "step " << k;
    // What the listener hears, and what planning learns.
    std::vector<Tick> rises;
    for (const Told& each : bench.of(step))
      if (each.high) rises.push_back(each.at);
    EXPECT_EQ(rises, wanted);
    const Tick from = bench.lines->now() + bench.lines->lead();
    const Withdrawn left = bench.lines->withdraw(own, from);
    EXPECT_TRUE(left.brakes);
    EXPECT_EQ(left.steps, -static_cast<std::int64_t>(wanted.size()));
    EXPECT_EQ(left.last_pulse, wanted.back());
    EXPECT_EQ(rehearsed.withdraw(from).steps, left.steps);
    // It goes on from there.
    bench.put_steps(from + 5 * ms, 16'000, 50);
    bench.run_to(from + 80 * ms);
    ASSERT_FALSE(bench.lines->has_trouble()) << bench.lines->take_trouble().gone;
    EXPECT_EQ(bench.chip.steps(0).size(), wanted.size() + 50);
  }
}

TEST(LinkLines, ReadCountsWithTheTickOfTheLastOne) {
  Bench bench;
  const Tick first = bench.lines->now() + 12 * ms;
  bench.lines->sample(count_source, first, 10 * ms);
  bench.lines->sample(edge_source, first, 10 * ms);
  EXPECT_TRUE(bench.lines->answers(count_source));
  constexpr std::array<std::uint8_t, 4> forwards{1, 3, 2, 0};
  std::map<std::int64_t, Tick> counted_at;
  for (std::size_t i = 0; i < 40; ++i) {
    bench.run_to(bench.lines->now() + 3 * ms);
    bench.chip.turn_to(forwards[i % 4]);
    counted_at[static_cast<std::int64_t>(i) + 1] = bench.chip_now();
  }
  bench.run_to(bench.lines->now() + 30 * ms);
  const std::vector<Reading> counts = bench.from(count_source);
  const std::vector<Reading> edges = bench.from(edge_source);
  ASSERT_GT(counts.size(), 10u);
  ASSERT_EQ(counts.size(), edges.size());
  for (std::size_t i = 0; i < counts.size(); ++i) {
    EXPECT_EQ(counts[i].at, edges[i].at);
    const auto next = counted_at.find(counts[i].raw + 1);
    if (next != counted_at.end()) {
      EXPECT_LE(counts[i].at, next->second);
    }
    if (counts[i].raw == 0) continue;
    const Tick was = counted_at.at(counts[i].raw);
    EXPECT_GE(counts[i].at, was);
    EXPECT_NEAR(static_cast<double>(edges[i].raw), static_cast<double>(was), 16.0);
  }
  EXPECT_EQ(counts.back().raw, 40);
}

TEST(LinkLines, PutDutiesInCountsOfTheirTimer) {
  Bench bench;
  const Tick at = bench.lines->now() + 12 * ms;
  bench.lines->put(at, std::array{Compare{lamp, 64 * 8}});
  bench.lines->put(at + 10 * ms, std::array{Compare{lamp, 256 * 8}});
  bench.lines->put(at + 20 * ms, std::array{Compare{lamp, 0}});
  bench.run_to(at + 15 * ms);
  (void)bench.lines->withdraw(own, at + 18 * ms);
  bench.lines->put(at + 30 * ms, std::array{Compare{lamp, 0}});
  bench.run_to(at + 50 * ms);
  const auto& made = bench.chip.duties();
  ASSERT_EQ(made.size(), 3u);
  EXPECT_EQ(made[0].on, 64);
  EXPECT_EQ(made[1].on, 256);
  EXPECT_EQ(made[2].on, 0);
  EXPECT_NEAR(static_cast<double>(bench.at(made[2].at)), static_cast<double>(at + 30 * ms), HostChip::turn);
  const std::vector<Told> told = bench.of(lamp);
  ASSERT_EQ(told.size(), 2u) << "on, for however much of a period, and off";
  EXPECT_EQ(told[0].at, at);
  EXPECT_EQ(told[1].at, at + 30 * ms);
}

TEST(LinkLines, SayWhenTheChipHasBegunAnew) {
  Bench bench;
  bench.run_to(bench.lines->now() + 50 * ms);
  bench.chip.reset();
  bench.run_to(bench.lines->now() + 500 * ms);
  ASSERT_TRUE(bench.lines->has_trouble());
  EXPECT_NE(bench.lines->take_trouble().gone.find("begun anew"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::link_lines_test
