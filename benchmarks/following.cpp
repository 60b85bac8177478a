// A follower: what one edge of its leader's encoder costs, all in. The counts are looked at each millisecond;
// the time of a look, with its planning, its pulse runs and its steps made, is shared by the edges that came
// meanwhile.
#include <benchmark/benchmark.h>

#include <cmath>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/lines/quadrature_counter.hpp"
#include "cogstride/motion/gearing/counted_place.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/rig/rig.hpp"
#include "support/demo_rig.hpp"
#include "support/scripted_lines.hpp"

namespace {

using namespace cogstride;

constexpr double second = 48e6;
constexpr Tick millisecond = 48'000;

/// Steppers behind one encoder at 30 000 counts/s: a spindle of 2000 counts a turn at 900 rpm.
void followers(benchmark::State& state) {
  const auto many = static_cast<std::size_t>(state.range(0));
  constexpr Tick between_edges = 1'600;
  Rig rig = testing_support::demo_rig_without_gate();
  Mechanism drum = rig.mechanisms[0];
  drum.homing.reset();
  drum.limits.travel_from.reset();
  drum.limits.travel_to.reset();
  drum.hard_ends.reset();
  Encoder wheel;
  wheel.line_a = 25;
  wheel.line_b = 26;
  wheel.lines_per_turn = 500;

  CounterSetup counter;
  counter.source = counter_source(25);
  counter.edge_source = counter_edge_source(25);
  counter.line_a = LineId{25};
  counter.line_b = LineId{26};
  QuadratureCounter counted(counter);
  counted.begin(false, false);

  std::vector<std::unique_ptr<StepperMover>> movers;
  std::vector<LineSetup> lines;
  for (std::size_t i = 0; i < many; ++i) {
    auto& wiring = std::get<StepDirWiring>(drum.wiring);
    const auto first = static_cast<std::int64_t>(100 + 3 * i);
    wiring.step.number = first;
    wiring.dir.number = first + 1;
    wiring.enable->number = first + 2;
    movers.push_back(std::make_unique<StepperMover>(drum, static_cast<MechanismId>(i), rig.controller));
    for (const LineSetup& line : movers.back()->line_setups()) lines.push_back(line);
  }
  testing_support::ScriptedLines on(lines, {}, 480);
  on.player.says(counter.source, [&](Tick now) { return counted.count(now); });
  on.player.says(counter.edge_source, [&](Tick now) { return counted.counted_at(now); });
  BenchLoop loop(on.checked);
  for (const auto& mover : movers) {
    loop.add(*mover);
    std::vector<GearTerm> terms;
    terms.push_back(
        {std::make_unique<CountedPlace>(wheel, second, millisecond, mover != movers.front()), Ratio(14, 75)});
    auto gear = std::make_unique<Gear>(std::move(terms), Gear::Timing{second, millisecond},
                                       mover->follower().limits, true);
    mover->follow(on.checked,
                  std::make_unique<Follow>(std::move(gear), FollowHow{}, mover->follower(), "wheel"),
                  "follow wheel");
  }
  Tick edge_at = 0;
  std::int64_t quarter = 0;
  const auto turn_to = [&](Tick until) {
    std::int64_t edges = 0;
    for (; edge_at < until; edge_at += between_edges, ++edges) {
      ++quarter;
      const bool is_a = quarter % 2 == 1;
      const bool high = (quarter % 4 == 1) || (quarter % 4 == 2);
      counted.take(is_a ? counter.line_a : counter.line_b, high, edge_at);
    }
    return edges;
  };
  std::int64_t edges = 0;
  Tick until = 0;
  for (int i = 0; i < 300; ++i) {
    until += millisecond;
    turn_to(until);
    loop.run(until, [] { return false; });
  }
  for (auto _ : state) {
    until += millisecond;
    edges += turn_to(until);
    loop.run(until, [] { return false; });
    on.player.pulses.clear();
    on.player.levels.clear();
  }
  for (const auto& mover : movers)
    if (mover->following() == nullptr) state.SkipWithError("a follower has ended");
  // For one follower.
  state.counters["ns_an_edge"] =
      benchmark::Counter(1e-9 * static_cast<double>(edges) * static_cast<double>(many),
                         benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK(followers)->Arg(1)->Arg(16);

}  // namespace
