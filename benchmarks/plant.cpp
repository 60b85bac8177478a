// The hybrid stepper plant: seconds of physics a second of computing, at 5 us, moving all the time.
#include <benchmark/benchmark.h>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/plant/stepper_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/study/trial_run.hpp"
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

// A brushed motor with its bridge switched at 20 kHz, every switching resolved; with or without its encoder.
void brushed_plant(benchmark::State& state) {
  Mechanism mechanism = mechanism_named(testing_support::demo_rig(), "feeder");
  mechanism.load.friction_spread = ExactFraction();
  if (state.range(0) == 0) mechanism.sensors.clear();
  double seconds = 0.0;
  for (auto _ : state) {
    BrushedPlant plant(mechanism, {.clock = 48_MHz});
    (void)plant.advance(1);
    plant.hear(LineId{30}, true);
    const auto run_to = [&](Tick until) {
      while (plant.advance(until)) {
      }
    };
    for (Tick at = 2400; at < 48'000'000; at += 2400) {
      run_to(at);
      plant.hear(LineId{28}, true);
      run_to(at + 1440);
      plant.hear(LineId{28}, false);
    }
    benchmark::DoNotOptimize(plant.position());
    seconds += 1.0;
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(brushed_plant)->Arg(0)->Arg(12);  // lines of its encoder

// The same on the whole bench, held at a duty.
void bench_by_duty(benchmark::State& state) {
  const Rig rig = only_with(testing_support::demo_rig(), {"feeder"});
  double seconds = 0.0;
  for (auto _ : state) {
    SimulatedBench bench(rig);
    bench.brushed("feeder").spin({.duty = 60_percent, .lasts = 2_s}).wait();
    seconds += bench.now().in(units::s);
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(bench_by_duty);

// A brushless motor by six steps on the whole bench, every switching resolved; with or without its encoder.
void bench_by_six_steps(benchmark::State& state) {
  Rig rig = only_with(testing_support::demo_rig(), {"spindle"});
  if (state.range(0) == 0)
    std::erase_if(rig.mechanisms[0].sensors,
                  [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
  double seconds = 0.0;
  for (auto _ : state) {
    SimulatedBench bench(rig);
    bench.brushless("spindle").spin({.at = 900_rpm, .lasts = 2_s}).wait();
    seconds += bench.now().in(units::s);
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(bench_by_six_steps)->Arg(0)->Arg(500);  // lines of its encoder

// The whole bench: planning, lines, plant and run loop, on a move to and fro.
void simulated_bench(benchmark::State& state) {
  const Rig rig = testing_support::demo_rig_without_gate();
  double seconds = 0.0;
  for (auto _ : state) {
    SimulatedBench bench(rig);
    auto traverse = bench.stepper("traverse");
    traverse.move({.to = 100_mm}).wait();
    seconds += bench.now().in(units::s);
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(simulated_bench);

// The same with many mechanisms on one bench, all moving.
void bench_of_many(benchmark::State& state) {
  Rig rig = testing_support::demo_rig_without_gate();
  rig.mechanisms.resize(1);
  rig.mechanisms[0].follows.reset();
  for (std::int64_t i = 1; i < state.range(0); ++i) {
    Mechanism another = rig.mechanisms[0];
    another.name += std::to_string(i);
    another.step_dir_lines().step.number = 3 * i + 100;
    another.step_dir_lines().dir.number = 3 * i + 101;
    another.step_dir_lines().enable->number = 3 * i + 102;
    rig.mechanisms.push_back(another);
  }
  double seconds = 0.0;
  for (auto _ : state) {
    SimulatedBench bench(rig);
    for (const Mechanism& mechanism : rig.mechanisms) bench.stepper(mechanism.name).move({.to = 40_mm});
    bench.wait_for_all();
    seconds += bench.now().in(units::s);
  }
  state.counters["times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
  state.counters["motor_times_real"] =
      benchmark::Counter(seconds * static_cast<double>(state.range(0)), benchmark::Counter::kIsRate);
}
BENCHMARK(bench_of_many)->RangeMultiplier(2)->Range(1, 16);

// Sixteen motors, each on a bench of its own, on all cores.
void trials_at_once(benchmark::State& state) {
  const Rig rig = testing_support::demo_rig();
  const std::vector<Rig> freed(16, set_free(rig, rig.mechanisms[0]));
  double seconds = 0.0;
  for (auto _ : state) {
    benchmark::DoNotOptimize(run_up_all(freed, 0.5_s));
    seconds += 16 * (0.5 + 0.075);
  }
  state.counters["motor_times_real"] = benchmark::Counter(seconds, benchmark::Counter::kIsRate);
}
BENCHMARK(trials_at_once)->UseRealTime();

}  // namespace
}  // namespace cogstride
