// The hybrid stepper plant: seconds of physics a second of computing, at 5 us, moving all the time.
#include <benchmark/benchmark.h>

#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride {
namespace {

using namespace literals;

void stepper_plant(benchmark::State& state) {
  const Mechanism mechanism = testing_support::demo_rig_without_gate().mechanisms[0];
  const double rate = static_cast<double>(state.range(0));
  const auto interval = static_cast<Tick>(48e6 / rate);
  double seconds = 0.0;
  for (auto _ : state) {
    StepperPlant plant(mechanism, {.clock = 48_MHz});
    (void)plant.advance(1);
    plant.hear(LineId{2}, false);
    plant.hear(LineId{1}, true);
    Tick at = 96'000;
    while (at < 48'000'000) {
      (void)plant.advance(at);
      plant.hear(LineId{0}, true);
      (void)plant.advance(at + 106);
      plant.hear(LineId{0}, false);
      at += interval;
    }
    benchmark::DoNotOptimize(plant.position());
    seconds += 1.0;
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(stepper_plant)->Arg(1'000)->Arg(16'000);

// The whole bench: planning, lines, plant and run loop, on a move to and fro.
void simulated_bench(benchmark::State& state) {
  const Rig rig = testing_support::demo_rig_without_gate();
  double seconds = 0.0;
  for (auto _ : state) {
    SimulatedBench bench(rig);
    auto traverse = bench.mechanism("traverse");
    traverse.move({.to = 100_mm}).wait();
    seconds += bench.now().in(units::s);
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(simulated_bench);

}  // namespace
}  // namespace cogstride
